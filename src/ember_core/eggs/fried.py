"""Eggs that lie open on heat: fried (open, under a lid, basted, turned) and baked in a dish.

An opened egg is three columns beside each other, each of its own thickness: the thin rim of the white, the thick white round the yolk, and
the yolk on its film of white. Each is conducted through from its two faces; what each lies on is its share of the pan. Set is kinetics,
as in the shell.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from math import pi
from typing import Any

import numpy as np
from scipy.optimize import brentq

from ember_core.data.loader import read_toml
from ember_core.eggs.question import YOLK_WORDS
from ember_core.eggs.stirred import Pan
from ember_core.errors import ValueRangeError
from ember_core.formats.plan import FORMAT, parse
from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook, run
from ember_core.heat.egg_states import UNSET, white_word, yolk_word
from ember_core.heat.egg_time import goal_of
from ember_core.heat.physics.setting import doses, white_rate, yolk_rate
from ember_core.heat.physics.stores import kinds
from ember_core.heat.setup import setup
from ember_core.plan.plan import Plan
from ember_core.wording.message import N_, say

OPEN, LIDDED, BASTED, TURNED, BAKED = "open", "lidded", "basted", "turned", "baked"
SCHOOLS = {
    OPEN: N_("open, upper side up"),
    LIDDED: N_("under a lid"),
    BASTED: N_("basted with its fat"),
    TURNED: N_("turned over"),
}
THIN, THICK, YOLK = "thin", "thick", "yolk"
LONGEST_S = 480.0  # in a pan: after that it is dry
LONGEST_BAKED_S = 3600.0
PLATE_S = 60.0  # from the pan to the plate and opened
TURN_SET = 0.9  # of the thick white, before it can be turned
BASTE_BELOW_K = 20.0  # so far below the pan is the fat on the spoon
ROOM = 0.9  # share of a pan that eggs can take


MEDIUM = Pan(begin_c=140.0, power_w=900.0)  # a pan on medium heat


@dataclass(frozen=True)
class Fry:
    """*Two hen's eggs of 57 g from 4 °C in a pan of 240 mm, under a lid, runny.*

    ``mass_g`` in the shell, g; ``start_c`` °C; ``pan.begin_c`` what the pan is kept at, °C; altitude in m.
    """

    eggs: int = 2
    mass_g: float = 57.0
    start_c: float = 4.0
    school: str = OPEN
    yolk: str = "runny"
    pan: Pan = MEDIUM
    altitude_m: float = 0.0
    rules: str = "us-food-code-2022"


@dataclass(frozen=True)
class Dish:
    """*One egg in a dish 85 mm across at 180 °C*: eggs a dish, mm, °C; ``water``: its bottom in hot water, else on the shelf."""

    eggs: int = 1
    mass_g: float = 57.0
    start_c: float = 4.0
    yolk: str = "runny"
    across_mm: float = 85.0
    oven_c: float = 180.0
    fan: bool = False
    water: bool = True
    altitude_m: float = 0.0
    rules: str = "us-food-code-2022"


@dataclass(frozen=True)
class Column:
    """One of the columns: mm thick, how many mm² of it an egg has, its food, and how many mm of white it begins with from below."""

    thick_mm: float
    area_mm2: float
    food: str
    white_mm: float


@dataclass(frozen=True, eq=False)
class Painted:
    """A column as it is eaten: which, how far out it reaches and how high it is, mm; of its cells how high they lie (mm from below), how
    far the yolk has thickened and become crumbly and the white's two proteins have set, 0 to 1; up to ``white_mm`` it is white."""

    name: str
    out_mm: float
    high_mm: float
    white_mm: float
    up_mm: Array
    yolk: Array
    crumbly: Array
    first: Array
    main: Array


