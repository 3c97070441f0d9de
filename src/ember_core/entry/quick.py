"""Quick entry: ``bavette 28mm mr 19:40`` read as a sentence, with what was and was not understood.

Grammar, in any order, separated by spaces or commas; capital letters do not matter:

- a cut's name or another name of it, in full or its beginning (``guinea fowl``, ``bav``); ``skin on``, ``skinless``;
- a size: ``28mm``, ``2.8cm``, ``1.1in``, ``1 1/8"``, ``¾ inch``; several of them: ``22-30mm``, ``22/26/30 mm``;
- a mass: ``310g``, ``1.6kg``, ``11oz``, ``1lb 4oz``, ``450-500g``, of all together: ``1.4kg in all``;
- a count: ``x6``, ``6×``, ``6 duck breasts``, ``six``, ``two dozen``, ``for 12``;
- a doneness by name or abbreviation (``medium rare``, ``mr``), or a core: ``55c``, ``131f``, ``to 55``, or a number from 25 to 99 alone;
- a start: ``from 4``, ``from 40f``, ``from frozen``, ``from the fridge``, ``room temperature``;
- a time of day: ``19:40``, ``7.40pm``, ``half past seven``; a way by name or gear: ``bath``, ``low oven``, with its heat:
  ``oven 180``, ``bath 63``; minutes instead of a target that is waited for: ``35 min``;
- rules by name (``uk``, ``appendix a``), guests: ``susceptible``; the altitude: ``at 1850 m``.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import time
from typing import Any

from ember_core.book.book import Book, Row, shipped, suits
from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.entry.nearest import Meaning, meanings
from ember_core.wording.quantities import INCH_MM, OUNCE_G, POUND_G, celsius

LEAST_CORE = 25.0  # °C; a number alone below it is no core
MOST_LETTERS = 300
HANDLING = frozenset({"scored", "marinated", "rolled", "frozen", "pellet-fed"})
FISH_ONLY = frozenset({"frozen", "pellet-fed"})
BATH_MOST_C = 95.0
NUMBER = r"(\d+(?:[.,]\d+)?)"
DEGREES = r"(?:°|degrees?|deg)?"
FRACTION = r"(?:(\d+)[ -])?(\d+)/(\d+)"
_SAID = read_toml("quick_entry.toml")
VULGAR: dict[str, str] = _SAID["fractions"]
WORDS: dict[str, int] = _SAID["numbers"]
PAST_MIN: dict[str, int] = _SAID["past"]
LENGTHS: dict[str, float] = _SAID["lengths"]
MASSES: dict[str, float] = _SAID["masses"]
GEAR: dict[str, Any] = _SAID["gear"]
HEATED = {word: name for name, row in GEAR.items() for word in row["words"]}
NO_NAMES, FILLERS = (frozenset(_SAID["words"][k]) for k in ("of_any_cut", "fillers"))
FRIDGE_C, FROZEN_C, ROOM_C = (_SAID["starts"][k] for k in ("fridge", "frozen", "room"))


def _one_of(words: Iterable[str]) -> str:
    """A pattern for one of several words, the longest first."""
    return "|".join(re.escape(w) for w in sorted(words, key=len, reverse=True))


IN_WORDS = _one_of(WORDS)
LENGTH_UNIT, MASS_UNIT = f"({_one_of(LENGTHS)})", f"({_one_of(MASSES)})"
INCHES, POUNDS, OUNCES = (
    _one_of(u for u, factor in units.items() if factor == of)
    for units, of in ((LENGTHS, INCH_MM), (MASSES, POUND_G), (MASSES, OUNCE_G))
)


@dataclass(frozen=True)
class Span:
    """A stretch of the entry, where it begins, and the part of the sentence it was read as; no part: not understood."""

    at: int
    text: str
    part: str = ""


@dataclass
class Reading:
    """What quick entry understood.

    Attributes
    ----------
    parts : dict
        Of the sentence by name, in SI.
    serve : time or None
    unknown : list of str
        Words left over.
    entered : dict
        The texts of quantities by part.
    spans : list of Span
        The entry in order, understood or not.
    """

    parts: dict[str, Any] = field(default_factory=dict)
    serve: time | None = None
    unknown: list[str] = field(default_factory=list)
    entered: dict[str, str] = field(default_factory=dict)
    spans: list[Span] = field(default_factory=list)

    @property
    def understood(self) -> list[dict[str, str]]:
        """The stretches that were understood, in order, with their part."""
        return [{"text": s.text, "part": s.part} for s in self.spans if s.part]

    def nearest(self, book: Book | None = None) -> list[tuple[str, tuple[Meaning, ...]]]:
        """What each word left over may mean, nearest first, as texts to put in its place."""
        return [(word, meanings(word, self.parts, book or shipped())) for word in self.unknown]


def _value(text: str) -> float:
    return float(text.replace(",", "."))


def in_celsius(value: float, unit: str | None) -> float:
    """°C from a number with its unit, ``c`` or ``f``."""
    return round(celsius(value), 2) if unit == "f" else value


class _Text:
    """The entry, from which matched stretches are taken out; what is left keeps its place."""

    def __init__(self, text: str) -> None:
        self.raw = f" {text.strip()} "
        self.rest = self.raw.lower()
        self.spans: list[Span] = []

    def take(self, pattern: str, part: str) -> re.Match[str] | None:
        """The first match of a pattern, as a word of its own; it is taken out and noted."""
        match = re.search(rf"(?<![\w.])(?:{pattern})(?![\w])", self.rest)
        if match:
            self.out(match.start(), match.end(), part)
        return match

    def out(self, begin: int, end: int, part: str) -> None:
        """Take a stretch out."""
        text = self.raw[begin:end]
        self.spans.append(Span(begin + len(text) - len(text.lstrip()), text.strip(), part))
        self.rest = self.rest[:begin] + "\0" * (end - begin) + self.rest[end:]

    def left(self) -> list[Span]:
        """Words that nobody took, without those that say nothing."""
        found = [(m.start(), m[0].strip(".,;:!")) for m in re.finditer(r"[^\s,;\0]+", self.rest)]
        return [Span(at, word) for at, word in found if word and word not in FILLERS and re.search(r"\w", word)]


def parse(text: str, book: Book | None = None) -> Reading:
    """Read a quick entry by the names of a ``book`` (default the shipped one); nothing is guessed silently: what is not understood is in ``unknown``."""
    out, book = Reading(), book or shipped()
    text = text[:MOST_LETTERS].replace("×", "x").replace("″", '"').replace("–", "-").replace("−", "-")
    for sign, written in VULGAR.items():
        text = text.replace(sign, f" {written}")
    left = _Text(text)
    _times(left, out)
    _sizes(left, out)
    _masses(left, out)
    _places(left, out)
    _heats(left, out)
    _temperatures(left, out)
    _names(left, out, book)
    _done(left, out, book)
    _counts(left, out)
    _alone(left, out)
    if out.parts.pop("in_all", None) and "mass_g" in out.parts:
        out.parts["mass_g"] = round(out.parts["mass_g"] / out.parts.get("count", 1), 1)
    unread = left.left()
    out.unknown += [s.text for s in unread]
    out.spans = _joined(sorted([*left.spans, *unread], key=lambda s: s.at), left.raw)
    return out


def _joined(spans: Iterable[Span], raw: str) -> list[Span]:
    """Neighbours that were read as one part as one stretch."""
    out: list[Span] = []
    for span in spans:
        last = out[-1] if out else None
        if last and span.part and last.part == span.part and not raw[last.at + len(last.text) : span.at].strip():
            out[-1] = Span(last.at, raw[last.at : span.at + len(span.text)].strip(), span.part)
        else:
            out.append(span)
    return out


def _times(left: _Text, out: Reading) -> None:
    if match := left.take(
        rf"({NUMBER[1:-1]}) ?(?:minutes|mins|min)\b\.?|({NUMBER[1:-1]}) ?(?:hours|hrs|hr|h)(?! ?\d)", "minutes"
    ):
        out.parts["minutes"] = _value(match[1]) if match[1] else 60.0 * _value(match[2])
    hours = f"{IN_WORDS}|\\d{{1,2}}"
    if match := left.take(rf"({_one_of(PAST_MIN)}) ({hours}) ?(am|pm)?", "serve"):
        hour = WORDS.get(match[2]) or int(match[2])
        on, minute = divmod(PAST_MIN[match[1]], 60)
        _o_clock(match[0], hour + on, minute, match[3] or ("pm" if hour < 12 else None), out)
        return
    if left.take("noon|midday", "serve"):
        out.serve = time(12)
        return
    match = left.take(r"(\d{1,2})[:.h](\d{2}) ?(am|pm)?(?! ?(?:mm|cm|in|kg|g|oz|lb|c|f|°|\"))", "serve")
    if match is None:
        match = left.take(rf"({hours})() ?(am|pm|o'clock)", "serve")
    if match:
        hour = WORDS.get(match[1]) or int(match[1])
        half = "pm" if match[3] == "o'clock" and hour < 12 else match[3]
        _o_clock(match[0], hour, int(match[2] or 0), half, out)


def _o_clock(text: str, hour: int, minute: int, half: str | None, out: Reading) -> None:
    if half in {"am", "pm"} and hour <= 12:
        hour = hour % 12 + (12 if half == "pm" else 0)
    if hour < 24 and minute < 60:
        out.serve = time(hour, minute)
    else:
        out.unknown.append(text.strip())


def _sizes(left: _Text, out: Reading) -> None:
    many = rf"{NUMBER[1:-1]}(?:(?: ?(?:-|/|to|and) ?|, ){NUMBER[1:-1]})+ ?{LENGTH_UNIT}"
    if match := left.take(rf"{FRACTION} ?(?:{INCHES})", "size"):
        if int(match[3]):
            out.parts["size_mm"] = round((int(match[1] or 0) + int(match[2]) / int(match[3])) * INCH_MM, 2)
    elif match := left.take(many, "sizes"):
        factor = LENGTHS[match[1]]
        sizes = tuple(round(_value(n) * factor, 2) for n in re.findall(NUMBER, match[0]))
        out.parts["size_mm"] = round(sum(sizes) / len(sizes), 2)
        out.parts["sizes_mm"] = sizes
        out.entered["between"] = "-" if re.search(r"\d ?(?:-|to) ?\d", match[0]) else "list"
    elif match := left.take(rf"{NUMBER} ?-?{LENGTH_UNIT}", "size"):
        out.parts["size_mm"] = round(_value(match[1]) * LENGTHS[match[2]], 2)
    if "size_mm" in out.parts and match:
        out.entered["size"] = match[0].strip()


def _masses(left: _Text, out: Reading) -> None:
    if match := left.take(rf"{NUMBER} ?(?:{POUNDS}) ?(?:and )?{NUMBER} ?(?:{OUNCES})", "mass"):
        out.parts["mass_g"] = round(_value(match[1]) * POUND_G + _value(match[2]) * OUNCE_G, 1)
    elif match := left.take(rf"{FRACTION} ?{MASS_UNIT}", "mass"):
        if int(match[3]):
            out.parts["mass_g"] = round((int(match[1] or 0) + int(match[2]) / int(match[3])) * MASSES[match[4]], 1)
    elif match := left.take(rf"{NUMBER} ?(?:-|to) ?{NUMBER} ?{MASS_UNIT}", "mass"):
        out.parts["mass_g"] = round(0.5 * (_value(match[1]) + _value(match[2])) * MASSES[match[3]], 1)
    elif match := left.take(rf"{NUMBER} ?{MASS_UNIT}", "mass"):
        out.parts["mass_g"] = round(_value(match[1]) * MASSES[match[2]], 1)
    if match:
        out.entered["mass"] = match[0].strip()
        if left.take("in all|in total|total|all together|altogether", "mass"):
            out.parts["in_all"] = True


def _places(left: _Text, out: Reading) -> None:
    if match := left.take(r"(?:at )?(\d{2,4}) ?(?:m|metres)(?: altitude| above sea| up)", "altitude") or left.take(
        r"at (\d{3,4}) ?(?:m|metres)", "altitude"
    ):
        out.parts["altitude_m"] = float(match[1])
    if left.take(
        r"(?:straight )?(?:from )?(?:the )?(?<!was )(?<!previously )(?:frozen|freezer)(?! for parasites)", "start"
    ):
        out.parts["start_c"] = FROZEN_C
    elif left.take(r"(?:straight )?from (?:the )?(?:fridge|refrigerator|cold room|cold)|fridge[- ]cold", "start"):
        out.parts["start_c"] = FRIDGE_C
    elif left.take(r"(?:from |at )?(?:room temperature|room temp)", "start"):
        out.parts["start_c"] = ROOM_C
    if left.take(r"(?:highly )?susceptible(?: guests)?", "guests"):
        out.parts["guests"] = "susceptible"


def _heats(left: _Text, out: Reading) -> None:
    """Gear with its temperature, in either order: of a bath the water's, which is the core's in the end.

    Only the number is taken; the gear's word is left for the names of ways (*cold pan 180*).
    """
    gear = "|".join(HEATED)
    after = rf"(?<![\w.])({gear})(?: (?:at|to))? {NUMBER} ?{DEGREES} ?(c|f)?(?![\w.,]?\w)"
    before = rf"(?<![\w.]){NUMBER} ?{DEGREES} ?(c|f)? ({gear})(?!\w)"
    if match := re.search(after, left.rest):
        name, begin, end, unit = match[1], match.start(2), match.end(), match[3]
        number, least = _value(match[2]), GEAR[HEATED[name]]["least_c"][0]
    elif match := re.search(before, left.rest):
        name, begin, end, unit = match[3], match.start(1), match.start(3), match[2]
        number, least = _value(match[1]), GEAR[HEATED[name]]["least_c"][1]
    else:
        return
    heat = in_celsius(number, unit)
    if name == "bath":
        if heat > BATH_MOST_C and unit is None:
            heat = in_celsius(heat, "f")  # no water is so hot: it was Fahrenheit
        out.parts |= {"gear": "bath", "target_c": heat}
        out.entered["target"] = left.raw[begin:end].strip()
        left.out(begin, end, "target")
    elif heat >= least:
        out.parts |= {"gear": HEATED[name], "heat_c": heat}
        out.entered["heat"] = left.raw[begin:end].strip()
        left.out(begin, end, "heat")


def _counts(left: _Text, out: Reading) -> None:
    dozen = left.take(rf"(?:(half) a|a|({IN_WORDS}|\d{{1,2}}))? ?dozen", "count")
    if dozen:
        times = WORDS.get(dozen[2] or "") or int(dozen[2] or 1)
        out.parts["count"] = 6 if dozen[1] else 12 * times
        return
    match = (
        left.take(r"x ?(\d{1,4})", "count")
        or left.take(r"(\d{1,4}) ?x", "count")
        or left.take(r"for (\d{1,4})(?! ?:)", "count")
        or left.take(r"(\d{1,4}) (?:pieces|portions|of)", "count")
        or _before_the_cut(left)
    )
    if match is None and (match := left.take(rf"(?<!-)(?:for )?({IN_WORDS})(?!-)", "count")):
        out.parts["count"] = WORDS[match[1]]
    elif match and int(match[1]):
        out.parts["count"] = int(match[1])


def _before_the_cut(left: _Text) -> re.Match[str] | None:
    """A number right before the cut's name."""
    begins = {s.at for s in left.spans if s.part == "cut"}
    for match in re.finditer(r"(?<![\w.,])(\d{1,4}) (?:large |small |whole |fresh )?", left.rest):
        if match.end() in begins:
            left.out(match.start(), match.end(1), "count")
            return match
    return None


