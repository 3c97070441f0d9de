"""What both steppers do along their steps: peaks and roots within one, clocks, the next one's length, states kept."""

from __future__ import annotations

import numpy as np
from numba import njit

from ember_core.heat.kernel import Array, Criterion, leaf

UNTIL_TIME, UNTIL_CORE, UNTIL_SURFACE, UNTIL_MEAN, UNTIL_LOG10, UNTIL_RULE, UNTIL_PEAK, UNTIL_TURN = range(8)
FAILED, SPENT = -1, -2  # a stage whose step size underflowed; one that used up what may be spent on its plan
# counted work stands for time, so that a plan has the same answer on every machine; ns on a slow one, by measuring
WORK, LIMIT = 4, 5  # where a record counts it, and how much is allowed
LOOK_NS, CELL_NS = 600, 60  # one look at a one-dimensional piece, and each of its cells
STAGE_NS, NODE_NS = 700, 14  # one look at a mesh, and each of its nodes
LOOKED_UP_NS = 24  # and each node near freezing besides
CLOCK_NS, ROW_NS = 100, 8  # a node's lethality for a step, and each row of its rule
MOST_SWING_K = 1.0  # so far may the core rise and fall again within one step
MARGIN_S = 0.01  # a clock must be this far past its row, so that the judge of the samples agrees
RULE_TOLERANCE_K = 0.05  # a row is met within the rounding of °F to °C


@leaf
def hermite(u: float, v0: float, s0: float, v1: float, s1: float, dt: float) -> float:
    """Cubic with values v0, v1 and slopes s0, s1 (per s) at the ends of ``dt`` s, at the share ``u`` of it."""
    start = (1 + 2 * u) * (1 - u) ** 2 * v0 + u * (1 - u) ** 2 * dt * s0
    return start + u * u * (3 - 2 * u) * v1 + u * u * (u - 1) * dt * s1


@leaf
def hermite_root(v0: float, s0: float, v1: float, s1: float, dt: float, target: float) -> float:
    """Where the cubic through (v0, s0), (v1, s1) over ``dt`` meets ``target``; it lies between."""
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
def accumulate(y: Array, before: Array, after: Array, dt: float, n: int, off: int, crit: Criterion) -> None:
    """Advance each cell's lethality and rule clocks over a step whose temperatures run linearly."""
    rows = crit.row_c.size
    for i in range(n):
        a, b = before[i], after[i]
        if crit.d_ref > 0.0:
            ra = 10.0 ** ((a - crit.t_ref) / crit.z) / crit.d_ref
            rb = 10.0 ** ((b - crit.t_ref) / crit.z) / crit.d_ref
            # exact for a temperature that runs linearly over the step
            y[off + i] += dt * (
                (rb - ra) / np.log(rb / ra) if abs(a - b) > 1e-6 and ra > 0.0 and rb > 0.0 else 0.5 * (ra + rb)
            )
        for r in range(rows):
            limit = crit.row_c[r] - RULE_TOLERANCE_K
            at = off + 2 * n + i * rows + r
            if a >= limit and b >= limit:
                y[at] += dt
            elif b >= limit:
                y[at] = dt * (b - limit) / (b - a)
            elif a >= limit:
                y[at] += dt * (a - limit) / (a - b)
            if y[at] >= crit.row_s[r] + MARGIN_S and (a >= limit or b >= limit):
                y[off + n + i] = 1.0
            if b < limit:
                y[at] = 0.0


@leaf
def time_to_met(y: Array, n: int, off: int, crit: Criterion) -> float:
    """Seconds until every cell has met the rule by a row whose clock runs; inf when one has no such row."""
    rows = crit.row_c.size
    longest = 0.0
    for i in range(n):
        if y[off + n + i] >= 1.0:
            continue
        nearest = np.inf
        for r in range(rows):
            clock = y[off + 2 * n + i * rows + r]
            if clock > 0.0:
                nearest = min(nearest, crit.row_s[r] + MARGIN_S - clock)
        longest = max(longest, nearest)
    return longest


@leaf
def next_step(t: float, step: float, end: float, stops: Array, stop_i: int, trial: float) -> tuple[float, bool]:
    """Length of the step to try (s), and whether it was cut to meet the end or the next stop exactly.

    ``trial`` > 0 is a step towards a wanted moment and is taken as it is.
    """
    limit = end
    if stop_i < stops.size and stops[stop_i] < end:
        limit = stops[stop_i]
    if trial > 0.0:
        return trial, False
    if t + step >= limit - 1e-9:
        return limit - t, True
    if t + 2.0 * step > limit:
        return 0.5 * (limit - t), False
    return step, False


@njit(cache=True, nogil=True)
def keep_state(y: Array, t: float, store: Array, store_t: Array, stored: int) -> int:
    """Append a state (at ``t`` s); a full store is thinned to every second one. Returns how many are kept."""
    if stored >= store_t.size:
        for j in range(stored // 2):
            store[j, :] = store[2 * j, :]
            store_t[j] = store_t[2 * j]
        stored = stored // 2
    store[stored, :] = y
    store_t[stored] = t
    return stored + 1
