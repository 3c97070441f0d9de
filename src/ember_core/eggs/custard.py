"""Baked custards: what goes in, cream poured into yolks, and cups in a water bath in the oven."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, pi
from typing import Any

import numpy as np
from scipy.optimize import brentq

from ember_core.constants import CELSIUS_ZERO, LATENT_AT_0C, LATENT_BY_DEGREE, LEWIS_AIR, SIGMA, VAPOUR_GAS_CONSTANT
from ember_core.data.loader import read_toml
from ember_core.eggs.built import mixed_c
from ember_core.errors import ValueRangeError
from ember_core.formats.plan import FORMAT, parse
from ember_core.heat.cook import Cook, run
from ember_core.heat.physics.boiling import boiling_point, iapws_saturation_pressure
from ember_core.heat.setup import setup
from ember_core.plan.plan import Plan
from ember_core.wording.message import say

LONGEST_MIN = 240.0
REST_MIN, CHILL_MIN = 20.0, 300.0
CHILLED_C = 5.0
WATER_J_M3K = 4.1e6
BELOW_BOIL_K = 2.0  # water of a tray that would boil is kept so far below


@dataclass(frozen=True)
class Mix:
    """What is stirred together, g: yolks and whole eggs by number, cream, milk and sugar."""

    yolks: int = 5
    eggs: int = 0
    cream_g: float = 500.0
    milk_g: float = 0.0
    sugar_g: float = 90.0

    @property
    def egg_g(self) -> float:
        """Grams of egg."""
        row = read_toml("eggs_open.toml")["custard"]
        return float(self.yolks * row["yolk_g"] + self.eggs * row["egg_g"])

    @property
    def total_g(self) -> float:
        """Grams of all."""
        return self.egg_g + self.cream_g + self.milk_g + self.sugar_g

    @property
    def lands_c(self) -> float:
        """Where it should land in the middle, °C, by what sets it."""
        rows = read_toml("eggs_open.toml")["custard"]["lands_c"]
        return float(rows["whole" if not self.yolks else "both" if self.eggs else "yolks"])

    @property
    def on_a_yolk_g(self) -> float:
        """Grams of cream and milk on a yolk; a whole egg counts as two."""
        return (self.cream_g + self.milk_g) / max(self.yolks + 2 * self.eggs, 1)

    @property
    def word(self) -> str:
        """How it stands: ``firm``, ``usual``, ``loose`` or ``runny``."""
        row = read_toml("eggs_open.toml")["custard"]
        g = self.on_a_yolk_g
        return (
            "firm"
            if g < row["firm_g"]
            else "usual"
            if g <= row["usual_g"]
            else "loose"
            if g <= row["loose_g"]
            else "runny"
        )


def checked(mix: Mix) -> Mix:
    """The same mix.

    Raises
    ------
    ValueRangeError
        Nothing that sets, or nothing that is set.
    """
    if mix.yolks + mix.eggs < 1:
        raise ValueRangeError(say("A custard needs yolks or eggs: give at least one."), path="yolks")
    if mix.cream_g + mix.milk_g <= 0.0:
        raise ValueRangeError(say("A custard needs cream or milk: give some grams."), path="cream_g")
    return mix


def scaled(mix: Mix, total_g: float) -> Mix:
    """The same custard for so many grams: yolks and eggs rounded up, the rest by them."""
    factor = total_g / mix.total_g
    yolks, eggs = int(np.ceil(mix.yolks * factor - 1e-9)), int(np.ceil(mix.eggs * factor - 1e-9))
    by = (yolks + eggs) / (mix.yolks + mix.eggs)
    return Mix(yolks, eggs, mix.cream_g * by, mix.milk_g * by, mix.sugar_g * by)


def infused_c(mix: Mix, hot_c: float, minutes: float, air_c: float) -> float:
    """How warm covered cream still is after so long, °C: a pot as wide as it is deep, by Newton's law."""
    table = read_toml("eggs_open.toml")
    grams = mix.cream_g + mix.milk_g
    holds = (mix.cream_g * table["tempering"]["cream"] + mix.milk_g * table["tempering"]["milk"]) / 1000.0
    across = (4.0 * grams * 1e-6 / pi) ** (1 / 3)
    area = 1.5 * pi * across**2
    return float(air_c + (hot_c - air_c) * exp(-table["custard"]["cover_w_m2k"] * area * 60.0 * minutes / holds))


@dataclass(frozen=True)
class Poured:
    """After one addition: g of cream in it, what it comes to and what it curdles at while it is stirred, °C."""

    cream_g: float
    mix_c: float
    curdles_c: float