def _alone(left: _Text, out: Reading) -> None:
    """A number of two digits that stands alone is the core that is wanted: no size and no mass is written without a unit."""
    if "target_c" not in out.parts and (match := left.take(r"([2-9]\d(?:[.,]\d)?)", "target")):
        if _value(match[1]) >= LEAST_CORE:
            out.parts["target_c"] = _value(match[1])
            out.entered["target"] = match[0].strip()
        else:
            out.unknown.append(match[1])


def _temperatures(left: _Text, out: Reading) -> None:
    signed = NUMBER[1:-1]
    if match := left.take(rf"from (-?{signed}) ?{DEGREES} ?(c|f)?", "start"):
        out.parts["start_c"] = in_celsius(_value(match[1]), match[2])
        out.entered["start"] = match[0].strip()
    if "target_c" in out.parts:
        return
    if match := left.take(rf"(?:to |core )?{NUMBER} ?(?:°|degrees?|deg)? ?(c|f)", "target") or left.take(
        rf"(?:to|core) {NUMBER}()(?: ?{DEGREES})", "target"
    ):
        out.parts["target_c"] = in_celsius(_value(match[1]), match[2])
        out.entered["target"] = match[0].strip()


def _names(left: _Text, out: Reading, book: Book) -> None:
    _cut(left, out, book)
    cut = book.cuts.get(out.parts.get("cut", ""))
    _ways(left, out, book, cut)
    _skin(left, out)
    _rules(left, out, book.rules.values())
    if cut is not None and "target_c" not in out.parts:
        _doneness(left, out, book.doneness_names(cut["food"], cut["id"]))
    if cut is not None and "way" not in out.parts:
        _chosen_way(out, book, cut)
    out.parts.pop("gear", None)
    out.parts.pop("skin", None)


