"""Rules of thumb: a stated time, and the conditions under which it is true.

*63.3 °C, 35 min* · *4 min a side to medium* · *20 min per kg plus 20*: such a sentence leaves out
thickness, start or heat. Here it is read, what is missing is named, and the sizes are found for
which it gives what it promises, at several starts and heats; with the rule's verdict at each end.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ember_core.book.book import shipped
from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.errors import FormatError, InputError
from ember_core.formats.plan import FORMAT, parse
from ember_core.heat.cook import run
from ember_core.heat.ensemble.forecast import MEMBER_CELLS
from ember_core.heat.geometry.bird import bird_mass
from ember_core.heat.setup import setup
from ember_core.safety.rules import profiles
from ember_core.safety.statement import state_rule
from ember_core.wording.message import Message, either, say
from ember_core.wording.quantities import celsius

LENGTH = 1.5  # of a roast by its diameter, where nothing else is said

DENSITY = 1060.0  # kg/m³, lean meat by Choi & Okos 1986, to turn a mass into a size

SIZES_MM = (8.0, 160.0)

DEFAULT_MEDIUM_C = {"pan": 200.0, "oven": 180.0, "grill": 200.0, "fry": 170.0}

HOTTEST_C: float = read_toml("quick_entry.toml")["usual"]["hottest_oven_c"]

MASSES_G: dict[str, float] = read_toml("quick_entry.toml")["masses"]

BIRD_SIZES_MM = (30.0, 110.0)  # of breasts: 0.6 to 10 kg

REACHED_C = 0.5  # "reaches the bath" means within this of it

_NUMBER = r"(\d+(?:[.,]\d+)?)"


@dataclass(frozen=True)
class Stated:
    """A rule of thumb as read.

    ``minutes`` is per side when ``a_side``; with ``per_kg`` the time is ``per_kg`` × kg + ``minutes``.
    """

    text: str
    kind: str
    minutes: float
    medium_c: float | None = None
    a_side: bool = False
    per_kg: float | None = None
    doneness: str | None = None

    @property
    def missing(self) -> tuple[str, ...]:
        """What the sentence leaves out and the answer depends on."""
        out = ["size" if self.per_kg is None else "shape", "start temperature"]
        if self.medium_c is None:
            out.append("heat")
        return tuple(out)


def _number(text: str) -> float:
    return float(text.replace(",", "."))


def read(text: str) -> Stated:
    """Read a rule of thumb.

    Raises
    ------
    FormatError
        When there is no time in it, or more than one; says how to write it.
    """
    low = text.strip().lower()[:200]
    by_mass = re.search(
        _NUMBER
        + rf"\s*(min\w*|h|hrs?|hours?)?\s*(?:per|a|an|each|every|/)\s*(?:({_NUMBER[1:-1]})\s*)?({'|'.join(sorted(MASSES_G, key=len, reverse=True))})\b",
        low,
    )
    per_kg = None
    if by_mass:
        unit_min = 60.0 if (by_mass[2] or "m").startswith("h") else 1.0
        per_kg = 1000.0 * unit_min * _number(by_mass[1]) / (_number(by_mass[3] or "1") * MASSES_G[by_mass[4]])
    plus = re.search(r"(?:plus|\+|and)\s*" + _NUMBER, low)
    degrees = re.search(_NUMBER + r"\s*(?:°|degrees?)?\s*([cf])\b", low) or re.search(
        r"\b(?:at|@)\s*" + _NUMBER + r"()\s*(?:°|degrees?)?(?![\w.]|\s*(?:min|hours?\b|h\b|mm|cm|g\b|kg|lb|%|°))", low
    )
    medium = None
    if degrees:
        medium = _number(degrees[1])
        medium = celsius(medium) if degrees[2] == "f" or medium > HOTTEST_C else medium
    done = re.search(r"\bto ([a-z ]+)$", low)
    kind = next((k for k in ("bath", "pan", "oven", "grill", "fry", "boil", "simmer", "steam") if k in low), "")
    if per_kg:
        return Stated(
            text,
            kind or "oven",
            _number(plus[1]) if plus else 0.0,
            medium,
            False,
            per_kg,
            done[1] if done else None,
        )
    times = re.findall(_NUMBER + r"\s*(min|h\b|hour)", low)
    if len(times) != 1:
        raise FormatError(
            say(
                "{value!r} states {many} times; write one, such as '4 min a side to medium', '63.3 °C, 35 min' or '20 min "
                "per kg plus 20'.",
                value=text[:60],
                many=len(times),
            ),
            path="/text",
        )
    minutes = _number(times[0][0]) * (1.0 if times[0][1] == "min" else 60.0)
    a_side = "side" in low
    guess = "pan" if a_side else "bath" if medium is not None and medium <= 95 else "oven"
    return Stated(text, kind or guess, minutes, medium, a_side, None, done[1] if done else None)


@dataclass(frozen=True)
class Region:
    """Where a rule of thumb is true.

    Attributes
    ----------
    sizes_mm : tuple of (low, high)
        Thicknesses (or diameters) for which it gives what it promises; empty when none does.
    start_c, medium_c : float
        For which start and heat.
    thinner_c, thicker_c : float or None
        Peak core 20 % below and above the first interval.
    rule : tuple of (bool or None)
        Whether the rule is met at the thin and at the thick end.
    """

    sizes_mm: tuple[tuple[float, float], ...]
    start_c: float
    medium_c: float
    thinner_c: float | None
    thicker_c: float | None
    rule: tuple[bool | None, ...]


@dataclass(frozen=True)
class Answer:
    """All that is known about a rule of thumb for one food."""

    stated: Stated
    low_c: float
    high_c: float
    regions: tuple[Region, ...]  # the first is for the usual start and heat
    missing: tuple[str, ...]
    words: Message


def promised(stated: Stated, food: str) -> tuple[float, float]:
    """The band of peak cores a rule of thumb promises, °C.

    A doneness name reaches up to the next name; a bath promises to be reached within 0.5 °C;
    otherwise the usual doneness is taken, a bird's or the middle of the names, ± 2 °C.
    """
    names = shipped().doneness_names(food)
    if stated.doneness is not None:
        for i, (name, c) in enumerate(names):
            if name == stated.doneness.strip():
                above = names[i + 1][1] - 0.6 if i + 1 < len(names) else c + 12.0
                return c - 0.6, above
        raise InputError(
            say("{doneness!r} is no doneness of this food; choose one of {choices}.", doneness=stated.doneness, choices=', '.join((n for n, _ in names))),
            path="/doneness", code="choice",
        )  # fmt: skip
    if stated.kind in {"bath", "simmer"} and stated.medium_c is not None:
        return stated.medium_c - REACHED_C, stated.medium_c + 5.0
    whole = [float(c["doneness_c"]) for c in shipped().cuts.values() if c["food"] == food and c.get("kind") == "bird"]
    usual = whole[0] if whole else names[len(names) // 2][1]
    return usual - 2.0, usual + 2.0


def is_bird(food: str) -> bool:
    """Whether a food is a whole bird, of which a time by mass is said."""
    return food in {c["food"] for c in shipped().cuts.values() if c.get("kind") == "bird"}


def mass_kg(stated: Stated, food: str, size_mm: float, length: float = LENGTH) -> float | None:
    """The mass, kg, that goes with a size of a piece whose time goes by its mass; None of another."""
    if stated.per_kg is None:
        return None
    return bird_mass(size_mm) / 1000.0 if is_bird(food) else float(DENSITY * np.pi / 4 * (size_mm / 1000) ** 3 * length)


def _document(
    stated: Stated, food: str, size_mm: float, start_c: float, medium_c: float, length: float, altitude_m: float
) -> dict[str, Any]:
    """The plan a size stands for: heat as stated, and a rest of ten minutes."""
    row = food_row(food)
    assert row is not None
    heat: dict[str, Any] = {"kind": stated.kind, "medium_c": round(medium_c, 2)}
    if stated.per_kg is not None and is_bird(food):
        kilograms = mass_kg(stated, food, size_mm) or 0.0
        stages = [heat | {"minutes": stated.per_kg * kilograms + stated.minutes}]
        shape = {"kind": "bird", "mass_g": round(1000.0 * kilograms, 1)}
    elif stated.per_kg is not None:
        kilograms = mass_kg(stated, food, size_mm, length) or 0.0
        stages = [heat | {"minutes": stated.per_kg * kilograms + stated.minutes}]
        shape = {"kind": "cylinder", "diameter_mm": size_mm, "length_mm": size_mm * length}
    else:
        shape = {"kind": "slab", "thickness_mm": size_mm}
        if stated.a_side:
            face = {"medium_c": round(medium_c, 2)}
            stages = [{"kind": stated.kind, "minutes": stated.minutes, "faces": {side: face}} for side in ("a", "b")]
        else:
            stages = [heat | {"minutes": stated.minutes}]
    return {
        "format": FORMAT,
        "piece": {"food": food, "form": row["form"], "shape": shape, "start_c": start_c},
        **({"target": {"core_c": round(0.5 * sum(promised(stated, food)), 1)}} if shape["kind"] == "bird" else {}),
        "stages": [*stages, {"kind": "rest", "minutes": 10}],
        "kitchen": {"altitude_m": altitude_m},
    }


def solve(
    text: str | Stated,
    food: str,
    *,
    rules: str = "us-food-code-2022",
    starts_c: Sequence[float] = (4.0, 12.0, 20.0),
    medium_c: float | None = None,
    length: float = LENGTH,
    altitude_m: float = 0.0,
    points: int = 25,
) -> Answer:
    """Find where a rule of thumb is true.

    Parameters
    ----------
    text : str or Stated
    food : str
        Row of the food table.
    rules : str
        Rule profile for the verdict at each end.
    starts_c : sequence of float
        Start temperatures; the first is the usual one.
    medium_c : float, optional
        The heat when the sentence does not state it; default a usual one of the kind, which is then
        varied by ±20 °C as well.
    length : float
        Length over diameter of a piece stated by mass.
    points : int
        Sizes looked at before the ends are refined.

    Raises
    ------
    InputError
        Unknown food, doneness or rules.
    """
    stated = read(text) if isinstance(text, str) else text
    if food_row(food) is None:
        raise InputError(say("Unknown food {food!r}; see the food table.", food=food), path="/food", code="choice")
    if rules not in profiles():
        raise InputError(
            say("Unknown rules {rules!r}; choose one of {choices}.", rules=rules, choices=", ".join(profiles())),
            path="/rules",
            code="choice",
        )
    low, high = promised(stated, food)
    given = stated.medium_c if stated.medium_c is not None else medium_c
    heat = given if given is not None else DEFAULT_MEDIUM_C.get(stated.kind, 100.0)
    cases = [(start, heat) for start in starts_c]
    if given is None:
        cases += [(starts_c[0], heat - 20.0), (starts_c[0], heat + 20.0)]
    regions = tuple(
        _region(stated, food, start, medium, low, high, rules, length, altitude_m, points) for start, medium in cases
    )
    return Answer(stated, low, high, regions, stated.missing, _words(stated, food, regions[0], low, high, length))


def _region(
    stated: Stated, food: str, start: float, medium: float, low: float, high: float, rules: str, length: float,
    altitude_m: float, points: int,
) -> Region:  # fmt: skip
    def cooked(size: float) -> Any:
        plan = parse(_document(stated, food, size, start, medium, length, altitude_m))
        return plan, run(plan, setup(plan, cells=MEMBER_CELLS, refine=0.5), tol=0.05)

    def peak(size: float) -> float:
        return float(cooked(size)[1].peak_core_c)

    sizes = np.geomspace(*(BIRD_SIZES_MM if stated.per_kg is not None and is_bird(food) else SIZES_MM), points)
    peaks = np.array([peak(s) for s in sizes])
    good = (peaks >= low) & (peaks <= high)
    # between two sizes that are too hot and too cold the band has been stepped over
    over = (peaks[:-1] > high) & (peaks[1:] < low)
    found: list[tuple[float, float]] = []
    i = 0
    while i < points:
        if good[i]:
            j = i
            while j + 1 < points and good[j + 1]:
                j += 1
            left = float(sizes[0]) if i == 0 else _edge(peak, sizes[i - 1], sizes[i], peaks[i - 1], low, high)
            right = (
                float(sizes[-1]) if j == points - 1 else _edge(peak, sizes[j + 1], sizes[j], peaks[j + 1], low, high)
            )
            found.append((left, right))
            i = j + 1
        else:
            if i + 1 < points and over[i]:
                found.append((_cross(peak, sizes[i], sizes[i + 1], high), _cross(peak, sizes[i], sizes[i + 1], low)))
            i += 1
    verdicts: list[bool | None] = []
    for size in found[0] if found else ():
        plan, cook = cooked(size)
        rule, _ = state_rule(replace(plan, rules=rules), cook)
        verdicts.append(None if rule is None else rule["met"])
    beside = (peak(max(found[0][0] * 0.8, 2.0)), peak(found[0][1] * 1.2)) if found else (None, None)
    return Region(tuple(found), start, medium, beside[0], beside[1], tuple(verdicts))


def _edge(peak: Callable[[float], float], bad: float, good: float, at_bad: float, low: float, high: float) -> float:
    """The size between a bad and a good one at which the promise begins to hold."""
    return _cross(peak, bad, good, high if at_bad > high else low)


def _cross(peak: Callable[[float], float], a: float, b: float, level: float) -> float:
    above = peak(a) > level
    for _ in range(9):
        middle = 0.5 * (a + b)
        if (peak(middle) > level) == above:
            a = middle
        else:
            b = middle
    return 0.5 * (float(a) + float(b))


def _words(stated: Stated, food: str, region: Region, low: float, high: float, length: float) -> Message:
    """The answer in one sentence."""
    given = {"text": stated.text, "start_c": region.start_c, "medium_c": region.medium_c}
    if not region.sizes_mm:
        ends = BIRD_SIZES_MM if stated.per_kg is not None and is_bird(food) else SIZES_MM
        least, most = (_size_words(stated, food, mm, length) for mm in ends)
        return say(
            "“{text}” gives a core of {low_c:temp0} to {high_c:temp0} at no size from {least} to {most} from {start_c:temp} with {medium_c:temp0}.",
            low_c=low, high_c=high, least=least, most=most, **given,
        )  # fmt: skip
    ends_of = [[_size_words(stated, food, mm, length) for mm in span] for span in region.sizes_mm]
    spans = [say("{low} to {high}", low=a, high=b) for a, b in ends_of]
    return say("“{text}” holds for {spans} from {start_c:temp} with {medium_c:temp0}.", spans=either(spans), **given)


def _size_words(stated: Stated, food: str, size_mm: float, length: float) -> Message:
    """A size in words: its mass where the time goes by that."""
    mass = mass_kg(stated, food, size_mm, length)
    return (
        say("{size:length0}", size=size_mm)
        if mass is None
        else say("{mass:mass}", mass=round(1000.0 * mass, -1 if mass > 0.1 else 0))
    )
