"""Eggs opened into water: poached in water that just moves, or coddled in a lidded cup that stands in it; stopped, kept cold, warmed again."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.eggs.question import EggAnswer, EggQuestion
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.egg_states import state_of
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.physics.setting import doses, white_rate
from ember_core.heat.setup import setup

POACHED, CODDLED = "poached", "coddled"
MOVING_K = 5.0  # so far below the boil is water that just moves
SERVE_MINUTES = 1.5  # from the water over a cloth to the plate
WARM_C = 50.0  # of the middle of one that was chilled and is served warm
REWARM_LONGEST_MIN = 60.0


@dataclass(frozen=True)
class Poach:
    """*Four eggs of 57 g from 4 °C, runny, in water that just moves.*

    ``way``: ``poached`` or ``coddled``; ``mass_g`` in its shell; ``yolk`` the word that is wanted; ``stop``: ``ice`` or ``plate``; ``pot_litres`` and ``power_w`` of
    the pot, of which ``count`` go in at once; altitude in m.
    """

    mass_g: float = 57.0
    start_c: float = 4.0
    count: int = 4
    yolk: str = "runny"
    stop: str = "plate"
    altitude_m: float = 0.0
    pot_litres: float | None = None
    power_w: float | None = None
    rules: str = "us-food-code-2022"
    way: str = POACHED


def document(p: Poach) -> dict[str, Any]:
    """The plan of poached or coddled eggs, ``open-ember.plan/1``: eggs without their shells, which lie flatter."""
    row = read_toml("eggs_open.toml")[p.way]
    water = boiling_point(p.altitude_m) - MOVING_K
    held = round(p.mass_g * read_toml("eggs.toml")["opened"]["contents"], 1)
    egg = EggQuestion(mass_g=p.mass_g, start_c=p.start_c, count=p.count, altitude_m=p.altitude_m, rules=p.rules)
    out = replace(egg, minutes=1.0).document()
    out["piece"] |= {"mass_g": held, "shape": {"kind": "egg", "mass_g": held, "species": egg.species, "opened": True}}
    stage: dict[str, Any] = {
        "kind": "simmer", "minutes": 20.0, "medium_c": round(water, 2), "surface": {"h_w_m2k": row["h"]}, "until": {"yolk": p.yolk}
    }  # fmt: skip
    if p.pot_litres is not None:
        power = {} if p.power_w is None else {"power_w": p.power_w}
        stage["store"] = {"kind": "pot", "litres": p.pot_litres} | power
    ice = {"kind": "chill", "medium_c": 1, "minutes": 8, "variant": "ice-water"}
    after = ice if p.stop == "ice" else {"kind": "rest", "minutes": SERVE_MINUTES, "surface": {"h_w_m2k": 10.0}}
    out["piece"].pop("cut", None)  # it is none in its shell
    return out | {"stages": [stage, after], "target": {"yolk": p.yolk}}


def poach(p: Poach) -> EggAnswer:
    """How long, and how it is eaten.

    Raises
    ------
    InputError, ComputationError
        As of a plan.
    """
    plan = parse(document(p))
    cook = run(plan, setup(plan))
    done, state = cook.stages[0], state_of(plan, cook)
    reached = done.ended_by == "yolk" and state.yolk_word == p.yolk
    return EggAnswer(plan, cook, (done.end_s - done.start_s) / 60.0, state, reached)


def rewarm_minutes(p: Poach, water_c: float, core_c: float = WARM_C) -> float | None:
    """Minutes in water of ``water_c`` until one from 4 °C is at ``core_c`` in the middle; None: it never gets there."""
    row = read_toml("eggs_open.toml")[p.way]
    base = document(replace(p, start_c=4.0))
    stage = {
        "kind": "bath", "minutes": REWARM_LONGEST_MIN, "medium_c": water_c, "surface": {"h_w_m2k": row["h"]}, "until": {"core_c": core_c}
    }  # fmt: skip
    plan = parse({k: v for k, v in base.items() if k != "target"} | {"stages": [stage]})
    done = run(plan, setup(plan)).stages[0]
    return (done.end_s - done.start_s) / 60.0 if done.ended_by == "core_c" else None


STILL, WHIRLED = "still", "whirled"
LITRES_EACH = 0.5  # of still water that an egg needs to lie apart; common practice
DIP_S = 10.0  # in its shell first


@dataclass(frozen=True)
class Style:
    """Poaching all of them one way: how many go in at once, how often, min in the water of each lot, min for all, and the water's lowest, °C."""

    name: str
    at_once: int
    lots: int
    minutes: float
    all_minutes: float
    falls_to_c: float
    reached: bool


def styles(p: Poach) -> tuple[Style, ...]:
    """Still water that takes as many as have room, and whirled water that takes one: the same eggs by each."""
    out = []
    for name in (STILL, WHIRLED):
        room = max(int((p.pot_litres or 4.0) / LITRES_EACH), 1)
        at_once = min(p.count, room) if name == STILL else 1
        lots = -(-p.count // at_once)
        found = poach(replace(p, count=at_once))
        water = found.cook.medium[np.isfinite(found.cook.medium)]
        falls = float(water.min()) if water.size else boiling_point(p.altitude_m) - MOVING_K
        out.append(Style(name, at_once, lots, found.minutes, found.minutes * lots, falls, found.reached))
    return tuple(out)


def skin_mm(p: Poach, seconds: float = DIP_S) -> float:
    """How deep the white has set after so long in boiling water in its shell, mm: where its first protein is more than half set."""
    egg = EggQuestion(mass_g=p.mass_g, start_c=p.start_c, altitude_m=p.altitude_m, minutes=seconds / 60.0, stop="plate")
    plan = parse(egg.document())
    cook = run(plan, setup(plan))
    dose = np.log(doses(cook.t, white_rate("first", cook.field))[-1])
    deep = np.asarray(cook.depth)[-1] - np.asarray(cook.depth)
    half = np.log(np.log(2.0))
    return float(np.interp(-half, -dose[::-1], deep[::-1])) if dose[-1] > half else 0.0
