"""Quick entry: ``bavette 28mm mr 19:40`` read as a sentence, with what was and was not understood.

Grammar, in any order, separated by spaces or commas; capital letters do not matter:

- a cut's name or another name of it, in full or its beginning (``guinea fowl``, ``bav``);
- a size: ``28mm``, ``2.8cm``, ``1.1in``, ``1 1/8"``;
- a mass: ``310g``, ``1.6kg``, ``11oz``, ``2lb``;
- a count: ``x6``, ``6x``, ``6×``, ``6 duck breasts``, ``for 12``;
- a doneness by name or abbreviation (``medium rare``, ``mr``), or a core: ``55c``, ``131f``, ``to 55``, or a number from 25 to 99 alone;
- a start: ``from 4``, ``from 40f``;
- a time of day: ``19:40``, ``7.40pm``; a way by name: ``bath``, ``low oven``, a bath's own
  temperature: ``bath 63``; guests: ``susceptible``.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from datetime import time
from typing import Any

from ember_core.book.book import Book, shipped
from ember_core.data.loader import read_toml
from ember_core.wording.quantities import INCH_MM, OUNCE_G, POUND_G, celsius

LEAST_CORE = 25.0  # °C; a number alone below it is no core
NUMBER = r"(\d+(?:[.,]\d+)?)"


@dataclass
class Reading:
    """What quick entry understood: sentence parts by name, a time of day, and the words left over."""

    parts: dict[str, Any] = field(default_factory=dict)
    serve: time | None = None
    unknown: list[str] = field(default_factory=list)
    entered: dict[str, str] = field(default_factory=dict)


def _value(text: str) -> float:
    return float(text.replace(",", "."))


def in_celsius(value: float, unit: str) -> float:
    """°C from a number with its unit, ``c`` or ``f``."""
    return round(celsius(value), 2) if unit == "f" else value


class _Text:
    """The entry, from which matched pieces are taken out."""

    def __init__(self, text: str) -> None:
        self.rest = f" {text.lower().strip()} "

    def take(self, pattern: str) -> re.Match[str] | None:
        """The first match of a pattern, as a word of its own; it is taken out."""
        match = re.search(rf"(?<![\w.]){pattern}(?![\w])", self.rest)
        if match:
            self.rest = f"{self.rest[: match.start()]} {self.rest[match.end() :]}"
        return match


def parse(text: str, book: Book | None = None) -> Reading:
    """Read a quick entry by the names of a ``book`` (default the shipped one); nothing is guessed silently: what is not understood is in ``unknown``."""
    out = Reading()
    left = _Text(text[:300].replace("×", "x").replace("″", '"').replace("°", ""))
    _times(left, out)
    _counts(left, out)
    _sizes(left, out)
    _temperatures(left, out)
    _names(left, out, book or shipped())
    _alone(left, out)
    out.unknown = [
        w
        for w in re.split(r"[\s,;]+", left.rest)
        if w and w not in {"a", "an", "one", "the", "by", "at", "to", "in", "and", "on"}
    ]
    return out


def _times(left: _Text, out: Reading) -> None:
    match = left.take(r"(\d{1,2})[:.h](\d{2}) ?(am|pm)?")
    if match is None:
        match = left.take(r"(\d{1,2})() ?(am|pm)")
    if match:
        hour, minute = int(match[1]), int(match[2] or 0)
        if match[3]:
            hour = hour % 12 + (12 if match[3] == "pm" else 0)
        if hour < 24 and minute < 60:
            out.serve = time(hour, minute)
        else:
            out.unknown.append(match[0].strip())


def _sizes(left: _Text, out: Reading) -> None:
    if match := left.take(r"(\d+) (\d+)/(\d+) ?(?:inch|in|\")"):
        if int(match[3]):
            out.parts["size_mm"] = round((int(match[1]) + int(match[2]) / int(match[3])) * INCH_MM, 2)
    elif match := left.take(rf"{NUMBER} ?(mm|cm|inches|inch|in|\")"):
        factor = {"mm": 1.0, "cm": 10.0}.get(match[2], INCH_MM)
        out.parts["size_mm"] = round(_value(match[1]) * factor, 2)
    if "size_mm" in out.parts and match:
        out.entered["size"] = match[0].strip()
    if match := left.take(rf"{NUMBER} ?(kg|g|oz|lbs|lb)"):
        factor = {"kg": 1000.0, "g": 1.0, "oz": OUNCE_G}.get(match[2], POUND_G)
        out.parts["mass_g"] = round(_value(match[1]) * factor, 1)
        out.entered["mass"] = match[0].strip()


def _counts(left: _Text, out: Reading) -> None:
    match = left.take(r"x ?(\d{1,4})") or left.take(r"(\d{1,4}) ?x") or left.take(r"for (\d{1,4})")
    if match is None:  # a number before the name of a cut, which begins the entry
        match = re.match(r" (\d{1,4}) (?=[a-z]{3,})(?!inch|degrees)", left.rest)
        if match:
            left.rest = " " + left.rest[match.end() :]
    if match and int(match[1]):
        out.parts["count"] = int(match[1])


def _alone(left: _Text, out: Reading) -> None:
    """A number of two digits that stands alone is the core that is wanted: no size and no mass is written without a unit."""
    if "target_c" not in out.parts and (match := left.take(r"([2-9]\d(?:[.,]\d)?)")) and _value(match[1]) >= LEAST_CORE:
        out.parts["target_c"] = _value(match[1])
        out.entered["target"] = match[0].strip()


def _temperatures(left: _Text, out: Reading) -> None:
    if match := left.take(rf"from ({NUMBER[1:-1]}) ?(c|f)?"):
        out.parts["start_c"] = in_celsius(_value(match[1]), match[2] or "c")
        out.entered["start"] = match[0].strip()
    if match := left.take(rf"(?:to )?{NUMBER} ?(c|f)") or left.take(rf"to {NUMBER}()"):
        out.parts["target_c"] = in_celsius(_value(match[1]), match[2] or "c")
        out.entered["target"] = match[0].strip()


def _names(left: _Text, out: Reading, book: Book) -> None:
    if match := left.take(rf"bath (?:at )?{NUMBER}"):  # the water's temperature is the core's in the end
        out.parts |= {"way": "bath", "target_c": _value(match[1])}
        out.entered["target"] = match[1]
    if left.take(r"(?:highly )?susceptible(?: guests)?"):
        out.parts["guests"] = "susceptible"
    names = {c["name"].lower(): i for i, c in book.cuts.items()}
    names |= {a.lower(): i for i, c in book.cuts.items() for a in c.get("aliases", ())}
    for name in sorted(names, key=len, reverse=True):
        if left.take(rf"{re.escape(name)}(?:e?s)?"):
            out.parts["cut"] = names[name]
            break
    else:
        for match in re.finditer(r"[a-z]{3,}", left.rest):
            found = {i for n, i in names.items() if n.startswith(match[0])}
            if len(found) == 1:
                out.parts["cut"] = found.pop()
                left.rest = left.rest.replace(match[0], " ", 1)
                break
    options = [(way["name"].lower(), w) for w, way in book.ways.items()] + [(w.replace("-", " "), w) for w in book.ways]
    options += [(name.lower(), w) for w, way in book.ways.items() for name in way.get("aliases", ())]
    for name, way in sorted(options, key=lambda o: -len(o[0])):
        if "way" not in out.parts and left.take(re.escape(name)):
            out.parts["way"] = way
    if "cut" in out.parts and "target_c" not in out.parts:
        _doneness(left, out, book.doneness_names(book.cuts[out.parts["cut"]]["food"]))


def _doneness(left: _Text, out: Reading, names: tuple[tuple[str, float], ...]) -> None:
    known = dict(names)
    for name in sorted(known, key=len, reverse=True):
        if left.take(re.escape(name)):
            out.parts["target_c"] = known[name]
            return
    for short, name in read_toml("doneness.toml")["abbreviations"].items():
        if name in known and left.take(re.escape(short)):
            out.parts["target_c"] = known[name]
            return
