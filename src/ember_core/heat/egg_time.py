"""How long an egg stays on heat so that its yolk comes out as wanted: found by cooking it, for stages that wait for the yolk.

Nobody looks into an egg while it cooks, so what is found is a time; the solver goes by it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.heat.arrays import Array
from ember_core.heat.egg_states import Cooked, edge_of
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.physics.setting import doses, yolk_rate
from ember_core.heat.setup import Setup
from ember_core.heat.solver.ending import UNTIL_TIME, UNTIL_YOLK, UNTIL_YOLK_EDGE
from ember_core.heat.solver.reservoir import course, follow, store_in
from ember_core.heat.solver.types import Rows
from ember_core.plan.plan import Plan

NEAR_SET, NEAR_K = 0.006, 0.02  # a yolk, or its edge, is met so nearly
# or so nearly in its time, a share (two seconds of eight minutes), where it is off by no more than that
NEAR_TIME, OFF_SET = 0.004, 0.02
MOST_RUNS = 16
SAME_S = 1e-3
HOT_C = 80.0
# a hen's egg of 57 g comes nearer to its water by a factor e in so many seconds; one of another breadth by this power of it: between
# the 2 of a body alone and the 1 of its skin; fitted with what follows
FIRST_S, BREADTH_M, BY_BREADTH = 365.0, 0.0423, 1.8


class Came(NamedTuple):
    """A yolk through one cook, for its time: doses are of its nodes, 1 where it is as its measure has it."""

    share: float  # as it is eaten: mean over the yolk, 0 to 1
    at: Array  # moments of the stage, s into it
    within: Array  # doses to there from the begin of the cook, moments × nodes
    after: Array  # those that came after the stage
    rate: Array  # at its end, 1/s
    warms: Array  # K/s there
    goes_on: float  # K/s: so much warmer per second is what comes after the stage, see ABOUT_C
    weight: Array  # shares in the mean


class About(NamedTuple):
    """Where to look first for a yolk's word, see :data:`ABOUT_C`."""

    edge_c: float  # °C
    by_water: float  # K per K
    by_size: float  # K per e-fold
    from_cold: float  # K
    by_minute: float  # K per min
    by_load: float  # K
    by_yolk: float  # share, 0 to 1


# in hot water a yolk is as its word when its edge is about so warm, °C, stopped in iced water, and where it goes on in the air; more by so much
# for each kelvin that the water boils below 100 °C and for each e-fold of its breadth; in water that is brought to the boil, for each minute that
# its heater takes for that, and as the eggs' heat capacity is that of the pot and its water. By the last share of the yolk's warming, and by the rest of the whole egg's, does what comes after a
# stage change with its end. All fitted to some 900 cooks; they only say where to look first
ABOUT_C = {
    "runny": (About(56.9, 0.24, -5.0, -0.30, 0.38, 1.2, 0.3), About(51.7, 0.29, -3.8, -0.99, 0.43, 4.2, 0.0)),
    "syrupy": (About(64.3, 0.13, -1.5, -0.27, 0.17, 0.8, 0.35), About(57.2, 0.27, -0.5, -0.93, 0.37, 1.0, 0.0)),
    "jammy": (About(70.8, 0.0, 0.0, -0.14, 0.02, 3.1, 0.4), About(62.8, 0.20, 5.3, -0.79, 0.20, 3.0, 0.0)),
    "fudgy": (About(77.4, -0.15, 1.0, 0.18, -0.06, 3.1, 0.5), About(70.0, 0.07, 14.6, -0.34, 0.03, 4.8, 0.3)),
    "dry": (About(82.8, -0.21, 0.7, 0.23, -0.03, 1.8, 0.5), About(77.0, 0.02, 11.1, -0.04, 0.01, 2.1, 0.35)),
}
FROM_COLD_K = 20.0  # water that begins so far below its boil is brought to it
# in a bath the yolk of a hen's egg of 57 g is off its water by this share of what it began with, less by a factor e in so many seconds, and for
# another breadth by this power of it; what comes after the bath does as much as so many seconds more of it, in iced water and elsewhere, and for
# another breadth by this power. Fitted to 400 cooks of 8 to 200 g in 58 to 78 °C; they only say where to look first
BATH_SHARE, BATH_S, BATH_BY_BREADTH = 0.911, 636.5, 1.566
BATH_AFTER_S, AFTER_BY_BREADTH = (-41.0, 92.0), 0.68
COLD_C = 20.0
# shares of a stage's length about its end, where its course is drawn by its warming there
ABOUT_END = np.array([-0.07, -0.05, -0.03, -0.015, 0.0, 0.015, 0.03, 0.05, 0.1, 0.2, 0.4, 0.8, 1.6])
LEAST_WARMS = 1e-6  # K/s
MOMENTS, PASSES, EGG_J_M3K = 100, 2, 3.7e6  # of a first guess in water with a store
BATH_MOMENTS = 400
LEAST, MOST = 1e-9, 1.0 - 1e-9


