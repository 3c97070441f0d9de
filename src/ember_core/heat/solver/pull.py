"""A pull, solved by re-running only what comes after it. Compiled."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.by_shape import core_now, hottest_now
from ember_core.heat.solver.compiled import call_stepper, kernel, leaf
from ember_core.heat.solver.ending import FAILED, SPENT, UNTIL_CORE, UNTIL_PEAK, UNTIL_TIME, UNTIL_TURN
from ember_core.heat.solver.entering import entered, goes_on, stage_from
from ember_core.heat.solver.types import Case, Record, Rows, Schedule

STATES_KEPT = 400
MOST_ATTEMPTS = 40
BISECT_EVERY = 5  # attempts, should the secant creep
CLOSE_K, CLOSE_S = 2e-3, 1e-3  # of the peak, or as near as the case asks if that is more; of the bracket
NOT_RUN_C = -1e9  # the highest core of a stage that is not run


class StageSpan(NamedTuple):
    """A run through a stage: its faces, begin and longest duration (s), and what ends it earlier."""

    faces: Rows
    t: float
    span: float
    until: int
    value: float


class Seen(NamedTuple):
    """What a run keeps: samples at most ``longest`` s apart and at ``stops`` (s); states and their times.

    At 0 it keeps no samples, and below it takes such steps as if it did: what is solved by it is then what will be recorded.
    """

    longest: float
    stops: Array
    store: Array
    store_t: Array


@kernel
def unrecorded(longest: float, stops: Array) -> Seen:
    """A run that keeps nothing, in the steps of one with samples at most ``longest`` s apart (0: any) and at ``stops`` (s)."""
    return Seen(-longest, stops, np.empty((0, 0)), np.empty(0))


@leaf
def advance(
    y: Array, stretch: StageSpan, case: Case, record: Record, seen: Seen
) -> tuple[float, int, float, float, int]:
    """Advance the flat state ``y`` through a stage, by the case's stepper; returns what that does.

    Parameters
    ----------
    y : ndarray
        The flat state; changed.
    stretch, case : StageSpan, Case
        The stage; the piece.
    record, seen : Record, Seen
        What is recorded, and what is kept of the way.
    """
    return call_stepper(  # type: ignore[call-arg]  # numba hands an intrinsic its context
        case.stepper,
        (
            y, stretch.t, stretch.span, stretch.faces, case, stretch.until, stretch.value, seen.longest, record,
            seen.stops, seen.store, seen.store_t,
        ),
    )  # fmt: skip


@kernel
def with_ends(stops: Array, t: float, duration: Array) -> Array:
    """The times to be recorded (s), with the ends of stages that begin at ``t`` and last ``duration``, in order."""
    more = duration.size
    out = np.empty(stops.size + more)
    k = 0
    for i in range(more):
        t += duration[i]
        while k < stops.size and stops[k] <= t:
            out[i + k] = stops[k]
            k += 1
        out[i + k] = t
    while k < stops.size:
        out[more + k] = stops[k]
        k += 1
    return out


@kernel
def run_on(schedule: Schedule, s: int) -> int:
    """The last of the stages by the clock, from ``s`` on, that meet the same: for the piece they are one."""
    while (
        schedule.until[s] == UNTIL_TIME
        and s + 1 < schedule.duration.size
        and schedule.until[s + 1] == UNTIL_TIME
        and goes_on(schedule.faces[s], schedule.faces[s + 1])
    ):
        s += 1
    return s


@kernel
def peak_after(
    state: Array, t: float, first: int, schedule: Schedule, case: Case, record: Record, samples: float, stops: Array
) -> float:
    """Highest core (°C) from a flat ``state`` at time ``t`` (s) on, through the stages from ``first``.

    Parameters
    ----------
    state : ndarray
        Flat; left as it is.
    t, first : float, int
        Now, s; the stage that comes next.
    schedule, case, record
        The stages; the piece; counts the work.
    samples, stops : float, ndarray
        In the steps of stages that are recorded so often at least (0: any steps), and at these times, s.
    """
    record.tally[0].coasts += 1
    y = state.copy()
    best = core_now(y, case.grid, case.body)
    s = first
    while s < schedule.duration.size:
        kind, last = schedule.until[s], run_on(schedule, s)
        span = schedule.duration[s : last + 1].sum()
        if last == schedule.duration.size - 1 and kind == UNTIL_TIME:
            hottest = -np.inf
            for side in range(schedule.faces.shape[1]):
                face = schedule.faces[s, side]
                hottest = max(hottest, np.inf if face.capacity > 0.0 else face.medium_c)
            if hottest < best:
                kind = UNTIL_TURN  # it can only cool: once the core falls, its peak is known
        met = entered(y, schedule.faces[s])
        stretch = StageSpan(met, t, span, kind, schedule.value[s])
        since = t
        within = with_ends(stops, t, schedule.duration[s:last]) if samples > 0.0 and last > s else stops
        seen = unrecorded(span / samples if samples > 0.0 else 0.0, within)
        t, ended, top, _, _ = advance(y, stretch, case, record, seen)
        if ended < 0:
            return np.nan
        best = max(best, top)
        left = since + span - t
        if (
            kind == UNTIL_TURN
            and left > 0.0
            and hottest_now(y, case.grid, case.body) > core_now(y, case.grid, case.body)
        ):
            # the core falls now and will rise again: what is hotter has not reached it yet
            after = StageSpan(stage_from(met, t - since), t, left, UNTIL_TIME, 0.0)
            _, ended, top, _, _ = advance(y, after, case, record, seen)
            if ended < 0:
                return np.nan
            best = max(best, top)
        s = last + 1
    return best


@leaf
def given_up(record: Record) -> int:
    """Why a run gave up, by what it has spent."""
    return SPENT if record.tally[0].work > record.tally[0].limit else FAILED


@leaf
def last_rise(core: Array, t: Array, count: int, wanted: float) -> float:
    """Last time (s) before the end of a series of ``count`` at which it rises through ``wanted``; its begin when it never does."""
    k = count - 1
    while k > 0 and core[k - 1] >= wanted:
        k -= 1
    if k == 0:
        return float(t[0])
    part = (wanted - core[k - 1]) / max(core[k] - core[k - 1], 1e-9)
    return float(t[k - 1] + min(max(part, 0.0), 1.0) * (t[k] - t[k - 1]))


@leaf
def kept_before(store_t: Array, count: int, x: float) -> int:
    """Which of ``count`` kept states is the last at or before ``x`` s."""
    low, high = 0, count
    while low < high:
        middle = (low + high) // 2
        if store_t[middle] <= x:
            low = middle + 1
        else:
            high = middle
    return max(min(low - 1, count - 1), 0)


@kernel
def resumed(
    y: Array, x: float, stage: StageSpan, seen: Seen, count: int, case: Case, record: Record, watched: Seen
) -> tuple[int, int]:
    """Bring ``y`` to the moment ``x`` (s) of a stage whose states were kept; returns from which one, and the status.

    Parameters
    ----------
    y : ndarray
        Receives the flat state.
    x : float
        s.
    stage, seen, count
        The stage, its kept states, and how many.
    case, record
        The piece; the count of work.
    watched : Seen
        What is kept of the way from that state on.
    """
    k = kept_before(seen.store_t, count, x)
    begin = seen.store_t[k]
    for i in range(y.size):
        y[i] = seen.store[k, i]
    status = UNTIL_TIME
    if x > begin:
        faces = stage_from(stage.faces, begin - stage.t)
        _, status, _, _, _ = advance(y, StageSpan(faces, begin, x - begin, UNTIL_TIME, 0.0), case, record, watched)
    return k, status


@kernel
def run_to_pull(
    y: Array, t: float, s: int, met: Rows, schedule: Schedule, case: Case, longest: float, record: Record, stops: Array,
    gains: float,
) -> tuple[float, int, int, float, float]:  # fmt: skip
    """Run stage ``s`` until the core's peak over all that follows equals ``value[s]``.

    The stage is run once, keeping its states; the end is then found by re-running only what comes
    after it. Coasting adds nearly the same at neighbouring moments, so the first guess is where the
    core lacks what it gained after the last one; a secant kept within a bracket does the rest.

    Parameters
    ----------
    y : ndarray
        The flat state; changed.
    t, s : float, int
        Now, s; which stage.
    met : rows of FACE
        What the stage's faces meet as the piece enters it.
    schedule, case, record
        The stages; the piece; what is recorded.
    longest, stops : float, ndarray
        Samples are so far apart at most (s; 0: none), and at these times.
    gains : float
        What a piece like it gains after its pull, K, for the first guess; 0: not known, so one coast more finds it.

    Returns
    -------
    tuple
        End time (s), status, what ended it, highest core met in the stage (°C) and its time (s).
    """
    wanted = schedule.value[s]
    if core_now(y, case.grid, case.body) >= wanted:
        return t, UNTIL_TIME, UNTIL_PEAK, NOT_RUN_C, t
    seen = Seen(longest, stops, np.empty((STATES_KEPT, y.size)), np.empty(STATES_KEPT))
    first_row = record.tally[0].rows
    # the core itself at the wanted temperature is past the pull: no need to go on
    stage = StageSpan(met, t, schedule.duration[s], UNTIL_CORE, wanted)
    proven = longest > 0.0 and case.close_k < case.tolerance_k  # what is recorded is what was tried
    samples, asked = (schedule.duration[s] / longest, stops) if proven else (0.0, np.empty(0))
    as_tried = unrecorded(longest if proven else 0.0, asked)
    end, status, top, top_t, count = advance(y, stage, case, record, seen)
    if status < 0:
        return end, status, UNTIL_TIME, top, top_t
    above = gains
    if not (gains > 0.0 and status == UNTIL_CORE):  # a core that got there is above whatever follows
        above = peak_after(y, end, s + 1, schedule, case, record, samples, asked) - wanted
    if np.isnan(above):
        return end, given_up(record), UNTIL_TIME, top, top_t
    if above < 0.0:
        return end, UNTIL_TIME, UNTIL_TIME, top, top_t
    core = np.empty(count)
    for k in range(count):
        core[k] = core_now(seen.store[k], case.grid, case.body)
    low, high = t, end
    x_old, off_old = end, above
    nearest, off_nearest = end, np.inf
    x = last_rise(core, seen.store_t, count, core[count - 1] - above)
    trial = np.empty_like(y)
    for attempt in range(1, MOST_ATTEMPTS):
        resumed(trial, x, stage, seen, count, case, record, as_tried)
        off = peak_after(trial, x, s + 1, schedule, case, record, samples, asked) - wanted
        if np.isnan(off):
            return x, given_up(record), UNTIL_TIME, top, top_t
        if x <= t and off >= 0.0:  # already too late when the stage begins
            for i in range(y.size):
                y[i] = seen.store[0, i]
            record.tally[0].rows = first_row
            return t, UNTIL_TIME, UNTIL_PEAK, NOT_RUN_C, t
        if abs(off) < off_nearest:
            nearest, off_nearest = x, abs(off)
        if off < 0.0:
            low = x
        else:
            high = x
        following = x - off * (x - x_old) / (off - off_old) if off != off_old else low
        if abs(off) < max(CLOSE_K, case.close_k) or high - low < CLOSE_S:
            if low < following < high and not proven:  # there the secant's last word needs no proof
                x = following
            break
        if following <= t and low == t:
            following = t  # it may have been too late from the begin
        elif not low < following < high or attempt % BISECT_EVERY == 0:
            following = 0.5 * (low + high)
        x_old, off_old = x, off
        x = following
    if proven:
        x = nearest
    if longest > 0.0:
        begin = seen.store_t[kept_before(seen.store_t, count, x)]
        while record.tally[0].rows > first_row and record.t[record.tally[0].rows - 1] > begin + 1e-9:
            record.tally[0].rows -= 1
    _, status = resumed(y, x, stage, seen, count, case, record, Seen(longest, stops, as_tried.store, as_tried.store_t))
    if status < 0:
        return x, status, UNTIL_TIME, top, top_t
    return x, UNTIL_TIME, UNTIL_PEAK, core_now(y, case.grid, case.body), x
