"""From a reading of quick entry to a sentence."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from ember_core.book.book import Book, shipped
from ember_core.entry.entry_text import Reading
from ember_core.entry.sentence import Sentence
from ember_core.errors import FormatError, ValueRangeError
from ember_core.wording.message import say

LEAST_ALTITUDE_M, MOST_ALTITUDE_M = -400.0, 5000.0


def pieces(sizes_mm: tuple[float, ...], count: int | None, between: bool) -> tuple[float, ...]:
    """The size of each piece, mm: those of a list; of a range, evenly spread from its thinnest to its thickest."""
    if not between or count is None or count < 2 or len(sizes_mm) != 2:
        return sizes_mm
    low, high = min(sizes_mm), max(sizes_mm)
    return tuple(round(low + (high - low) * i / (count - 1), 1) for i in range(count))


def sentence_of(
    reading: Reading,
    *,
    book: Book | None = None,
    serve_at: datetime | None = None,
    altitude_m: float = 0.0,
    **known: Any,
) -> Sentence:
    """The sentence of a reading.

    Parameters
    ----------
    reading : Reading
    book : Book, optional
        As it was read by; default the shipped one.
    serve_at : datetime, optional
        The reading's time of day on a day that the caller knows.
    altitude_m : float
        Of the kitchen, m, unless the entry states it.
    known
        What else of the sentence is known.

    Raises
    ------
    FormatError, ValueRangeError
        When no cut was understood, or a calculator of eggs answers it, or an altitude no kitchen is at.
    """
    book = book or shipped()
    parts = dict(reading.parts)
    if reading.eggs:
        raise FormatError(
            say("Opened eggs and sauces are planned under Eggs."),
            path="/text",
            code="eggs",
        )
    if "cut" not in parts:
        raise FormatError(
            say("No cut was recognised. Begin with one, such as: bavette 28mm mr 19:40"), path="/text", code="missing"
        )
    altitude = float(parts.pop("altitude_m", altitude_m))
    if not LEAST_ALTITUDE_M <= altitude <= MOST_ALTITUDE_M:
        raise ValueRangeError(
            say("The altitude is {altitude:g} m; give one from -400 to 5,000.", altitude=altitude),
            path="/kitchen/altitude_m",
        )
    sizes = parts.pop("sizes_mm", ())
    if sizes:
        sizes = pieces(sizes, parts.get("count"), reading.entered.get("between") == "-")
        parts.setdefault("count", len(sizes))
    cut = parts.pop("cut")
    return Sentence.for_cut(
        cut,
        book=book,
        **{**known, **parts},
        sizes_mm=sizes or None,
        serve_at=serve_at,
        altitude_m=altitude,
        unread=tuple(reading.unknown),
    )
