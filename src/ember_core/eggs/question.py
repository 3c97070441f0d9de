"""The usual question: how long, for these eggs, here? From a few words to a plan and its answer."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.formats.plan import FORMAT, parse
from ember_core.heat.cook import Cook, run
from ember_core.heat.egg_states import UNSET, EggState, state_of
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.setup import setup
from ember_core.plan.plan import Plan

BOIL, COLD, BATH, STEAM, TWO, TURNS = "boil", "cold", "bath", "steam", "bath-boil", "turns"
WATERS = (BOIL, COLD, BATH, STEAM, TWO, TURNS)
IN_BATH = (BATH, TWO)
FINISH_MINUTES = 2.0  # in boiling water after a bath, so that the white is firm
TURN_MINUTES, TURN_C = (
    2.0,
    30.0,
)  # in hot and in cool water in turns (Di Lorenzo et al. 2025), and how warm the cool one is, °C
ICE, PLATE, HELD, LATER = "ice", "plate", "held", "later"
STOPS = (ICE, PLATE, HELD, LATER)
WARM_C, HELD_MINUTES = 60.0, 30.0  # of a bath in which peeled eggs are held, or warmed again
PEEL_MINUTES = 2.0  # in iced water, so that they can be peeled
WARMED_CORE_C, WARM_LONGEST_MIN = 50.0, 120.0
CHILLED_C, CHILL_LONGEST_MIN = 5.0, 240.0
YOLK_WORDS = tuple(r["word"] for r in read_toml("eggs.toml")["yolk_word"])
COLD_C = 12.0  # of water from the tap
ICE_MINUTES, PLATE_MINUTES = 8.0, 6.0  # in iced water; from the water to the plate and opened
LONGEST_MIN, LONGEST_TURNS_MIN, LONGEST_BATH_MIN = 40.0, 64.0, 240.0  # of a hen's egg; others by their size
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
        of boiling water at the end), ``turns`` (boiling water and water of 30 °C, two minutes each, again and again).
    water_c : float
        Of a bath, °C.
    stop : str
        ``ice``, ``plate``, ``held`` (peeled and held in a bath of 60 °C for half an hour) or ``later`` (chilled, and warmed again there).
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
        hen = LONGEST_BATH_MIN if self.water in IN_BATH else LONGEST_TURNS_MIN if self.water == TURNS else LONGEST_MIN
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
        cooking = [stage, *([{"kind": "boil", "minutes": FINISH_MINUTES}] if self.water == TWO else [])]
        if self.water == TURNS:
            cool = {"kind": "simmer", "minutes": TURN_MINUTES, "medium_c": TURN_C}
            cooking = [{"kind": "boil", "minutes": TURN_MINUTES}, cool] * self.turns
        out: dict[str, Any] = {
            "format": FORMAT,
            "title": self.title,
            "piece": {
                "food": "egg-duck" if self.species == "duck" else "egg-whole",
                "cut": "" if self.species == "duck" else CUT,
                "form": "egg-later" if self.stop in {HELD, LATER} else "egg-now",
                "count": self.count,
                "shape": {"kind": "egg", "mass_g": self.mass_g, "species": self.species},
                "mass_g": self.mass_g,
                "start_c": self.start_c,
            },
            "target": {} if self.minutes is not None else {"yolk": self.yolk},
            "stages": [*cooking, *self._after()],
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

    @property
    def heating_stages(self) -> int:
        """How many stages of its plan are hot and cool water, before it is stopped."""
        return 2 * self.turns if self.water == TURNS else 2 if self.water == TWO else 1

    @property
    def turns(self) -> int:
        """How many times it goes into hot and then into cool water."""
        return max(round((self.minutes or 0.0) / (2.0 * TURN_MINUTES)), 1)

    def _after(self) -> list[dict[str, Any]]:
        """The stages after the hot water."""
        ice = {"kind": "chill", "variant": "ice-water", "medium_c": 1, "minutes": ICE_MINUTES}
        plate = {"kind": "rest", "minutes": PLATE_MINUTES, "cover": "bare"}
        warm = {"kind": "bath", "medium_c": WARM_C}
        if self.stop == HELD:
            return [ice | {"minutes": PEEL_MINUTES}, warm | {"minutes": HELD_MINUTES}]
        if self.stop == LATER:
            cold = ice | {"minutes": CHILL_LONGEST_MIN, "until": {"core_c": CHILLED_C}}
            return [cold, warm | {"minutes": WARM_LONGEST_MIN, "until": {"core_c": WARMED_CORE_C}}]
        return [ice] if self.stop == ICE else [plate]

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
    if question.water == TURNS and question.minutes is None:
        return _in_turns(question)
    plan = parse(question.document())
    cook = run(plan, setup(plan))
    done = cook.stages[question.heating_stages - 1 if question.water == TURNS else 0]
    state = state_of(plan, cook)
    reached = question.minutes is not None or (done.ended_by == "yolk" and state.yolk_word == question.yolk)
    return EggAnswer(plan, cook, (done.end_s - cook.stages[0].start_s) / 60.0, state, reached)


def _in_turns(question: EggQuestion) -> EggAnswer:
    """So many turns of hot and cool water that the yolk is as wanted, or the fewest after which it is past that."""
    most = max(int(question.longest_min / (2.0 * TURN_MINUTES)), 1)
    wanted = YOLK_WORDS.index(question.yolk)
    low, high = 0, most  # too few; enough, or the most
    found = ask(question.by_minutes(2.0 * TURN_MINUTES * most))
    while high - low > 1:
        middle = (low + high) // 2
        tried = ask(question.by_minutes(2.0 * TURN_MINUTES * middle))
        if YOLK_WORDS.index(tried.state.yolk_word) >= wanted and tried.state.white_word != UNSET:
            high, found = middle, tried
        else:
            low = middle
    plan = parse({**found.plan.document, "target": {"yolk": question.yolk}})
    return replace(found, plan=plan, reached=found.state.yolk_word == question.yolk)


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
