"""How long an egg stays on heat so that its yolk comes out as wanted: found by cooking it, for stages that wait for the yolk.

Nobody looks into an egg while it cooks, so what is found is a time; the solver goes by it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.heat.arrays import Array
from ember_core.heat.egg_states import Cooked, edge_of, field_of
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.physics.setting import dose, doses, yolk_rate
from ember_core.heat.setup import Setup
from ember_core.heat.solver.ending import UNTIL_TIME, UNTIL_YOLK, UNTIL_YOLK_EDGE
from ember_core.heat.solver.reservoir import course, store_in
from ember_core.heat.solver.types import Rows
from ember_core.plan.plan import Plan

NEAR_SET, NEAR_K = 0.006, 0.02  # a yolk, or its edge, is met so nearly
MOST_RUNS = 16
SAME_S = 1e-3
HOT_C = 80.0
# a hen's egg of 57 g comes nearer to its water by a factor e in so many seconds; one of another breadth by this power of it: between
# the 2 of a body alone and the 1 of its skin; fitted with what follows
FIRST_S, BREADTH_M, BY_BREADTH = 365.0, 0.0423, 1.8


class About(NamedTuple):
    """Where to look first for a yolk's word, see :data:`ABOUT_C`."""

    edge_c: float  # °C
    by_water: float  # K per K
    by_cold: float  # K
    by_size: float  # K per e-fold
    trust: float  # share of the first correction


# in hot water a yolk is as its word when its edge is about so warm, °C, stopped in iced water, and where it goes on in the air; more by so much
# for each kelvin that the water boils below 100 °C, for water that is brought to the boil, and for each e-fold of its breadth; and by what share
# of itself the first correction is right. All fitted; they only say where to look first
ABOUT_C = {
    "runny": (About(56.9, 0.24, 2.9, -5.0, 1.0), About(51.7, 0.29, 3.6, -3.8, 1.25)),
    "syrupy": (About(64.3, 0.13, 1.5, -1.5, 1.0), About(57.2, 0.27, 3.1, -0.5, 1.3)),
    "jammy": (About(70.8, 0.0, 0.5, 0.0, 1.0), About(62.8, 0.20, 1.4, 5.3, 1.3)),
    "fudgy": (About(77.4, -0.15, 0.0, 1.0, 0.65), About(70.0, 0.07, 0.5, 14.6, 1.0)),
    "dry": (About(82.8, -0.21, 0.0, 0.7, 0.65), About(77.0, 0.02, 0.1, 11.1, 1.0)),
}
FROM_COLD_K = 20.0  # water that begins so far below its boil is brought to it
# what stops it; it thickens in a bath from when it is so near to it, or later: too long a first guess has all in it that is asked
COLD_C, LAG_K = 20.0, 0.08
SLOPE_S, LEAST_RATE = 10.0, 1e-5
MOMENTS, PASSES, EGG_J_M3K = 100, 2, 3.7e6  # of a first guess in water with a store
LEAST, MOST = 1e-9, 1.0 - 1e-9


def waits_for_yolk(s: Setup) -> int | None:
    """The first stage of a schedule that waits for the yolk; None: no stage does."""
    waiting = np.flatnonzero(s.schedule.until >= UNTIL_YOLK_EDGE)
    return int(waiting[0]) if waiting.size else None


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


