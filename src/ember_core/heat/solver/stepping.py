"""What both steppers do along their steps: the next one's length, peaks and roots within one, clocks, states kept."""

from __future__ import annotations

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import leaf
from ember_core.heat.solver.types import Criterion, State

# counted work stands for time, so that a plan has the same answer on every machine; ns on a slow one, by measuring
LOOK_NS, CELL_NS = 600, 60  # one look at a one-dimensional piece, and each of its cells
STAGE_NS, NODE_NS = 700, 14  # one look at a mesh, and each of its nodes
LOOKED_UP_NS = 24  # and each node near freezing besides
CLOCK_NS, ROW_NS = 100, 8  # a node's lethality for a step, and each row of its rule
SAME_S = 1e-9  # moments nearer to each other are one
SHORTEST_S = 1e-8  # a step that would be shorter is given up
LEAST_ERROR = 1e-6  # share of the tolerance: no step grows for less
MOST_SWING_K = 1.0  # so far may the core rise and fall again within one step
MARGIN_S = 0.01  # a clock must be this far past its row, so that the judge of the samples agrees
RULE_TOLERANCE_K = 0.05  # a row is met within the rounding of °F to °C


@leaf
def hermite(u: float, v0: float, s0: float, v1: float, s1: float, dt: float) -> float:
    """Cubic with values v0, v1 and slopes s0, s1 (per s) at the ends of ``dt`` s, at the share ``u`` of it.

    Parameters
    ----------
    u : float
        Share of the step, 0 to 1.
    v0, s0, v1, s1 : float
        Values and slopes (per s) at both ends.
    dt : float
        Its length, s.
    """
    start = (1 + 2 * u) * (1 - u) ** 2 * v0 + u * (1 - u) ** 2 * dt * s0
    return start + u * u * (3 - 2 * u) * v1 + u * u * (u - 1) * dt * s1


@leaf
def hermite_root(v0: float, s0: float, v1: float, s1: float, dt: float, target: float) -> float:
    """Where the cubic through (v0, s0), (v1, s1) over ``dt`` meets ``target``; it lies between.

    Parameters
    ----------
    v0, s0, v1, s1 : float
        Values and slopes (per s) at both ends.
    dt : float
        Length of the step, s.
    target : float
        A value between ``v0`` and ``v1``.
    """
    lo, hi = 0.0, 1.0
    rising = v1 > v0
    for _ in range(50):
        u = 0.5 * (lo + hi)
        value = hermite(u, v0, s0, v1, s1, dt)
        if (value < target) == rising:
            lo = u
        else:
            hi = u
    return 0.5 * (lo + hi) * dt


@leaf
def hermite_peak(v0: float, s0: float, v1: float, s1: float, dt: float) -> tuple[float, float]:
    """Maximum of the cubic over the step when its slope changes from plus to minus: value, offset.

    A cubic that swings far beyond both ends is none: there the place has begun or ended to boil, and the higher end counts.

    Parameters
    ----------
    v0, s0, v1, s1 : float
        Values and slopes (per s) at both ends.
    dt : float
        Length of the step, s.
    """
    lo, hi = 0.0, 1.0
    for _ in range(40):
        u = 0.5 * (lo + hi)
        slope = (6 * u * u - 6 * u) * (v0 - v1) / dt + (3 * u * u - 4 * u + 1) * s0 + (3 * u * u - 2 * u) * s1
        if slope > 0.0:
            lo = u
        else:
            hi = u
    u = 0.5 * (lo + hi)
    value = hermite(u, v0, s0, v1, s1, dt)
    if value > max(v0, v1) + MOST_SWING_K:
        return max(v0, v1), 0.0 if v0 > v1 else dt
    return value, u * dt


@leaf
def highest(
    peak: float, peak_t: float, t: float, step: float, core: float, rate: float, core1: float, rate1: float
) -> tuple[float, float]:
    """The highest core met and its time, after a step from ``t`` (s) with cores (°C) and their rates (K/s) at its ends.

    Parameters
    ----------
    peak, peak_t : float
        The highest so far, °C, and its time, s.
    t, step : float
        Begin and length of the step, s.
    core, rate, core1, rate1 : float
        °C and K/s at both ends.
    """
    if rate > 0.0 and rate1 < 0.0:
        top, at = hermite_peak(core, rate, core1, rate1, step)
        if top > peak:
            peak, peak_t = top, t + at
    if core1 > peak:
        peak, peak_t = core1, t + step
    return peak, peak_t