def _one(word: str) -> str:
    """A word without the ending of its plural."""
    return re.sub(r"(?<=[sxo])es$|(?<!s)s$", "", word) if len(word) > 3 else word


def _cut(left: _Text, out: Reading, book: Book) -> None:
    """The cut of which most words stand in the entry; of several the one whose name stands there in full, else a beginning of a name."""
    said = [(m.start(), m.end(), _one(m[0])) for m in re.finditer(r"[a-z]{3,}", left.rest)]
    heard = {w for _, _, w in said}
    best: list[tuple[int, int, str, set[str]]] = []
    for name, cut in book.cuts.items():
        names = (cut["name"].split(",")[0], *cut.get("aliases", ()), name.replace("-", " "))
        words = {_one(w) for n in names for w in re.findall(r"[a-z]{3,}", n.lower())} - NO_NAMES
        if found := words & heard:
            full = max(
                (len(n) for n in names if {_one(w) for w in re.findall(r"[a-z]+", n.lower())} <= heard), default=0
            )
            best.append((len(found), full, name, found))
    best.sort(key=lambda b: b[:2], reverse=True)
    if best and (len(best) == 1 or best[0][:2] > best[1][:2]):
        out.parts["cut"] = best[0][2]
        taken: set[str] = set()
        cut = book.cuts[best[0][2]]
        own = {_one(w) for n in (cut["name"], cut["id"]) for w in re.findall(r"[a-z]{3,}", n.lower())}
        for begin, end, word in said:
            if word in (best[0][3] | own) - taken:
                left.out(begin, end, "cut")
                taken.add(word)
        return
    for begin, end, word in said:
        starts = {
            i for i, c in book.cuts.items() for n in (c["name"], *c.get("aliases", ())) if n.lower().startswith(word)
        }
        if len(starts) == 1:
            out.parts["cut"] = starts.pop()
            left.out(begin, end, "cut")
            return