@dataclass(frozen=True, eq=False)
class Opened:
    """How it goes.

    Attributes
    ----------
    seconds : float
        On the heat, s; of a turned one on both sides.
    turn_s : float or None
        When it is turned.
    white_s : float
        When the thick white is set throughout, s; inf: not within what is looked at.
    yolk_word, white_word : str
        As eaten, at ``seconds``.
    reached : bool
        Whether the white is set and the yolk is as wanted.
    film : float
        How far the white's first protein would set on top of the yolk, 0 to 1: from 0.9 on the yolk is veiled.
    under_c, top_c : float
        The white's underside and the yolk's upper side at ``seconds``, °C.
    document : dict
        The plan of its yolk's column, ``open-ember.plan/1``.
    painted : tuple of Painted
        Its columns as they are eaten, from the middle out.
    """

    seconds: float
    turn_s: float | None
    white_s: float
    yolk_word: str
    white_word: str
    reached: bool
    film: float
    under_c: float
    top_c: float
    document: dict[str, Any]
    painted: tuple[Painted, ...]


def columns_of(mass_g: float, white_depth_mm: float | None = None) -> dict[str, Column]:
    """The columns of an opened egg of ``mass_g`` in its shell.

    In a pan the white runs as far as it will; in a dish it stands ``white_depth_mm`` deep all over.
    """
    row = read_toml("eggs_open.toml")["opened"]
    grown = mass_g / row["of_g"]
    base = pi * (row["yolk_across_mm"] / 2.0) ** 2 * grown ** (2 / 3)
    film = row["film_mm"]
    yolk = Column(film + yolk_ml(mass_g) * 1000.0 / base, base, "egg-yolk", film)
    if white_depth_mm is not None:
        return {THICK: Column(white_depth_mm, 0.0, "egg-white", white_depth_mm), YOLK: yolk}
    thick = row["thick_mm"] * grown ** (1 / 3)
    ring = row["thick_mm2"] * grown ** (2 / 3)
    rest = row["spread_mm2"] * grown ** (2 / 3) - ring - base
    thin = (1000.0 * white_ml(mass_g) - ring * thick - base * film) / rest
    return {
        THIN: Column(thin, rest, "egg-white", thin),
        THICK: Column(thick, ring, "egg-white", thick),
        YOLK: yolk,
    }


def yolk_ml(mass_g: float) -> float:
    """Of a hen's egg of ``mass_g`` in its shell, ml."""
    return float(_contents_ml(mass_g) * read_toml("eggs.toml")["species"]["hen"]["yolk"])


def white_ml(mass_g: float) -> float:
    """Of a hen's egg of ``mass_g`` in its shell, ml."""
    return _contents_ml(mass_g) - yolk_ml(mass_g)


def _contents_ml(mass_g: float) -> float:
    row = read_toml("eggs_open.toml")["opened"]
    return float(mass_g * row["contents"] / row["g_ml"])


def fit_in(diameter_mm: float, mass_g: float) -> int:
    """How many eggs have room in a pan."""
    row = read_toml("eggs_open.toml")["opened"]
    each = row["spread_mm2"] * (mass_g / row["of_g"]) ** (2 / 3)
    return int(ROOM * pi / 4.0 * diameter_mm**2 / each)


def _stage(f: Fry, column: Column, down: str, seconds: float) -> dict[str, Any]:
    """A stage of a column with face ``down`` on its share of the pan."""
    row = read_toml("eggs_open.toml")["opened"]
    whole = row["spread_mm2"] * (f.mass_g / row["of_g"]) ** (2 / 3) * f.eggs
    share = column.area_mm2 / whole
    faces: dict[str, Any] = {down: {"medium_c": f.pan.begin_c}}
    if f.school == BASTED:
        faces["a"] = {"kind": "baste", "medium_c": f.pan.begin_c - BASTE_BELOW_K}
    lid = {"cover": "lidded"} if f.school == LIDDED else {}
    store = {
        "kind": "pan", "mass_kg": f.pan.mass_kg * share, "material": f.pan.material, "power_w": f.pan.power_w * share,
        "set_c": f.pan.begin_c, "loss_w_k": kinds()["pan"]["loss_w_k"] * share, "pieces": 1,
    }  # fmt: skip
    return {"kind": "pan", "minutes": seconds / 60.0, "faces": faces, "store": store} | lid


