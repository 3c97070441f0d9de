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
from collections.abc import Iterable
from datetime import time
from typing import Any

from ember_core.book.book import Book, shipped
from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.entry.entry_text import SAID, EntryText, Reading, Span, one_of
from ember_core.entry.naming import GEAR, read_names
from ember_core.wording.quantities import INCH_MM, OUNCE_G, POUND_G, celsius

LEAST_CORE = 25.0  # °C; a number alone below it is no core
HOTTEST_CORE_C = 100.0
MOST_LETTERS = 300
HANDLING = frozenset({"scored", "marinated", "rolled", "frozen", "pellet-fed"})
FISH_ONLY = frozenset({"frozen", "pellet-fed"})
BATH_MOST_C = 95.0
NUMBER = r"(\d+(?:[.,]\d+)?)"
DEGREES = r"(?:°|degrees?|deg)?"
FRACTION = r"(?:(\d+)[ -])?(\d+)/(\d+)"
VULGAR: dict[str, str] = SAID["fractions"]
WORDS: dict[str, int] = SAID["numbers"]
PAST_MIN: dict[str, int] = SAID["past"]
LENGTHS: dict[str, float] = SAID["lengths"]
MASSES: dict[str, float] = SAID["masses"]
HEATED = {word: name for name, row in GEAR.items() for word in row["words"]}
FRIDGE_C, FROZEN_C, ROOM_C = (SAID["starts"][k] for k in ("fridge", "frozen", "room"))
USUAL: dict[str, Any] = SAID["usual"]


IN_WORDS = one_of(WORDS)
LENGTH_UNIT, MASS_UNIT = f"({one_of(LENGTHS)})", f"({one_of(MASSES)})"
INCHES, POUNDS, OUNCES = (
    one_of(u for u, factor in units.items() if factor == of)
    for units, of in ((LENGTHS, INCH_MM), (MASSES, POUND_G), (MASSES, OUNCE_G))
)


def _value(text: str) -> float:
    return float(text.replace(",", "."))


def in_celsius(value: float, unit: str | None) -> float:
    """°C from a number with its unit, ``c`` or ``f``."""
    return round(celsius(value), 2) if unit == "f" else value


def parse(text: str, book: Book | None = None) -> Reading:
    """Read a quick entry by the names of a ``book`` (default the shipped one); nothing is guessed silently: what is not understood is in ``unknown``."""
    out, book = Reading(), book or shipped()
    text = text[:MOST_LETTERS].replace("×", "x").replace("″", '"').replace("–", "-").replace("−", "-")
    for sign, written in VULGAR.items():
        text = text.replace(sign, f" {written}")
    left = EntryText(text)
    _times(left, out)
    _sizes(left, out)
    _masses(left, out)
    _places(left, out)
    _heats(left, out)
    _temperatures(left, out)
    read_names(left, out, book)
    _hot(left, out, book)
    _done(left, out, book)
    _counts(left, out)
    _alone(left, out, book)
    if out.parts.pop("in_all", None) and "mass_g" in out.parts:
        out.parts["mass_g"] = round(out.parts["mass_g"] / out.parts.get("count", 1), 1)
    _unusual(left, out, book)
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


def _times(left: EntryText, out: Reading) -> None:
    if match := left.take(
        rf"({NUMBER[1:-1]})[ -]?(?:minutes|minute|mins|min)\b\.?|({NUMBER[1:-1]})[ -]?(?:(?:hours|hour|hrs|hr)\b|h(?!\d| [0-5]\d(?!\d)))",
        "minutes",
    ):
        out.parts["minutes"] = _value(match[1]) if match[1] else 60.0 * _value(match[2])
    hours = f"{IN_WORDS}|\\d{{1,2}}"
    if match := left.take(rf"({one_of(PAST_MIN)}) ({hours}) ?(am|pm)?", "serve"):
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


def _sizes(left: EntryText, out: Reading) -> None:
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


def _masses(left: EntryText, out: Reading) -> None:
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


def _places(left: EntryText, out: Reading) -> None:
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


