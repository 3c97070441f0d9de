"""What a word that quick entry did not understand may mean: texts to put in its place."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from difflib import SequenceMatcher, get_close_matches
from typing import Any

from ember_core.book.book import Book
from ember_core.wording.message import N_

MOST = 3
ALIKE = 0.6  # share of letters two words must have in common
NEARLY = 0.2  # and no more than so much less than the nearest
AS_NUMBERS = (
    (1.0, 40.0, "{n}mm", N_("thickness, mm")),
    (25.0, 99.0, "to {n}c", N_("core, °C")),
    (40.0, 5000.0, "{n}g", N_("mass, g")),
    (1.0, 60.0, "x{n}", N_("count")),
    (100.0, 210.0, "to {n}f", N_("core, °F")),
)


@dataclass(frozen=True)
class Meaning:
    """A text in place of a word, and what it would be read as."""

    text: str
    part: str


def meanings(word: str, parts: Mapping[str, Any], book: Book) -> tuple[Meaning, ...]:
    """What a word may mean, nearest first; empty when nothing is near.

    Parameters
    ----------
    word : str
        As it was left over.
    parts : mapping
        What else was understood: parts that are known are not offered again.
    book : Book
        Whose names count.
    """
    if re.fullmatch(r"\d+(?:[.,]\d+)?", word):
        value = float(word.replace(",", "."))
        known = {
            "thickness, mm": "size_mm",
            "core, °C": "target_c",
            "core, °F": "target_c",
            "mass, g": "mass_g",
            "count": "count",
        }
        fits = [
            (text, part) for low, high, text, part in AS_NUMBERS if low <= value <= high and known[part] not in parts
        ]
        return tuple(Meaning(text.format(n=word), part) for text, part in fits[:MOST])
    named: dict[str, str] = {}
    if "cut" not in parts:
        named |= {n: N_("cut") for c in book.cuts.values() for n in (c["name"], *c.get("aliases", ()))}
    else:
        food = book.cuts[parts["cut"]]["food"]
        named |= {n: N_("doneness") for n, _ in book.doneness_names(food)}
    named |= {n: N_("way") for w in book.ways.values() for n in (w["name"], *w.get("aliases", ()))}
    firsts = {n.split()[0]: n for n in reversed(list(named)) if len(n.split()[0]) > 3}
    close = get_close_matches(word, named, MOST, ALIKE)
    best = max((SequenceMatcher(None, word, n).ratio() for n in close), default=0.0)
    close = [n for n in close if SequenceMatcher(None, word, n).ratio() > best - NEARLY]
    close += [firsts[w] for w in get_close_matches(word, firsts, MOST, ALIKE + 0.1) if firsts[w] not in close]
    return tuple(Meaning(n, named[n]) for n in close[:MOST])
