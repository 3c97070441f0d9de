"""The members of a piece that is on the heat now: through what it had once, and from there on both ways, by the clock and to the pull."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook
from ember_core.heat.ensemble.draw import Ensemble
from ember_core.heat.ensemble.forecast import by_clock, by_parts, finish_cook, go_through, run_ensemble, solve_pulls
from ember_core.heat.setup import Setup
from ember_core.heat.solver.entering import going_on
from ember_core.heat.solver.members import AHEAD_SAMPLES, Told, pull_members
from ember_core.heat.solver.types import Case, Others, Record

LEAST_S = 1e-3  # a stage that has run no longer has not begun


def run_onward(
    s: Setup, e: Ensemble, cook: Cook, now_s: float, stage: int, wanted: Array, *, pulls: bool, threads: int = 2
) -> tuple[Told, Array]:
    """Each member through a piece's history and on by the nominal clock, and its pull, s (no numbers unless asked).

    What lies behind is run once: the members are kept as they are now, with what heats them.

    Parameters
    ----------
    s, e : Setup, Ensemble
        On the members' grid.
    cook : Cook
        The nominal one.
    now_s : float
        s from the start.
    stage : int
        The one under way.
    wanted : ndarray (times,)
        When core and mean are told, s, rising from 0.
    pulls : bool
        Whether the stage under way ends with the pull.
    threads : int

    Returns
    -------
    tuple
        What is told of the members (with the nominal one, °C and s); their pulls, s from the start (members without it).
    """
    lengths = [x.end_s - x.start_s for x in cook.stages]
    clock = by_clock(s.schedule, lengths)
    gone = now_s - cook.stages[stage].start_s
    begun = gone > LEAST_S
    if s.cut_at is not None or not (begun or stage > 0) or gone > lengths[stage] - LEAST_S:
        told = run_ensemble(s, e, clock, wanted, threads)
        return told, solve_pulls(s, e, stage, cook, threads) if pulls else np.empty(0)
    until_now = wanted <= now_s
    behind_s = [*lengths[:stage], gone] if begun else lengths[:stage]
    history = by_clock(s.schedule.part(0, len(behind_s)), behind_s)
    behind, states = go_through(s, e, history, wanted[until_now], threads, states=True)
    behind.core[:, 0] = behind.mean[:, 0] = e.start_c
    later = _later(s, now_s)
    faces = e.members.faces[:, stage:]
    on = replace(e, members=e.members._replace(states=states, faces=going_on(faces, gone) if begun else faces.copy()))
    rest = by_clock(s.schedule.part(stage, len(lengths)), [lengths[stage] - gone, *lengths[stage + 1 :]])
    ahead, _ = go_through(later, on, rest, wanted[~until_now] - now_s, threads, samples=AHEAD_SAMPLES)
    told = _after(behind, ahead, wanted, now_s, stage)
    return told, _pulls(later, on, cook, (now_s, stage, gone), threads) if pulls else np.empty(0)


def _later(s: Setup, now_s: float) -> Setup:
    """A setup whose clock begins now: what else lies in its media is told by that."""
    return replace(s, others=Others(s.others.t - now_s, s.others.by_degree, s.others.at))


def _after(behind: Told, ahead: Told, wanted: Array, now_s: float, stage: int) -> Told:
    """What is told of members whose way was run in two parts, the second from within or from the begin of a stage."""
    ends = np.hstack([behind.end_s[:, :stage], ahead.end_s + now_s])
    peak = np.where(np.isfinite(behind.peak + ahead.peak), np.fmax(behind.peak, ahead.peak), np.nan)
    core, mean = np.hstack([behind.core, ahead.core]), np.hstack([behind.mean, ahead.mean])
    return Told(ends, peak, wanted, core, mean, ahead.least)


def _pulls(s: Setup, on: Ensemble, cook: Cook, at: tuple[float, int, float], threads: int) -> Array:
    """Each member's pull, s from the start of the cook, corrected to the nominal run; it began ``at`` now, in a stage, of which so much had gone."""
    now_s, stage, gone = at
    schedule = finish_cook(s.schedule, cook, stage)
    longest = [float(schedule.duration[stage]) - gone, *(float(x) for x in schedule.duration[stage + 1 :])]
    own = schedule.part(stage, len(longest) + stage)._replace(duration=np.array(longest))
    pull = np.full(on.start_c.size, np.nan)
    gains = max(float(schedule.value[stage]) - cook.stages[stage].core_c, 0.0)

    def work(case: Case, record: Record, first: int, last: int) -> None:
        pull_members(on.members, own, case, record, pull, first, last, gains)

    by_parts(s, pull.size, threads, work)
    pull += now_s
    if cook.pull_s and np.isfinite(pull[0]):
        pull = pull * cook.pull_s / pull[0]
    return np.asarray(pull[1:])