def _document(mass_g: float, start_c: float, column: Column, stages: list[dict[str, Any]], altitude_m: float) -> dict[str, Any]:  # fmt: skip
    return {
        "format": FORMAT,
        "piece": {
            "food": column.food, "form": "egg-now", "shape": {"kind": "slab", "thickness_mm": round(column.thick_mm, 3)},
            "start_c": start_c, "mass_g": max(1.03e-3 * column.thick_mm * (column.area_mm2 or 1000.0), 0.1),
        },
        "stages": stages,
        "kitchen": {"altitude_m": altitude_m},
    }  # fmt: skip


def _cook(document: Mapping[str, Any]) -> tuple[Plan, Cook]:
    plan = parse(document)
    return plan, run(plan, setup(plan))


@dataclass(frozen=True, eq=False)
class _Course:
    """A column's course: s, fields from face a to b, and the doses of its setting."""

    t: Array
    field: Array
    first: Array
    main: Array
    thick: Array  # of the yolk, and how wide its cells are
    width: Array
    film: Array
    up: Array
    cells: tuple[Array, Array, Array]  # doses of yolk, first and main of all cells at the end

    @staticmethod
    def of(document: Mapping[str, Any], column: Column) -> _Course:
        """Cook a column and read its setting."""
        _plan, cook = _cook(document)
        f = cook.field
        up = column.thick_mm - cook.depth  # from face b
        width = np.gradient(cook.depth)
        skin = column.white_mm + read_toml("eggs_open.toml")["opened"]["skin_mm"]
        white = up <= column.white_mm if column.food == "egg-yolk" else up >= 0.0
        yolk = up > skin if column.food == "egg-yolk" else white
        first, main = doses(cook.t, white_rate("first", f)), doses(cook.t, white_rate("main", f))
        return _Course(
            cook.t, f, _mean(first[:, white], width[white]), _mean(main[:, white], width[white]), doses(cook.t, yolk_rate(f[:, yolk])),
            width[yolk], 1.0 - np.exp(-first[:, 0]), up, (doses(cook.t, yolk_rate(f))[-1], first[-1], main[-1]),
        )  # fmt: skip

    def painted(self, name: str, column: Column, out_mm: float) -> Painted:
        """The column at the end of its course."""
        thick, first, main = self.cells
        firm = read_toml("eggs.toml")["yolk"]["firm"]
        shares = (1.0 - np.exp(-d) for d in (thick, thick / firm, first, main))
        return Painted(name, out_mm, column.thick_mm, column.white_mm, self.up, *shares)

    def at(self, values: Array, seconds: float) -> float:
        return float(np.interp(seconds, self.t, values))

    def yolk(self, firm: bool = False) -> Array:
        """How far the yolk has thickened, or become crumbly, over time: means, 0 to 1."""
        return _mean(self.thick / (read_toml("eggs.toml")["yolk"]["firm"] if firm else 1.0), self.width)


def _mean(dose: Array, width: Array) -> Array:
    """How far a column has set over time: means over its cells by their widths, 0 to 1."""
    return np.asarray((1.0 - np.exp(-dose)) @ (width / width.sum()))


def _reaches(t: Array, course: Array, level: float) -> float:
    """When a rising course reaches a level, s; inf: it does not."""
    return float(np.interp(level, course, t)) if course[-1] >= level else float("inf")