def yolk_time(
    plan: Plan, s: Setup, stage: int, cooked: Callable[[Setup, Mapping[int, str]], Cooked], before: Mapping[int, str]
) -> tuple[float, bool]:
    """How long ``stage`` takes, s, so that the yolk is as wanted when the egg is eaten; whether it can be.

    Too long already at no time at all, or not within the stage's longest: that time, and False.

    Parameters
    ----------
    plan, s : Plan, Setup
        Other stages wait for no yolk.
    stage : int
    cooked : function
        Cooks a setup of the plan by its clock; also takes what stages got that waited for the yolk, by their number.
    before : mapping
        Those that are settled already.
    """
    measure, goal = goal_of(str(plan.stages[stage].word))
    longest, wanted = float(s.schedule.duration[stage]), _dosed(goal)
    grid = _mesh(s)
    met = {**before, stage: str(plan.stages[stage].until)}

    def off(seconds: float) -> tuple[float, Cooked, float]:
        cook = cooked(by_time(s, stage, seconds), met)
        reached = _share(grid, cook, measure)
        return _dosed(reached) - wanted, cook, reached

    low, high, guess = 0.0, longest, _first_guess(plan, s, stage)
    was: tuple[float, float] | None = None
    for _ in range(MOST_RUNS):
        now, cook, reached = off(guess)
        if abs(reached - goal) < NEAR_SET:
            return guess, True
        if now < 0.0 and guess >= longest - SAME_S:
            return longest, False
        if now > 0.0 and guess <= SAME_S:
            return 0.0, False
        low, high = (guess, high) if now < 0.0 else (low, guess)
        if was is None:
            to = _by_course(_course(grid, cook, stage, measure), guess, now, wanted)
            following = guess + _about(plan, s, stage).trust * (to - guess)
        else:
            slope = (now - was[1]) / (guess - was[0])
            following = guess - now / slope if slope > 0.0 else 0.5 * (low + high)
        was = (guess, now)
        # beyond what is known to be too short or too long: the ends of the stage, else the middle
        if following >= high:
            following = longest if high == longest else 0.5 * (low + high)
        elif following <= low:
            following = 0.0 if low == 0.0 else 0.5 * (low + high)
        guess = following
    return guess, True


def _about(plan: Plan, s: Setup, stage: int) -> About:
    """What is known beforehand of a yolk's word and of what stops it, see :data:`ABOUT_C`."""
    after = s.schedule.faces["medium_c"][stage + 1 :]
    return ABOUT_C[str(plan.stages[stage].word)][0 if after.size and float(after[0].max()) < COLD_C else 1]


def _first_guess(plan: Plan, s: Setup, stage: int) -> float:
    """Where to look first, s: the first term of a sphere in hot water; in a bath that, and what the yolk's rate takes there."""
    longest, word = float(s.schedule.duration[stage]), str(plan.stages[stage].word)
    water = float(s.schedule.faces["medium_c"][stage].max())
    scale = FIRST_S * (s.size / BREADTH_M) ** BY_BREADTH
    store = store_in(s.schedule.faces[stage])
    stored = store[0]["capacity"] > 0.0 and store[0]["set_c"] >= HOT_C
    hot = float(store[0]["set_c"]) if stored else water
    known = _about(plan, s, stage)
    about = known.edge_c + known.by_water * (100.0 - hot) + known.by_size * float(np.log(s.size / BREADTH_M))
    if stored:
        if store[0]["t_c"] < hot - FROM_COLD_K:
            about += known.by_cold
        return _in_store(plan.start_c, about, scale, longest, store)
    if water >= HOT_C:
        return float(min(scale * np.log(max(water - plan.start_c, 1.0) / (water - about)), longest)) if about < water - 1.0 else 0.5 * longest  # fmt: skip
    measure, goal = goal_of(word)
    row = read_toml("eggs.toml")["yolk"]
    dose_s = -np.log1p(-goal) * (row["firm"] if measure == "firm" else 1.0) / float(yolk_rate(water))
    lag = scale * np.log(max(water - plan.start_c, LAG_K) / LAG_K)
    return float(min(lag + dose_s, longest))


def _in_store(start_c: float, about_c: float, scale_s: float, longest: float, store: Rows) -> float:
    """When an egg that follows its water by ``scale_s`` is about so warm, s, where the water itself cools and comes to the boil."""
    t = np.linspace(0.0, longest, MOMENTS)
    medium, egg = np.full(t.size, float(store[0]["t_c"])), np.full(t.size, start_c)
    taken = float(store[0]["pieces_m3"]) * EGG_J_M3K / scale_s  # W/K, by all eggs
    keep = np.exp(-(t[1] - t[0]) / scale_s)
    for _ in range(PASSES):
        course(store.copy(), t, np.full(t.size, taken), taken * egg, medium)
        for i in range(1, t.size):
            egg[i] = keep * egg[i - 1] + (1.0 - keep) * 0.5 * (medium[i - 1] + medium[i])
    return float(np.interp(about_c, egg, t)) if egg[-1] > about_c else longest


