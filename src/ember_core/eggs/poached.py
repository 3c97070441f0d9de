"""Poached eggs: out of the shell into water that just moves; stopped, kept cold, warmed again."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.eggs.asking import EggAnswer, EggQuestion
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.egg_states import state_of
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.setup import setup

MOVING_K = 5.0  # so far below the boil is water that just moves
SERVE_MINUTES = 1.5  # from the water over a cloth to the plate
WARM_C = 50.0  # of the middle of one that was chilled and is served warm
REWARM_LONGEST_MIN = 60.0


@dataclass(frozen=True)
class Poach:
    """*Four eggs of 57 g from 4 °C, runny, in water that just moves.*

    ``mass_g`` in its shell; ``yolk`` the word that is wanted; ``stop``: ``ice`` or ``plate``; ``pot_litres`` and ``power_w`` of
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


def document(p: Poach) -> dict[str, Any]:
    """The plan of poached eggs, ``open-ember.plan/1``."""
    row = read_toml("eggs_open.toml")["poached"]
    water = boiling_point(p.altitude_m) - MOVING_K
    egg = EggQuestion(
        mass_g=p.mass_g * row["like"], start_c=p.start_c, count=p.count, altitude_m=p.altitude_m, rules=p.rules
    )
    out = replace(egg, minutes=1.0).document()
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
    row = read_toml("eggs_open.toml")["poached"]
    base = document(replace(p, start_c=4.0))
    stage = {
        "kind": "bath", "minutes": REWARM_LONGEST_MIN, "medium_c": water_c, "surface": {"h_w_m2k": row["h"]}, "until": {"core_c": core_c}
    }  # fmt: skip
    plan = parse({k: v for k, v in base.items() if k != "target"} | {"stages": [stage]})
    done = run(plan, setup(plan)).stages[0]
    return (done.end_s - done.start_s) / 60.0 if done.ended_by == "core_c" else None