def tempered(mix: Mix, cream_c: float, egg_c: float, ladle_g: float | None = None) -> tuple[Poured, ...]:
    """Hot cream poured into beaten yolks and sugar by the ladle, until half is in, then the rest: a balance of heat at each.

    Parameters
    ----------
    mix : Mix
    cream_c, egg_c : float
        °C.
    ladle_g : float, optional
        Of each addition; default the data's.
    """
    row = read_toml("eggs_open.toml")["tempering"]
    ladle = ladle_g or float(row["ladle_g"])
    liquid = mix.cream_g + mix.milk_g
    heat = (mix.cream_g * row["cream"] + mix.milk_g * row["milk"]) / liquid
    book = read_toml("eggs_open.toml")["custard"]
    base = mix.yolks * book["yolk_g"] * row["yolk"] + mix.eggs * book["egg_g"] * row["egg"] + mix.sugar_g * row["sugar"]
    amounts = list(np.arange(ladle, 0.5 * liquid, ladle))
    out = []
    for grams in [*amounts, liquid]:
        share = mix.egg_g / (mix.egg_g + mix.sugar_g + grams)
        landed = mixed_c([(base, egg_c), (grams * heat, cream_c)])
        out.append(Poured(float(grams), landed, float(np.interp(share, row["share"], row["curdles_c"]))))
    return tuple(out)


def tray_gains(c: float, oven_c: float, altitude_m: float, fan: bool = False, tented: bool = True) -> float:
    """What a tray of water at ``c`` °C takes up in an oven less what its steam carries away, W by m² of its water.

    Parameters
    ----------
    c, oven_c, altitude_m : float
        °C; m.
    fan, tented : bool
        Moving air; a loose tent over all of it.
    """
    row, air = read_toml("eggs_open.toml")["tray_bath"], read_toml("surroundings.toml")
    h = air["oven"]["fan" if fan else "still"]["h"]
    escape = row["tent_escape"] if tented else 1.0
    carries = escape * h * LEWIS_AIR  # m/s of vapour that leave the water
    changed = air["vent"]["open"]["leak"] * air["usual_oven"]["litres"] / 1000.0
    carries *= changed / (changed + carries * row["area_m2"])  # the oven's air fills with it
    kelvin = c + CELSIUS_ZERO
    shone = row["emissivity"] * SIGMA * ((oven_c + CELSIUS_ZERO) ** 4 - kelvin**4)
    outside = h * (oven_c - c) + shone
    above = row["tent_h"] * (oven_c - c) if tented else outside
    vapour = iapws_saturation_pressure(c) / (VAPOUR_GAS_CONSTANT * kelvin)
    steam = carries * vapour * (LATENT_AT_0C + LATENT_BY_DEGREE * c)
    return float(row["collects"] * outside + above - steam)


def bath_c(oven_c: float, altitude_m: float, fan: bool = False, tented: bool = True) -> float:
    """How warm a tray of water gets in an oven and stays, °C: what reaches it is what its steam carries away; it never boils.

    Parameters
    ----------
    oven_c, altitude_m, fan, tented
        As of :func:`tray_gains`.
    """
    most = boiling_point(altitude_m) - BELOW_BOIL_K

    def gains(c: float) -> float:
        return tray_gains(c, oven_c, altitude_m, fan, tented)

    return most if gains(most) >= 0.0 else float(brentq(gains, 30.0, most, xtol=0.01))


def door_takes_k(oven: Oven, open_s: float, air_c: float, deep_mm: float) -> float:
    """What an open door takes from a tray of water, K, at most: nothing of the oven is left around it meanwhile.

    Parameters
    ----------
    oven : Oven
    open_s, air_c : float
        How long, s; the kitchen, °C.
    deep_mm : float
        Of the water, mm.
    """
    holds = WATER_J_M3K * deep_mm / 1000.0
    return max(-tray_gains(oven.water_c, air_c, oven.altitude_m, oven.fan, oven.tented) * open_s / holds, 0.0)


@dataclass(frozen=True)
class Cup:
    """A cup: mm across inside and filled so high; how many of them."""

    across_mm: float = 80.0
    deep_mm: float = 30.0
    count: int = 6

    @property
    def ml(self) -> float:
        """What one holds."""
        return pi / 4.0 * self.across_mm**2 * self.deep_mm / 1000.0