def waits_for_yolk(s: Setup) -> int | None:
    """The first stage of a schedule that waits for the yolk; None: no stage does."""
    waiting = s.schedule.until >= UNTIL_YOLK_EDGE
    return int(waiting.argmax()) if waiting.any() else None


def by_time(s: Setup, stage: int, seconds: float) -> Setup:
    """A setup whose ``stage`` takes so long and waits for nothing."""
    until, duration = s.schedule.until.copy(), s.schedule.duration.copy()
    until[stage], duration[stage] = UNTIL_TIME, max(seconds, 1e-3)
    return replace(s, schedule=s.schedule._replace(until=until, duration=duration))


def goal_of(word: str) -> tuple[str, float]:
    """What a word of the yolk aims at: ``yolk`` or ``firm``, and how far, 0 to 1."""
    row = next(r for r in read_toml("eggs.toml")["yolk_word"] if r["word"] == word)
    return ("firm", float(row["goal_firm"])) if "goal_firm" in row else ("yolk", float(row["goal"]))


def _dosed(share: float) -> float:
    """The logarithm of the dose that sets such a share, 0 to 1: it runs nearly straight with time."""
    return float(np.log(-np.log1p(-min(max(share, LEAST), MOST))))


def yolk_time(plan: Plan, s: Setup, stage: int, cooked: Callable[[Setup], Cooked]) -> tuple[float, bool]:
    """How long ``stage`` takes, s, so that the yolk is as wanted when the egg is eaten; whether it can be.

    Too long already at no time at all, or not within the stage's longest: that time, and False.

    Parameters
    ----------
    plan, s : Plan, Setup
        Other stages wait for no yolk.
    stage : int
    cooked : function
        Cooks a setup of the plan by its clock.
    """
    measure, goal = goal_of(str(plan.stages[stage].word))
    longest, wanted = float(s.schedule.duration[stage]), _dosed(goal)
    grid, by_yolk = _mesh(s), _about(plan, s, stage).by_yolk
    low, high, guess = 0.0, longest, _first_guess(plan, s, stage)
    was: tuple[float, float] | None = None
    for _ in range(MOST_RUNS):
        came = _came(grid, cooked(by_time(s, stage, guess)), stage, measure, by_yolk)
        now = _dosed(came.share) - wanted
        if abs(came.share - goal) < NEAR_SET:
            return guess, True
        if now < 0.0 and guess >= longest - SAME_S:
            return longest, False
        if now > 0.0 and guess <= SAME_S:
            return 0.0, False
        low, high = (guess, high) if now < 0.0 else (low, guess)
        if was is None:
            following = _by_course(came, wanted)
        else:
            slope = (now - was[1]) / (guess - was[0])
            following = guess - now / slope if slope > 0.0 else 0.5 * (low + high)
        was = (guess, now)
        # beyond what is known to be too short or too long: the ends of the stage, else the middle
        if following >= high:
            following = longest if high == longest else 0.5 * (low + high)
        elif following <= low:
            following = 0.0 if low == 0.0 and guess > SAME_S else 0.5 * (low + high)
        if abs(following - guess) < NEAR_TIME * guess and abs(came.share - goal) < OFF_SET:
            return guess, True
        guess = following
    return guess, True


def _about(plan: Plan, s: Setup, stage: int) -> About:
    """What is known beforehand of a yolk's word and of what stops it, see :data:`ABOUT_C`."""
    return ABOUT_C[str(plan.stages[stage].word)][0 if _chilled(s, stage) else 1]


def _chilled(s: Setup, stage: int) -> bool:
    """Whether cold water follows a stage."""
    after = s.schedule.faces["medium_c"][stage + 1 :]
    return bool(after.size and float(after[0].max()) < COLD_C)