def _heats(left: EntryText, out: Reading) -> None:
    """Gear with its temperature, in either order: of a bath the water's, which is the core's in the end.

    Only the number is taken; the gear's word is left for the names of ways (*cold pan 180*).
    """
    gear = "|".join(HEATED)
    after = rf"(?<![\w.])({gear})(?: (?:at|to))? {NUMBER} ?{DEGREES} ?(c|f)?(?![\w.,]?\w)"
    before = rf"(?<![\w.]){NUMBER} ?{DEGREES} ?(c|f)? ({gear})(?!\w)"
    heats: list[tuple[float, str, int, int, str | None, float]] = []
    if match := re.search(after, left.rest):
        least = GEAR[HEATED[match[1]]]["least_c"][0]
        heats.append((in_celsius(_value(match[2]), match[3]), match[1], match.start(2), match.end(), match[3], least))
    if match := re.search(before, left.rest):
        least = GEAR[HEATED[match[3]]]["least_c"][1]
        heats.append(
            (in_celsius(_value(match[1]), match[2]), match[3], match.start(1), match.start(3), match[2], least)
        )
    if not heats:
        return
    # of a number before and one behind it the first is a bath's, and the hotter one is that of an oven or a pan
    heat, name, begin, end, unit, least = heats[0] if heats[0][1] == "bath" else max(heats, key=lambda f: f[0])
    if name == "bath":
        if heat > BATH_MOST_C and unit is None:
            heat = in_celsius(heat, "f")  # no water is so hot: it was Fahrenheit
        out.parts |= {"gear": "bath", "target_c": heat}
        out.entered["target"] = left.raw[begin:end].strip()
        left.out(begin, end, "target")
    elif unit is None and name != "pan" and _needs_unit(left, heat):
        return  # 325 may be either
    elif heat >= least:
        if unit is None and heat > USUAL["hottest_oven_c"] and name != "pan":
            heat = in_celsius(heat, "f")  # no oven is so hot: it was Fahrenheit
        out.parts |= {"gear": HEATED[name], "heat_c": heat}
        out.entered["heat"] = left.raw[begin:end].strip()
        left.out(begin, end, "heat")


def _needs_unit(left: EntryText, heat: float) -> bool:
    """Whether a heat without a unit may be of either scale: where pounds, ounces, inches or °F are written beside it."""
    american = re.search(rf"\d ?(?:{INCHES}|{POUNDS}|{OUNCES}|{DEGREES} ?f)(?!\w)", left.raw.lower())
    return american is not None and USUAL["either_scale_c"][0] <= heat <= USUAL["either_scale_c"][1]


def _counts(left: EntryText, out: Reading) -> None:
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
        or _after_the_cut(left)
    )
    if match is None and (match := left.take(rf"(?<!-)(?:for )?({IN_WORDS})(?!-)", "count")):
        out.parts["count"] = WORDS[match[1]]
    elif match and int(match[1]):
        out.parts["count"] = int(match[1])


def _before_the_cut(left: EntryText) -> re.Match[str] | None:
    """A number right before the cut's name, or before what is done to eggs."""
    begins = {s.at for s in left.spans if s.part in {"cut", "eggs"}}
    for match in re.finditer(r"(?<![\w.,])(\d{1,4}) (?:large |small |whole |fresh )?", left.rest):
        if match.end() in begins:
            left.out(match.start(), match.end(1), "count")
            return match
    return None


def _after_the_cut(left: EntryText) -> re.Match[str] | None:
    """A small number right behind a cut's name that is a plural."""
    for span in left.spans:
        if span.part == "cut" and span.text.endswith("s"):
            match = re.compile(r" +(\d{1,2})(?![\w.,:/°\"'×-]| ?[a-z°])").match(left.rest, span.at + len(span.text))
            if match and 2 <= int(match[1]) < LEAST_CORE:
                left.out(match.start(1), match.end(1), "count")
                return match
    return None


def _in_oven(out: Reading, book: Book) -> bool:
    """Whether what is planned is cooked in an oven."""
    cut = book.cuts.get(out.parts.get("cut", ""))
    return cut is not None and "oven" in book.ways[str(out.parts.get("way", cut["way"]))].get("gear", ())


def _hot(left: EntryText, out: Reading, book: Book) -> None:
    """A temperature that no core has is an oven's, where there is one; else it is not understood."""
    hot = out.parts.pop("hot_c", None)
    if hot is None:
        return
    if _in_oven(out, book) and "heat_c" not in out.parts:
        out.parts["heat_c"] = hot
        out.entered["heat"] = out.entered.pop("hot")
        left.spans = [Span(s.at, s.text, "heat") if s.part == "hot" else s for s in left.spans]
    else:
        out.entered.pop("hot")
        out.unknown += left.give_back("hot")