def _done(left: _Text, out: Reading, book: Book) -> None:
    """What was done to the piece, in words: each that the cut's food can be is taken; one that it cannot stays unread."""
    cut = book.cuts.get(out.parts.get("cut", ""))
    row = food_row(cut["food"]) if cut is not None else None
    if row is None:
        return
    allowed = read_toml("forms.toml")["forms"][str(row["form"])]
    done: list[str] = []
    for name, words in _SAID["done"].items():
        fits = name in allowed if name not in HANDLING else row["species"] != "plant"
        if name in FISH_ONLY:
            fits = row["species"] == "fish"
        if fits and left.take(_one_of(words), "done"):
            done.append(name)
    if row["species"] == "fish" and row["id"] not in read_toml("forms.toml")["parasite_exempt"]["foods"]:
        left.take("wild|line-caught|line caught", "done")  # what its row says already
    if done:
        out.parts["done"] = tuple(sorted(done, key=lambda d: d in HANDLING))


def _skin(left: _Text, out: Reading) -> None:
    if left.take(r"skinless|skin[- ]off|without (?:the )?skin|no skin", "skin"):
        out.parts["skin"] = False
    elif left.take(r"skin[- ]?on|with (?:the )?skin|skin", "skin"):
        out.parts["skin"] = True


def _ways(left: _Text, out: Reading, book: Book, cut: Row | None) -> None:
    """A way by a name of it; of several with the same name the one that suits the cut."""
    named: dict[str, list[Row]] = {}
    for way in book.ways.values():
        for name in {way["name"].lower(), way["id"].replace("-", " "), *(a.lower() for a in way.get("aliases", ()))}:
            named.setdefault(name, []).append(way)
    for name in sorted(named, key=lambda n: -len(n)):
        if "way" in out.parts and "gear" not in out.parts:
            return
        if left.take(re.escape(name), "way"):
            fits = [w for w in named[name] if cut is None or suits(w, cut)]
            out.parts["way"] = (
                fits or [w for w in named[name] if cut is None or cut["shape"] in w["shapes"]] or named[name]
            )[0]["id"]
            out.parts.pop("gear", None)