def fry(f: Fry) -> Opened:
    """How long, and how it is eaten.

    Raises
    ------
    ValueRangeError
        More eggs than have room; what is no pan of eggs.
    InputError, ComputationError
        As of a plan.
    """
    room = fit_in(f.pan.diameter_mm, f.mass_g)
    if f.eggs > room:
        raise ValueRangeError(
            say("{eggs} eggs have no room beside each other: {room} do in this pan. Take a wider one, or fry in batches.", eggs=f.eggs, room=room),
            path="eggs",
        )  # fmt: skip
    columns = columns_of(f.mass_g)

    def stages(column: Column, turn_s: float | None, seconds: float, plate: bool) -> list[dict[str, Any]]:
        first = seconds if turn_s is None else min(turn_s, seconds)
        out = [_stage(f, column, "b", first)]
        if turn_s is not None and seconds > turn_s:
            out.append(_stage(f, column, "a", seconds - turn_s))
        if plate:
            out.append({"kind": "rest", "minutes": PLATE_S / 60.0})
        return out

    def course(name: str, turn_s: float | None, seconds: float, plate: bool = False) -> _Course:
        c = columns[name]
        return _Course.of(_document(f.mass_g, f.start_c, c, stages(c, turn_s, seconds, plate), f.altitude_m), c)

    turn_s = None
    if f.school == TURNED:
        lying = course(THICK, None, LONGEST_S)
        turn_s = _reaches(lying.t, lying.first, TURN_SET)
        if turn_s > LONGEST_S:
            raise ValueRangeError(
                say("On this heat its white does not set enough to be turned: give more heat."), path="power_w"
            )
    found = _settle(
        f.yolk, course(THICK, turn_s, LONGEST_S), lambda s, plate: course(YOLK, turn_s, s, plate), LONGEST_S
    )
    seconds, white_s, yolk, film, top = found
    rim = course(THICK, turn_s, seconds, plate=True)
    white = white_word(float(rim.first[-1]), float(rim.main[-1]))
    under = course(THIN, turn_s, seconds)
    column = columns[YOLK]
    document = _document(f.mass_g, f.start_c, column, stages(column, turn_s, seconds, True), f.altitude_m)
    document["piece"]["count"] = f.eggs
    document["rules"] = f.rules
    return Opened(
        seconds, turn_s, white_s, yolk, white, bool(np.isfinite(white_s)) and yolk == f.yolk and white != UNSET, film,
        float(under.field[-1, -1]), top, document,
        _section(columns, {THIN: course(THIN, turn_s, seconds, plate=True), THICK: rim, YOLK: course(YOLK, turn_s, seconds, plate=True)}),
    )  # fmt: skip


def _settle(
    wanted: str, white: _Course, yolk_course: Callable[[float, bool], _Course], longest_s: float
) -> tuple[float, float, str, float, float]:
    """How long: the white set, and then the yolk as wanted where it is not past that; with what it is like then.

    Gives s, when the white is set (s), the yolk's word, the film on it and how warm its upper side is.
    """
    white_s = _reaches(white.t, white.first, read_toml("eggs.toml")["white_word"]["throughout"])
    measure, goal = goal_of(wanted)
    firm = measure == "firm"
    whole = yolk_course(longest_s, False)
    last = min(_reaches(whole.t, whole.yolk(firm), goal), longest_s)
    begin = min(white_s, longest_s)
    seconds = begin if wanted == YOLK_WORDS[0] else max(begin, last)
    if seconds > begin and goal < _eaten(yolk_course, seconds, firm):  # it gains on the plate
        seconds = begin
        if _eaten(yolk_course, begin, firm) < goal:
            seconds = float(brentq(lambda s: _eaten(yolk_course, s, firm) - goal, begin, last, xtol=1.0))
    eaten = yolk_course(seconds, True)
    word = yolk_word(float(eaten.yolk()[-1]), float(eaten.yolk(True)[-1]))
    return seconds, white_s, word, float(eaten.film[-1]), eaten.at(eaten.field[:, 0], seconds)


def _eaten(yolk_course: Callable[[float, bool], _Course], seconds: float, firm: bool) -> float:
    """How far the yolk has come when it is eaten, 0 to 1, of so long on heat."""
    return float(yolk_course(seconds, True).yolk(firm)[-1])


def schools(f: Fry) -> list[tuple[str, Opened | None]]:
    """The same eggs by each school; None where it cannot be."""
    out: list[tuple[str, Opened | None]] = []
    for school in SCHOOLS:
        try:
            out.append((school, fry(replace(f, school=school))))
        except ValueRangeError:
            out.append((school, None))
    return out