def _unusual(left: EntryText, out: Reading, book: Book) -> None:
    """A size or a mass that the cut never has is not taken: another cut, a unit or a count was meant."""
    cut = book.cuts.get(out.parts.get("cut", ""))
    for name, part in (("size_mm", "size"), ("mass_g", "mass")):
        usual = None if cut is None else cut.get(name)
        told = [out.parts[name]] if name in out.parts else []
        told += out.parts.get("sizes_mm", ()) if part == "size" else ()
        if usual and any(not USUAL["down"] <= value / usual <= USUAL["up"] for value in told):
            out.parts.pop(name)
            out.entered.pop(part, None)
            out.unknown += left.give_back(part)
            if out.parts.pop("sizes_mm", None) if part == "size" else None:
                out.unknown += left.give_back("sizes")


def _alone(left: EntryText, out: Reading, book: Book) -> None:
    """A number of two digits that stands alone is the core that is wanted, one of three an oven's heat: no size and no mass is written
    without a unit."""
    if "heat_c" not in out.parts and _in_oven(out, book):
        held = left.rest
        match = left.take(r"(?:at )?(\d{3})", "heat")
        if (
            match
            and USUAL["oven_c"][0] <= float(match[1]) <= USUAL["oven_c"][1]
            and not _needs_unit(left, float(match[1]))
        ):
            out.parts["heat_c"] = float(match[1])
            out.entered["heat"] = match[1]
        elif match:
            left.rest = held
            left.spans = [s for s in left.spans if s.part != "heat"]
    if "target_c" not in out.parts and (match := left.take(r"([2-9]\d(?:[.,]\d)?)(?: ?(?:°|degrees?|deg))?", "target")):
        if _value(match[1]) >= LEAST_CORE:
            out.parts["target_c"] = _value(match[1])
            out.entered["target"] = match[0].strip()
        else:
            out.unknown.append(match[1])


def _temperatures(left: EntryText, out: Reading) -> None:
    signed = NUMBER[1:-1]
    if match := left.take(rf"from (-?{signed}) ?{DEGREES} ?(c|f)?", "start"):
        out.parts["start_c"] = in_celsius(_value(match[1]), match[2])
        out.entered["start"] = match[0].strip()
    if "target_c" in out.parts:
        return
    if match := left.take(rf"(?:to |core )?{NUMBER} ?(?:°|degrees?|deg)? ?(c|f)", "target") or left.take(
        rf"(?:to|core) {NUMBER}()(?: ?{DEGREES})", "target"
    ):
        _core(left, out, in_celsius(_value(match[1]), match[2]), match[0].strip())


def _core(left: EntryText, out: Reading, value: float, text: str) -> None:
    """A temperature that was read as the core's; hotter than any core it is put aside, and the next one is asked."""
    if value < HOTTEST_CORE_C:
        out.parts["target_c"] = value
        out.entered["target"] = text
        return
    out.parts["hot_c"], out.entered["hot"] = value, text
    left.spans[-1] = Span(left.spans[-1].at, left.spans[-1].text, "hot")
    if match := left.take(rf"(?:to |core )?{NUMBER} ?(?:°|degrees?|deg)? ?(c|f)", "target"):
        out.parts["target_c"] = in_celsius(_value(match[1]), match[2])
        out.entered["target"] = match[0].strip()


def _done(left: EntryText, out: Reading, book: Book) -> None:
    """What was done to the piece, in words: each that the cut's food can be is taken; one that it cannot stays unread."""
    cut = book.cuts.get(out.parts.get("cut", ""))
    row = food_row(cut["food"]) if cut is not None else None
    if row is None:
        return
    allowed = read_toml("forms.toml")["forms"][str(row["form"])]
    done: list[str] = []
    for name, words in SAID["done"].items():
        fits = name in allowed if name not in HANDLING else row["species"] != "plant"
        if name in FISH_ONLY:
            fits = row["species"] == "fish"
        if fits and left.take(one_of(words), "done"):
            done.append(name)
    if row["species"] == "fish" and row["id"] not in read_toml("forms.toml")["parasite_exempt"]["foods"]:
        left.take("wild|line-caught|line caught", "done")  # what its row says already
    if done:
        out.parts["done"] = tuple(sorted(done, key=lambda d: d in HANDLING))