def _first_guess(plan: Plan, s: Setup, stage: int) -> float:
    """Where to look first, s: the first term of a sphere in hot water; in a bath that, and what the yolk's rate takes there."""
    longest, word = float(s.schedule.duration[stage]), str(plan.stages[stage].word)
    water = float(s.schedule.faces["medium_c"][stage].max())
    breadth = s.size / BREADTH_M
    scale = FIRST_S * breadth**BY_BREADTH
    store = store_in(s.schedule.faces[stage])
    stored = store[0]["capacity"] > 0.0 and store[0]["set_c"] >= HOT_C
    hot = float(store[0]["set_c"]) if stored else water
    known = _about(plan, s, stage)
    about = known.edge_c + known.by_water * (100.0 - hot) + known.by_size * float(np.log(breadth))
    if stored:
        below = hot - float(store[0]["t_c"])
        if below > FROM_COLD_K:
            rise_s = float(store[0]["capacity"]) * below / max(float(store[0]["heater_w"]), 1.0)
            load = float(store[0]["pieces_m3"]) * EGG_J_M3K / float(store[0]["capacity"])
            about += known.from_cold + known.by_minute * rise_s / 60.0 + known.by_load * load
        return _in_store(plan.start_c, about, scale, longest, store)
    if water >= HOT_C:
        return float(min(scale * np.log(max(water - plan.start_c, 1.0) / (water - about)), longest)) if about < water - 1.0 else 0.5 * longest  # fmt: skip
    return _in_bath(plan.start_c, water, breadth, _dose_of(word), _chilled(s, stage), longest)


def _dose_of(word: str) -> float:
    """The dose that makes a yolk as its word, 1 where it is thick."""
    measure, goal = goal_of(word)
    return -float(np.log1p(-goal)) * (float(read_toml("eggs.toml")["yolk"]["firm"]) if measure == "firm" else 1.0)


def _in_bath(start_c: float, water_c: float, breadth: float, dose: float, chilled: bool, longest: float) -> float:
    """When a yolk in a bath has its dose, s.

    Parameters
    ----------
    start_c, water_c : float
        °C.
    breadth : float
        Times that of :data:`BREADTH_M`.
    dose : float
        See :func:`_dose_of`.
    chilled : bool
        Whether iced water follows.
    longest : float
        s.
    """
    t = np.linspace(0.0, longest, BATH_MOMENTS)
    off = np.minimum(BATH_SHARE * np.exp(-t / (BATH_S * breadth**BATH_BY_BREADTH)), 1.0)
    rate = yolk_rate(water_c - (water_c - start_c) * off)
    after_s = BATH_AFTER_S[0 if chilled else 1] * breadth**AFTER_BY_BREADTH
    return float(np.interp(dose, doses(t, rate) + after_s * rate, t))


def _in_store(start_c: float, about_c: float, scale_s: float, longest: float, store: Rows) -> float:
    """When an egg that follows its water by ``scale_s`` is about so warm, s, where the water itself cools and comes to the boil."""
    t = np.linspace(0.0, longest, MOMENTS)
    medium, egg = np.full(t.size, float(store[0]["t_c"])), np.full(t.size, start_c)
    taken = float(store[0]["pieces_m3"]) * EGG_J_M3K / scale_s  # W/K, by all eggs
    keep = float(np.exp(-(t[1] - t[0]) / scale_s))
    for _ in range(PASSES):
        course(store.copy(), t, np.full(t.size, taken), taken * egg, medium)
        follow(medium, keep, egg)
    return float(np.interp(about_c, egg, t)) if egg[-1] > about_c else longest


def _by_course(came: Came, wanted: float) -> float:
    """The time at which the stage would have to end for the yolk to come out as wanted, s, by what one cook of it did.

    What comes after it is warmer all along by as much as the egg is when it ends: right for one that is left to itself, near for one that is
    chilled.

    Parameters
    ----------
    came : Came
        Of that cook.
    wanted : float
        As of :func:`_dosed`.
    """
    per_k = float(np.log(10.0)) / read_toml("eggs.toml")["yolk"]["z_k"]
    end = float(came.at[-1])
    about = ABOUT_END * end
    grown = np.expm1(per_k * came.warms * about[:, None]) / (per_k * came.warms)
    long_before = int(np.searchsorted(came.at, end + about[0]))
    within = np.concatenate([came.within[:long_before], came.within[-1] + came.rate * grown])
    at = np.concatenate([came.at[:long_before], end + about])
    after = came.after * np.exp(per_k * came.goes_on * (at - end))[:, None]
    share = (1.0 - np.exp(-(within + after))) @ came.weight
    dosed = np.log(-np.log1p(-np.clip(share, LEAST, MOST)))
    return float(np.interp(wanted, np.maximum.accumulate(dosed), at))