def _by_course(course: tuple[Array, Array], seconds: float, off: float, wanted: float) -> float:
    """The time at which the yolk would have come so far that what follows takes it to what is wanted, s.

    Parameters
    ----------
    course : tuple of ndarray
        Of the stage that was cooked, see :func:`_course`.
    seconds, off : float
        How long it was, and how far from what is wanted the yolk then ended, logarithm of its dose.
    wanted : float
        The same that is wanted.
    """
    at, dosed = course
    aim = wanted - (off + wanted - float(dosed[-1]))
    if float(dosed[-1]) >= aim:
        return float(np.interp(aim, dosed, at))
    rate = float(dosed[-1] - np.interp(at[-1] - SLOPE_S, at, dosed)) / SLOPE_S
    return seconds + (aim - float(dosed[-1])) / max(rate, LEAST_RATE)


def _mesh(s: Setup) -> Mesh:
    """The mesh of an egg's setup."""
    assert isinstance(s.grid, Mesh)  # an egg's is one
    return s.grid


def _share(mesh: Mesh, cook: Cooked, measure: str) -> float:
    """How far the yolk has come when it is eaten: the mean over it, 0 to 1, thickened or crumbly."""
    yolk = np.flatnonzero(mesh.inner)
    weight = mesh.mean[yolk] / mesh.mean[yolk].sum()
    firm_at = float(read_toml("eggs.toml")["yolk"]["firm"]) if measure == "firm" else 1.0
    thick = dose(cook.t, yolk_rate(field_of(cook, mesh)[:, yolk])) / firm_at
    return float((1.0 - np.exp(-thick)) @ weight)


def _course(mesh: Mesh, cook: Cooked, stage: int, measure: str) -> tuple[Array, Array]:
    """How far the yolk is along a stage, if nothing came after: s into it, and the logarithm of its dose, which rises."""
    yolk = np.flatnonzero(mesh.inner)
    weight = mesh.mean[yolk] / mesh.mean[yolk].sum()
    firm_at = float(read_toml("eggs.toml")["yolk"]["firm"]) if measure == "firm" else 1.0
    thick = doses(cook.t, yolk_rate(field_of(cook, mesh)[:, yolk])) / firm_at
    share = np.clip((1.0 - np.exp(-thick)) @ weight, LEAST, MOST)
    done = cook.stages[stage]
    within = (cook.t >= done.start_s - SAME_S) & (cook.t <= done.end_s + SAME_S)
    return cook.t[within] - done.start_s, np.log(-np.log1p(-share[within]))


def edge_time(
    plan: Plan, s: Setup, stage: int, cooked: Callable[[Setup, Mapping[int, str]], Cooked], before: Mapping[int, str]
) -> tuple[float, bool]:
    """How long ``stage`` takes, s, until the mean over the yolk's surface is at what it waits for; whether it gets there.

    Parameters
    ----------
    plan, s, stage, cooked, before
        As of :func:`yolk_time`.
    """
    longest, value = float(s.schedule.duration[stage]), float(s.schedule.value[stage])
    met = {**before, stage: str(plan.stages[stage].until)}
    whole = cooked(by_time(s, stage, longest), met)
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
        found = cooked(by_time(s, stage, guess), met)
        off = float(np.interp(found.stages[stage].end_s, found.t, edge_of(plan, found, _mesh(s)))) - value
        if abs(off) < NEAR_K:
            break
        guess = min(max(guess - off / rate, 0.0), longest)
    return guess, True


def settled(plan: Plan, s: Setup, cooked: Callable[[Setup, Mapping[int, str]], Cooked]) -> tuple[Setup, dict[int, str]]:
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
        seconds, reached = find(plan, s, stage, cooked, met)
        s = by_time(s, stage, seconds)
        if reached or seconds == 0.0:
            met[stage] = str(plan.stages[stage].until)
    return s, met