def bake(d: Dish) -> Opened:
    """Eggs baked in a dish: how long in the oven, and how they are eaten.

    Raises
    ------
    ValueRangeError
        A dish they do not fit in, or in which they lie too thin.
    InputError, ComputationError
        As of a plan.
    """
    row = read_toml("eggs_open.toml")["opened"]
    area = pi / 4.0 * d.across_mm**2
    base = d.eggs * columns_of(d.mass_g)[YOLK].area_mm2
    if base > ROOM * area:
        most = int(ROOM * area / (base / d.eggs))
        raise ValueRangeError(say("{eggs} eggs do not fit in a dish so wide: give at most {most}, or a wider one.", eggs=d.eggs, most=most), path="eggs")  # fmt: skip
    depth = (1000.0 * d.eggs * white_ml(d.mass_g) - base * row["film_mm"]) / (area - base)
    if depth < row["least_mm"]:
        raise ValueRangeError(say("In a dish so wide the white lies {depth:length1} thin and dries: take a smaller one, or more eggs.", depth=depth), path="across_mm")  # fmt: skip
    columns = columns_of(d.mass_g, depth)
    dish = read_toml("eggs_open.toml")["dish"]
    variant = "fan" if d.fan else "still"
    outside = dish["water_h"] if d.water else dish["fan_h"] if d.fan else dish["still_h"]
    h = 1.0 / (1.0 / outside + dish["wall_mm"] / 1000.0 / dish["wall_w_mk"])
    below = (
        {"kind": "bath", "medium_c": dish["water_c"], "surface": {"h_w_m2k": round(h, 1)}}
        if d.water
        else {"kind": "oven", "medium_c": d.oven_c, "surface": {"h_w_m2k": round(h, 1)}}
    )

    def stages(seconds: float, plate: bool) -> list[dict[str, Any]]:
        oven = {
            "kind": "oven", "minutes": seconds / 60.0,
            "faces": {"a": {"kind": "oven", "medium_c": d.oven_c, "variant": variant}, "b": below},
        }  # fmt: skip
        # a dish keeps its heat: on the plate the faces under it lose little
        rest = {"kind": "rest", "minutes": PLATE_S / 60.0}
        return [oven, rest] if plate else [oven]

    def course(name: str, seconds: float, plate: bool = False) -> _Course:
        c = columns[name]
        return _Course.of(_document(d.mass_g, d.start_c, c, stages(seconds, plate), d.altitude_m), c)

    seconds, white_s, yolk, film, top = _settle(
        d.yolk, course(THICK, LONGEST_BAKED_S), lambda s, plate: course(YOLK, s, plate), LONGEST_BAKED_S
    )
    rim = course(THICK, seconds, plate=True)
    white = white_word(float(rim.first[-1]), float(rim.main[-1]))
    document = _document(d.mass_g, d.start_c, columns[YOLK], stages(seconds, True), d.altitude_m)
    document["rules"] = d.rules
    return Opened(
        seconds, None, white_s, yolk, white, bool(np.isfinite(white_s)) and yolk == d.yolk and white != UNSET, film,
        rim.at(rim.field[:, -1], seconds), top, document,
        _section(
            {YOLK: columns[YOLK], THICK: replace(columns[THICK], area_mm2=area / d.eggs - columns[YOLK].area_mm2)},
            {THICK: rim, YOLK: course(YOLK, seconds, plate=True)},
        ),
    )  # fmt: skip


def _section(columns: Mapping[str, Column], courses: Mapping[str, _Course]) -> tuple[Painted, ...]:
    """The columns of one egg from the middle out, each a ring round the one before."""
    out, area = [], 0.0
    for name in (YOLK, THICK, THIN):
        if name in columns:
            area += columns[name].area_mm2
            out.append(courses[name].painted(name, columns[name], (area / pi) ** 0.5))
    return tuple(out)