@dataclass(frozen=True, eq=False)
class Baked:
    """One size of cup in the oven.

    Attributes
    ----------
    cup : Cup
    plan, cook : Plan, Cook
    minutes : float
        In the oven.
    reached : bool
        Whether it gets there.
    pull_c, lands_c, rim_c : float
        In the middle when it comes out and at its highest; at the wall when it comes out, °C.
    cold_min : float or None
        From out of the oven to 5 °C in the middle, its rest and the refrigerator; None: longer than is looked at.
    sugar_g : float
        To be burnt on top.
    """

    cup: Cup
    plan: Plan
    cook: Cook
    minutes: float
    reached: bool
    pull_c: float
    lands_c: float
    rim_c: float
    cold_min: float | None
    sugar_g: float


@dataclass(frozen=True)
class Oven:
    """An oven with a tray of water: °C, tented or not, with a fan or not, what the mix begins at (°C), altitude (m) and rules."""

    oven_c: float = 140.0
    fan: bool = False
    tented: bool = True
    start_c: float = 55.0
    altitude_m: float = 0.0
    fridge_c: float = 3.0
    rules: str = "us-food-code-2022"

    @property
    def water_c(self) -> float:
        """Of the tray, °C."""
        return bath_c(self.oven_c, self.altitude_m, self.fan, self.tented)


def document(mix: Mix, cup: Cup, oven: Oven) -> dict[str, Any]:
    """The plan of one size of cup, ``open-ember.plan/1``: oven until it will land, rest, refrigerator."""
    dish = read_toml("eggs_open.toml")["dish"]
    wall = 1.0 / (1.0 / dish["water_h"] + dish["wall_mm"] / 1000.0 / dish["wall_w_mk"])
    water = {"kind": "bath", "medium_c": round(oven.water_c, 1), "surface": {"h_w_m2k": round(wall, 1)}}
    top = {
        "kind": "oven",
        "medium_c": oven.oven_c,
        "variant": "fan" if oven.fan else "still",
        "cover": "tented" if oven.tented else "bare",
    }
    chill = read_toml("eggs_open.toml")["custard"]["chill_h"]
    return {
        "format": FORMAT,
        "piece": {
            "food": "custard", "form": "egg-later", "count": cup.count,
            "shape": {"kind": "cylinder", "diameter_mm": cup.across_mm, "length_mm": cup.deep_mm}, "start_c": oven.start_c,
        },
        "target": {"core_c": mix.lands_c},
        "stages": [
            {"kind": "oven", "minutes": LONGEST_MIN, "faces": {"a": top, "b": water, "side": water}, "until": {"peak_core_c": mix.lands_c}},
            {"kind": "rest", "minutes": REST_MIN},
            {"kind": "chill", "medium_c": oven.fridge_c, "minutes": CHILL_MIN, "surface": {"h_w_m2k": chill}},
        ],
        "kitchen": {"altitude_m": oven.altitude_m},
        "rules": oven.rules,
    }  # fmt: skip


def bake(mix: Mix, cups: Sequence[Cup], oven: Oven) -> tuple[Baked, ...]:
    """Cups of several sizes in one oven, the first that is ready first.

    Raises
    ------
    ValueRangeError
        No custard; a bath in which it never sets.
    InputError, ComputationError
        As of a plan.
    """
    mix = checked(mix)
    if oven.water_c < mix.lands_c:
        raise ValueRangeError(
            say(
                "In this oven the water stays at {water_c:temp0} and the custard never gets to {lands_c:temp0}: give more heat, or a tent over the tray.",
                water_c=oven.water_c, lands_c=mix.lands_c,
            ),
            path="oven_c",
        )  # fmt: skip
    return tuple(sorted((_one(mix, cup, oven) for cup in cups), key=lambda b: b.minutes))


def _one(mix: Mix, cup: Cup, oven: Oven) -> Baked:
    plan = parse(document(mix, cup, oven))
    cook = run(plan, setup(plan))
    done = cook.stages[0]
    out_s = done.end_s
    core = cook.core
    after = cook.t >= out_s
    cold = np.flatnonzero(after & (cook.t > out_s + 60.0) & (core <= CHILLED_C))
    i = int(np.searchsorted(cook.t, out_s))
    i = min(i, cook.t.size - 1)
    sugar = read_toml("eggs_open.toml")["custard"]["sugar_g_cm2"] * pi / 4.0 * (cup.across_mm / 10.0) ** 2
    return Baked(
        cup, plan, cook, (out_s - done.start_s) / 60.0, done.ended_by == "peak_core_c", float(np.interp(out_s, cook.t, core)), float(core.max()),
        float(cook.elsewhere[i].max()) if cook.elsewhere.size else float(cook.field[i].max()),
        float(cook.t[cold[0]] - out_s) / 60.0 if cold.size else None, sugar,
    )  # fmt: skip
