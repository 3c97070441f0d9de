"""The usual question: how long, for these eggs, here? From a few words to a plan and its answer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.formats.plan import FORMAT, parse
from ember_core.heat.cook import Cook, run
from ember_core.heat.egg_states import EggState, state_of
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.setup import setup
from ember_core.plan.plan import Plan

BOIL, COLD, BATH, STEAM, TWO = "boil", "cold", "bath", "steam", "bath-boil"
WATERS = (BOIL, COLD, BATH, STEAM, TWO)
IN_BATH = (BATH, TWO)
FINISH_MINUTES = 2.0  # in boiling water after a bath, so that the white is firm
ICE, PLATE = "ice", "plate"
STOPS = (ICE, PLATE)
YOLK_WORDS = tuple(r["word"] for r in read_toml("eggs.toml")["yolk_word"])
COLD_C = 12.0  # of water from the tap
ICE_MINUTES, PLATE_MINUTES = 8.0, 6.0  # in iced water; from the water to the plate and opened
LONGEST_MIN, LONGEST_BATH_MIN = 40.0, 240.0  # of a hen's egg; others by their size
CUT = "soft-egg"  # of the book


@dataclass(frozen=True)
class EggQuestion:
    """*Twelve hen's eggs of 57 g from 4 °C, jammy, in boiling water, stopped in ice.*

    Attributes
    ----------
    species : str
        As in ``data/eggs.toml``.
    mass_g, start_c : float
        In the shell, g; °C.
    count : int
    yolk : str
        The word that is wanted.
    minutes : float or None
        In its place: how long it stays in.
    water : str
        ``boil`` (into boiling water), ``cold`` (brought to the boil from cold), ``bath``, ``steam``, ``bath-boil`` (a bath, and two minutes
        of boiling water at the end).
    water_c : float
        Of a bath, °C.
    stop : str
        ``ice`` or ``plate``.
    litres, power_w : float or None
        Of the pot, and what reaches it, W (None: as a usual pot has it); without litres its water keeps to the boil. ``cold`` takes a usual pot.
    lid : bool
        On the pot.
    altitude_m, air_c : float
    rules, guests : str
    serve_at : datetime or None
    house : mapping or None
        The house's own rules, where ``rules`` is ``house``.
    """

    species: str = "hen"
    mass_g: float = 57.0
    start_c: float = 4.0
    count: int = 1
    yolk: str = "jammy"
    minutes: float | None = None
    water: str = BOIL
    water_c: float = 64.0
    stop: str = ICE
    litres: float | None = None
    power_w: float | None = None
    lid: bool = False
    altitude_m: float = 0.0
    air_c: float = 22.0
    rules: str = "us-food-code-2022"
    guests: str = "general"
    serve_at: datetime | None = None
    title: str = ""
    house: Mapping[str, Any] | None = field(default=None, compare=False)

    @property
    def longest_min(self) -> float:
        """The longest that is looked at, min: by size as a hen's egg's, longer in a bath."""
        hen = LONGEST_BATH_MIN if self.water in IN_BATH else LONGEST_MIN
        return float(hen * max(self.mass_g / 57.0, 0.5) ** (2.0 / 3.0))

    def document(self) -> dict[str, Any]:
        """The plan document, ``open-ember.plan/1``."""
        stage: dict[str, Any] = {"minutes": round(self.longest_min if self.minutes is None else self.minutes, 3)}
        if self.minutes is None:
            stage["until"] = {"yolk": self.yolk}
        if self.water in IN_BATH:
            stage |= {"kind": "bath", "medium_c": self.water_c}
        elif self.water == STEAM:
            stage |= {"kind": "steam"}
        else:
            stage |= {"kind": "boil"}
        if self.water in {BOIL, COLD} and (self.litres is not None or self.water == COLD):
            stated = {"litres": self.litres, "power_w": self.power_w}
            stage["store"] = {"kind": "pot", "lid": self.lid} | {k: v for k, v in stated.items() if v is not None}
            if self.water == COLD:
                stage["medium_c"] = COLD_C
        after = (
            {"kind": "chill", "variant": "ice-water", "medium_c": 1, "minutes": ICE_MINUTES}
            if self.stop == ICE
            else {"kind": "rest", "minutes": PLATE_MINUTES, "cover": "bare"}
        )
        out: dict[str, Any] = {
            "format": FORMAT,
            "title": self.title,
            "piece": {
                "food": "egg-duck" if self.species == "duck" else "egg-whole",
                "cut": "" if self.species == "duck" else CUT,
                "form": "egg-now",
                "count": self.count,
                "shape": {"kind": "egg", "mass_g": self.mass_g, "species": self.species},
                "mass_g": self.mass_g,
                "start_c": self.start_c,
            },
            "target": {} if self.minutes is not None else {"yolk": self.yolk},
            "stages": [stage, *([{"kind": "boil", "minutes": FINISH_MINUTES}] if self.water == TWO else []), after],
            "kitchen": {"altitude_m": self.altitude_m, "air_c": self.air_c},
            "rules": self.rules,
            "guests": self.guests,
        }
        if self.house is not None and self.rules == "house":
            out["x-house"] = dict(self.house)
        if self.serve_at is not None:
            out["serve_at"] = self.serve_at.isoformat(timespec="minutes")
        out["piece"] = {k: v for k, v in out["piece"].items() if v != ""}
        return {k: v for k, v in out.items() if v != "" and v != {}}

    def by_minutes(self, minutes: float) -> EggQuestion:
        """The same eggs for so long."""
        return replace(self, minutes=minutes)


@dataclass(frozen=True, eq=False)
class EggAnswer:
    """How long, and how they are eaten.

    Attributes
    ----------
    plan, cook : Plan, Cook
    minutes : float
        In the water.
    state : EggState
        As eaten.
    reached : bool
        Whether the yolk that is wanted can be had so.
    """

    plan: Plan
    cook: Cook
    minutes: float
    state: EggState
    reached: bool


def ask(question: EggQuestion) -> EggAnswer:
    """The answer to a question.

    Raises
    ------
    InputError, ComputationError
        What of it cannot be an egg in water; what cannot be computed.
    """
    plan = parse(question.document())
    cook = run(plan, setup(plan))
    done = cook.stages[0]
    state = state_of(plan, cook)
    reached = question.minutes is not None or (done.ended_by == "yolk" and state.yolk_word == question.yolk)
    return EggAnswer(plan, cook, (done.end_s - done.start_s) / 60.0, state, reached)


def neighbours(question: EggQuestion, minutes: float, apart_min: float) -> list[tuple[float, EggState]]:
    """What so much sooner and later gives: minutes and states."""
    times = [t for t in (minutes - apart_min, minutes + apart_min) if t > 0.0]
    return [(t, ask(question.by_minutes(t)).state) for t in times]


def usual_minutes(question: EggQuestion, masses: tuple[float, ...], starts: tuple[float, ...], altitudes: tuple[float, ...]) -> dict[tuple[float, float, float], float | None]:  # fmt: skip
    """Minutes of the same yolk by mass (g), start (°C) and altitude (m); None where it cannot be had."""
    out: dict[tuple[float, float, float], float | None] = {}
    for mass in masses:
        for start in starts:
            for altitude in altitudes:
                own = replace(question, mass_g=mass, start_c=start, altitude_m=altitude, minutes=None, litres=None)
                found = ask(own)
                out[mass, start, altitude] = found.minutes if found.reached else None
    return out


def water_of(question: EggQuestion) -> float:
    """How hot the water is that the eggs lie in, °C; of one that is brought to the boil, where it gets to."""
    return question.water_c if question.water in IN_BATH else boiling_point(question.altitude_m)