def _mesh(s: Setup) -> Mesh:
    """The mesh of an egg's setup."""
    assert isinstance(s.grid, Mesh)  # an egg's is one
    return s.grid


def _came(mesh: Mesh, cook: Cooked, stage: int, measure: str, by_yolk: float) -> Came:
    """How far the yolk has come when it is eaten, and along a stage.

    Parameters
    ----------
    mesh, cook, stage
        The egg's, its cook, and which of its stages.
    measure : str
        ``yolk`` (thickened) or ``firm`` (crumbly).
    by_yolk : float
        See :data:`ABOUT_C`.
    """
    recorded, whole = np.hstack([cook.field, cook.elsewhere]), mesh.mean[mesh.watch]
    yolk = np.flatnonzero(mesh.inner[mesh.watch])
    weight = whole[yolk] / whole[yolk].sum()
    firm_at = float(read_toml("eggs.toml")["yolk"]["firm"]) if measure == "firm" else 1.0
    field = recorded[:, yolk]
    rate = yolk_rate(field) / firm_at
    dosed = doses(cook.t, rate)
    done = cook.stages[stage]
    first, last = (int(np.abs(cook.t - t).argmin()) for t in (done.start_s, done.end_s))
    before = max(last - 1, 0)
    step = max(float(cook.t[last] - cook.t[before]), SAME_S)
    warms = np.maximum((field[last] - field[before]) / step, LEAST_WARMS)
    return Came(
        share=float((1.0 - np.exp(-dosed[-1])) @ weight),
        at=cook.t[first : last + 1] - cook.t[first],
        within=dosed[first : last + 1],
        after=dosed[-1] - dosed[last],
        rate=rate[last],
        warms=warms,
        goes_on=(1.0 - by_yolk) * float((recorded[last] - recorded[before]) @ whole / whole.sum()) / step
        + by_yolk * float(warms @ weight),
        weight=weight,
    )


def edge_time(plan: Plan, s: Setup, stage: int, cooked: Callable[[Setup], Cooked]) -> tuple[float, bool]:
    """How long ``stage`` takes, s, until the mean over the yolk's surface is at what it waits for; whether it gets there.

    Parameters
    ----------
    plan, s, stage, cooked
        As of :func:`yolk_time`.
    """
    longest, value = float(s.schedule.duration[stage]), float(s.schedule.value[stage])
    whole = cooked(by_time(s, stage, longest))
    begin, end = whole.stages[stage].start_s, whole.stages[stage].end_s
    edge = edge_of(plan, whole, _mesh(s))
    t = np.concatenate([[begin], whole.t[(whole.t > begin) & (whole.t < end)], [end]])
    course = np.interp(t, whole.t, edge)
    above = course >= value
    crossed = np.flatnonzero(above != above[0])
    if not crossed.size:
        return longest, bool(course[0] == value)
    i = int(crossed[0])
    rate = (course[i] - course[i - 1]) / (t[i] - t[i - 1])
    guess = float(t[i - 1] + (value - course[i - 1]) / rate - begin)
    for _ in range(MOST_RUNS):
        found = cooked(by_time(s, stage, guess))
        off = float(np.interp(found.stages[stage].end_s, found.t, edge_of(plan, found, _mesh(s)))) - value
        if abs(off) < NEAR_K:
            break
        guess = min(max(guess - off / rate, 0.0), longest)
    return guess, True


def set_by_clock(plan: Plan, s: Setup, cooked: Callable[[Setup], Cooked]) -> tuple[Setup, dict[int, str]]:
    """A setup in which no stage waits for the yolk any more, and which of them got what they waited for: its word by stage.

    Parameters
    ----------
    plan, s : Plan, Setup
    cooked : function
        As of :func:`yolk_time`.
    """
    met: dict[int, str] = {}
    while (stage := waits_for_yolk(s)) is not None:
        find = yolk_time if s.schedule.until[stage] == UNTIL_YOLK else edge_time
        seconds, reached = find(plan, s, stage, cooked)
        s = by_time(s, stage, seconds)
        if reached or seconds == 0.0:
            met[stage] = str(plan.stages[stage].until)
    return s, met
