"""How long each cut takes by each way: what can be on the plate in so many minutes."""

from __future__ import annotations

import json
from collections.abc import Iterator
from threading import Lock

from ember_core.book.book import Book, Row
from ember_core.book.foods import food_row
from ember_core.entry.sentence import Sentence
from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.ensemble.coarse import compared_cook

BUDGET_S = 0.5
Key = tuple[str, str, float, float, float]
_known: dict[Key, float | None] = {}
_lock = Lock()
MOST_KNOWN = 20_000


def pairs(book: Book, species: str = "", gear: frozenset[str] = frozenset()) -> Iterator[tuple[Row, Row]]:
    """Cuts and ways that suit each other, of a species and with gear at hand; empty: of all, with any."""
    for cut in book.cuts.values():
        if species and species_of(cut) != species:
            continue
        for way in book.ways_for(cut, None, Sentence.for_cut(cut["id"], book=book).target_c):
            if (not gear or set(way.get("gear", ())) & HEATING <= gear) and "start_c" not in way:
                yield cut, way


def species_of(cut: Row) -> str:
    """The species of a cut's food; empty when the table has none."""
    row = food_row(cut["food"])
    return str(row["species"]) if row else ""


HEATING = frozenset(
    {"pan", "pan-ovenproof", "oven", "bath", "fryer", "grill", "top-grill", "smoker", "pot", "steamer", "torch", "fat"}
)
"""Gear that gives heat: the rest is at hand in any kitchen."""


def _key(book: Book, cut: Row, way: Row, altitude_m: float, air_c: float) -> Key:
    """All that the answer hangs on: what the rows say, not their names and versions, which another book may use for other rows."""
    usual = cut.get("doneness_c") or book.usual_doneness(cut["food"])[1]
    return json.dumps(cut, default=dict), json.dumps(way, default=dict), float(usual), altitude_m, air_c


def minutes_of(book: Book, cut: Row, way: Row, altitude_m: float, air_c: float) -> float | None:
    """From the cold to the plate, min, of the usual piece by a way; None when it cannot be computed.

    What was computed once is remembered by what both rows say.

    Parameters
    ----------
    book : Book
    cut, way : mapping
        Rows of it that suit each other.
    altitude_m, air_c : float
        Of the kitchen, m, °C.
    """
    key = _key(book, cut, way, altitude_m, air_c)
    if key not in _known:
        found: float | None
        try:
            sentence = Sentence.for_cut(cut["id"], book=book, way=way["id"], altitude_m=altitude_m, air_c=air_c)
            cook = compared_cook(parse(sentence.document()), budget_s=BUDGET_S)
            found = cook.stages[-1].end_s / 60.0
        except EmberError:
            found = None
        with _lock:
            if len(_known) > MOST_KNOWN:
                _known.clear()
            _known[key] = found
    return _known[key]


def is_known(book: Book, cut: Row, way: Row, altitude_m: float, air_c: float) -> bool:
    """Whether it was computed already.

    Parameters
    ----------
    book, cut, way, altitude_m, air_c
        As of :func:`minutes_of`.
    """
    return _key(book, cut, way, altitude_m, air_c) in _known