def _chosen_way(out: Reading, book: Book, cut: Row) -> None:
    """A way that nobody named but that what was said asks for: by gear, by skin, from frozen."""
    gear, skin, size = out.parts.get("gear"), out.parts.get("skin"), out.parts.get("size_mm")
    fits = book.ways_for(cut, size)
    if gear:
        known = {w["id"] for w in book.ways.values() if cut["shape"] in w["shapes"] and (w.get("skin") or not skin)}
        others = [w["id"] for w in fits if gear in w.get("gear", ())]
        chosen = [w for w in (GEAR[gear]["usual"], *others) if w in known]
        out.parts |= {"way": chosen[0]} if chosen else {}
    elif out.parts.get("start_c") == FROZEN_C and any(w["id"] == "from-frozen" for w in fits):
        out.parts["way"] = "from-frozen"
    elif skin:
        usual = book.ways[cut["way"]]
        kept = [w for w in fits if w.get("skin") and set(w["gear"]) >= {"bath"} & set(usual.get("gear", ()))]
        if kept and not usual.get("skin"):
            out.parts["way"] = kept[-1 if "bath" in usual.get("gear", ()) else 0]["id"]


def _rules(left: _Text, out: Reading, rules: Iterable[Mapping[str, Any]]) -> None:
    named = {n: r["id"] for r in rules for n in (r["id"].replace("-", " "), *r.get("aliases", ()))}
    for name in sorted(named, key=lambda n: -len(n)):
        if left.take(re.escape(name), "rules"):
            out.parts["rules"] = named[name]
            return


def _doneness(left: _Text, out: Reading, names: tuple[tuple[str, float], ...]) -> None:
    known = dict(names)
    for name in sorted(known, key=len, reverse=True):
        if left.take(rf"(?:to )?{re.escape(name).replace(chr(92) + ' ', '[ -]')}", "target"):
            out.parts["target_c"] = known[name]
            return
    for short, name in read_toml("doneness.toml")["abbreviations"].items():
        if name in known and left.take(re.escape(short), "target"):
            out.parts["target_c"] = known[name]
            return
