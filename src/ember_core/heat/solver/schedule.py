"""A whole cook, stage by stage. Compiled."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import entry
from ember_core.heat.solver.ending import UNTIL_PEAK, UNTIL_TIME
from ember_core.heat.solver.entering import entered
from ember_core.heat.solver.pull import NOT_RUN_C, Seen, StageSpan, advance, run_on, run_to_pull, unrecorded, with_ends
from ember_core.heat.solver.types import Case, Record, Schedule


@entry
def run_cook(
    y: Array,
    schedule: Schedule,
    case: Case,
    samples: float,
    record: Record,
    stops: Array,
    end_s: Array,
    ended: NDArray[np.int64],
) -> tuple[float, float, int]:
    """Run all stages in place, solving at most one pull; stages by the clock that meet the same are run as one.

    Parameters
    ----------
    y : ndarray
        The flat state; changed.
    schedule, case : Schedule, Case
        The stages; the piece.
    samples : float
        Each stage is recorded so often at least; at 0 not at all.
    record : Record
    stops : ndarray
        Times to be recorded, s, in order.
    end_s, ended : ndarray (stages,)
        Receive each stage's end (s) and cause.

    Returns
    -------
    tuple
        The highest core (°C), its time (s), and 0, ``FAILED`` or ``SPENT``.
    """
    nothing = unrecorded(0.0, np.empty(0))
    duration, until, value, faces = schedule.duration, schedule.until, schedule.value, schedule.faces
    t = 0.0
    best, best_t = NOT_RUN_C, 0.0
    s = 0
    while s < duration.size:
        kind = until[s]
        first, s = s, run_on(schedule, s)
        span = duration[first : s + 1].sum()
        longest = span / samples if samples > 0.0 else 0.0
        wanted = stops if s == first else with_ends(stops, t, duration[first:s])
        met = entered(y, faces[first])
        if kind == UNTIL_PEAK:
            t, status, found, top, top_t = run_to_pull(y, t, s, met, schedule, case, longest, record, stops, 0.0)
        else:
            seen = Seen(longest, wanted, nothing.store, nothing.store_t)
            t, status, top, top_t, _ = advance(y, StageSpan(met, t, span, kind, value[s]), case, record, seen)
            found = status
        if status < 0:
            return best, best_t, status
        end_s[s] = t
        ended[s] = found
        for k in range(s - 1, first - 1, -1):
            end_s[k] = end_s[k + 1] - duration[k + 1]
            ended[k] = UNTIL_TIME
        if top > best:
            best, best_t = top, top_t
        s += 1
    return best, best_t, 0