@leaf
def accumulate(state: State, before: Array, after: Array, dt: float, crit: Criterion) -> None:
    """Advance each cell's lethality and rule clocks over a step whose temperatures run linearly.

    Parameters
    ----------
    state : State
    before, after : ndarray (cells,)
        Temperatures, °C.
    dt : float
        s.
    crit : Criterion
    """
    rows = crit.row_c.size
    for i in range(before.size):
        a, b = before[i], after[i]
        if crit.d_ref > 0.0:
            ra = 10.0 ** ((a - crit.t_ref) / crit.z) / crit.d_ref
            rb = 10.0 ** ((b - crit.t_ref) / crit.z) / crit.d_ref
            # exact for a temperature that runs linearly over the step
            state.lethality[i] += dt * (
                (rb - ra) / np.log(rb / ra) if abs(a - b) > 1e-6 and ra > 0.0 and rb > 0.0 else 0.5 * (ra + rb)
            )
        for r in range(rows):
            limit = crit.row_c[r] - RULE_TOLERANCE_K
            if a >= limit and b >= limit:
                state.clocks[i, r] += dt
            elif b >= limit:
                state.clocks[i, r] = dt * (b - limit) / (b - a)
            elif a >= limit:
                state.clocks[i, r] += dt * (a - limit) / (a - b)
            if state.clocks[i, r] >= crit.row_s[r] + MARGIN_S and (a >= limit or b >= limit):
                state.met[i] = 1.0
            if b < limit:
                state.clocks[i, r] = 0.0


@leaf
def time_to_met(state: State, crit: Criterion) -> float:
    """Seconds until every cell has met the rule by a row whose clock runs; inf when one has no such row."""
    longest = 0.0
    for i in range(state.met.size):
        if state.met[i] >= 1.0:
            continue
        nearest = np.inf
        for r in range(crit.row_c.size):
            clock = state.clocks[i, r]
            if clock > 0.0:
                nearest = min(nearest, crit.row_s[r] + MARGIN_S - clock)
        longest = max(longest, nearest)
    return longest


@leaf
def next_step(t: float, step: float, end: float, stops: Array, stop_i: int, aimed: float) -> tuple[float, bool]:
    """Length of the step to try (s), and whether it was cut to meet the end or the next stop exactly.

    Parameters
    ----------
    t, step, end : float
        Now, the length wished for, the stage's end, s.
    stops, stop_i : ndarray, int
        Times to be met exactly, s, and which is next.
    aimed : float
        Above 0 a step towards a wanted moment, which is taken as it is.
    """
    limit = end
    if stop_i < stops.size and stops[stop_i] < end:
        limit = stops[stop_i]
    if aimed > 0.0:
        return aimed, False
    if t + step >= limit - SAME_S:
        return limit - t, True
    if t + 2.0 * step > limit:
        return 0.5 * (limit - t), False
    return step, False


@leaf
def next_stop(stops: Array, stop_i: int, t: float) -> int:
    """Which of the times ``stops`` (s) is the first after ``t``, from ``stop_i`` on."""
    while stop_i < stops.size and stops[stop_i] <= t + SAME_S:
        stop_i += 1
    return stop_i


@leaf
def keep_state(y: Array, t: float, store: Array, store_t: Array, stored: int) -> int:
    """Append a state (at ``t`` s); a full store is thinned to every second one. Returns how many are kept.

    Parameters
    ----------
    y : ndarray
        The state, flat.
    t : float
        s.
    store, store_t : ndarray
        Rows of states, and their times; without rows nothing is kept.
    stored : int
        How many there are.
    """
    if store_t.size == 0:
        return 0
    if stored >= store_t.size:
        for j in range(stored // 2):
            for i in range(y.size):
                store[j, i] = store[2 * j, i]
            store_t[j] = store_t[2 * j]
        stored = stored // 2
    for i in range(y.size):
        store[stored, i] = y[i]
    store_t[stored] = t
    return stored + 1
