"""An ensemble over what the cook cannot know exactly, with the pull solved in every member.

Spreads are standard deviations; ``*_ln`` ones are of a natural logarithm. Members are drawn by Latin
hypercube, so that 256 of them cover every direction evenly and a seed repeats.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from ember_core.errors import ComputationError
from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook, Variation, run
from ember_core.heat.ensemble.draw import Ensemble, as_portions, draw_ensemble, stage_lengths
from ember_core.heat.setup import Setup, body_of, case_of, empty_record
from ember_core.heat.solver.ending import (
    UNTIL_MEAN,
    UNTIL_SURFACE,
    UNTIL_SURFACE_B,
    UNTIL_TIME,
    UNTIL_YOLK,
    UNTIL_YOLK_EDGE,
)
from ember_core.heat.solver.members import MEMBER_SAMPLES, Told, run_members
from ember_core.heat.solver.types import Case, Record, Schedule
from ember_core.plan.plan import Plan
from ember_core.wording.message import say

MEMBER_CELLS = 24

MEMBER_REFINE = 0.4  # of the nominal run's cells of a finite shape, in each direction

MEMBER_TOLERANCE_K = 0.1

CURVE_POINTS = 48

TRAJECTORY_POINTS = 120

FORECAST_BUDGET_S = 20.0  # what all members together may spend, on a slow machine

CAUTIOUS = 0.05  # share of the likely pieces that are worse than the cautious one


@dataclass(frozen=True, eq=False)
class Forecast:
    """What the ensemble says.

    Attributes
    ----------
    pull_s, peak_core_c : ndarray (members,)
        End of the pull stage, s (nan without one), and the highest core, °C.
    curve_t, curve_core, curve_mean : ndarray
        Times, s, and quantiles of core and mean there (rows p5, p50, p95), °C.
    failed : int
        Members whose computation gave up; they are left out and reported.
    grid_error : mapping
        What the members' coarser grid makes of the nominal piece, less the nominal run: ``pull_s``,
        ``peak_core_c``, and the largest of ``core_c`` and ``mean_c`` over time. It has been taken out.
    """

    pull_s: Array
    peak_core_c: Array
    curve_t: Array
    curve_core: Array
    curve_mean: Array
    failed: int
    grid_error: Mapping[str, float]


ENDLESS_S = 1e12  # asked for at this time, a member tells what it ended with


def run_ensemble(s: Setup, e: Ensemble, schedule: Schedule, wanted: Array, threads: int) -> Told:
    """Run all members through the first stages of ``schedule``, as many as it has; portions once the piece is cut.

    Parameters
    ----------
    s, e : Setup, Ensemble
        On the members' grid.
    schedule : Schedule
        What they go through.
    wanted : ndarray (times,)
        When core and mean are told, s, rising.
    threads : int
    """
    count, cut = schedule.duration.size, s.cut_at
    if cut is None or count <= cut:
        return _run_alike(s, e, schedule, wanted, threads)
    whole = _run_alike(s, e, schedule.part(0, cut), np.append(wanted, ENDLESS_S), threads)
    portion, portions = as_portions(s, e, whole.mean[:, -1])
    later = schedule.part(cut, count)
    times = np.linspace(0.0, float(later.duration.sum()), CURVE_POINTS)
    cooked = _run_alike(portion, portions, later, times, threads)
    core, mean = whole.core[:, :-1], whole.mean[:, :-1]
    ends = whole.end_s[:, -1]
    for m, end in enumerate(ends):
        after = wanted > end
        core[m, after] = np.interp(wanted[after] - end, times, cooked.core[m])
        mean[m, after] = np.interp(wanted[after] - end, times, cooked.mean[m])
    peak = np.where(np.isfinite(whole.peak + cooked.peak), np.fmax(whole.peak, cooked.peak), np.nan)
    # no place is killed less than the least killed of the piece and of the portion together
    return Told(
        np.hstack([whole.end_s, cooked.end_s + ends[:, None]]), peak, wanted, core, mean, whole.least + cooked.least
    )


def _run_alike(s: Setup, e: Ensemble, schedule: Schedule, wanted: Array, threads: int) -> Told:
    """Run all members through stages in which they keep their shape, from what they start at."""
    told, _ = go_through(s, e, schedule, wanted, threads)
    told.core[:, 0] = told.mean[:, 0] = e.start_c
    return told


def go_through(
    s: Setup,
    e: Ensemble,
    schedule: Schedule,
    wanted: Array,
    threads: int,
    *,
    states: bool = False,
    samples: float = MEMBER_SAMPLES,
) -> tuple[Told, Array]:
    """Run all members through stages in which they keep their shape, from the states they have; and their states then, if asked.

    Parameters
    ----------
    s, e, schedule, wanted, threads
        As of :func:`run_ensemble`.
    states : bool
        Whether their states at the end are wanted (members × numbers; else no rows).
    samples : float
        Of a stage, at least.
    """
    members, count = e.start_c.size, schedule.duration.size
    told = Told(
        np.zeros((members, count)), np.zeros(members), wanted, np.zeros((members, wanted.size)),
        np.zeros((members, wanted.size)), np.full(members, np.nan),
    )  # fmt: skip
    after = np.full(e.members.states.shape, np.nan) if states else np.empty((0, 0))
    varied = e.members._replace(faces=np.ascontiguousarray(e.members.faces[:, :count]))

    def work(case: Case, record: Record, first: int, last: int) -> None:
        run_members(varied, schedule, case, record, told, first, last, after, samples)

    by_parts(s, members, threads, work)
    return told, after


def by_parts(s: Setup, members: int, threads: int, work: Callable[[Case, Record, int, int], None]) -> None:
    """Let threads work on the members, each with a record of its own, from its first to before its last one."""
    records = [empty_record(2000, 0, FORECAST_BUDGET_S / members) for _ in range(threads)]
    case = case_of(s, body_of(s), MEMBER_TOLERANCE_K, records[0])
    edges = [int(x) for x in np.linspace(0, members, threads + 1)]
    with ThreadPoolExecutor(threads) as pool:
        list(pool.map(lambda part: work(case, records[part], edges[part], edges[part + 1]), range(threads)))


def by_clock(schedule: Schedule, lengths: Sequence[float]) -> Schedule:
    """A schedule whose stages take so long each, s, and wait for nothing."""
    return schedule._replace(until=np.zeros(len(lengths), dtype=np.int64), duration=np.array(lengths, dtype=float))


def solve_pulls(s: Setup, e: Ensemble, pull_stage: int, cook: Cook, threads: int = 2) -> Array:
    """Each member's pull, s, corrected to the nominal run (members without the nominal one).

    Parameters
    ----------
    s, e : Setup, Ensemble
        On the members' grid.
    pull_stage : int
        Whose end is the pull.
    cook : Cook
        The nominal one.
    threads : int
    """
    run = run_ensemble(s, e, finish_cook(s.schedule, cook, pull_stage), np.array([0.0, 1.0]), threads)
    pull = np.where(np.isfinite(run.peak), run.end_s[:, pull_stage], np.nan)
    if cook.pull_s and np.isfinite(pull[0]) and pull[0] > 0:
        pull = pull * cook.pull_s / pull[0]
    return np.asarray(pull[1:])


def finish_cook(schedule: Schedule, cook: Cook, pull_stage: int | None) -> Schedule:
    """What a cook goes by: what nobody measures before the pull (a face, the mean) ends by the clock, as it did in ``cook``."""
    until, duration = schedule.until.copy(), schedule.duration.copy()
    for i, stage in enumerate(cook.stages):
        by_clock = until[i] in (UNTIL_YOLK_EDGE, UNTIL_YOLK)  # nobody looks into an egg
        if by_clock or (i < (pull_stage or 0) and until[i] in (UNTIL_SURFACE, UNTIL_SURFACE_B, UNTIL_MEAN)):
            until[i], duration[i] = UNTIL_TIME, stage.end_s - stage.start_s
    return schedule._replace(until=until, duration=duration)


def trajectories(
    s: Setup, e: Ensemble, pull_stage: int, end_s: float, cook: Cook, threads: int = 2
) -> tuple[Array, Array, Array]:
    """Core and mean of each member as if nothing were pulled: times (s), members × times (°C) twice.

    Parameters
    ----------
    s, e : Setup, Ensemble
        On the members' grid.
    pull_stage : int
        The last stage that is run.
    end_s : float
        How far it is run, s from the start.
    cook : Cook
        The nominal one, to which core and mean are corrected.
    threads : int
    """
    heated = finish_cook(s.schedule, cook, pull_stage).upto(pull_stage + 1)
    heated.until[pull_stage] = UNTIL_TIME
    duration = heated.duration
    before_s = cook.stages[pull_stage].start_s
    duration[pull_stage] = max(end_s - before_s, 1.0)
    t = np.linspace(0.0, before_s + float(duration[pull_stage]), TRAJECTORY_POINTS)
    run = run_ensemble(s, e, heated, t, threads)
    core, mean = run.core, run.mean
    if cook.pull_s:  # the grid's error as far as the nominal run goes on heat, kept beyond
        shown = np.minimum(t, cook.pull_s)
        core = core - (np.interp(shown, t, core[0]) - np.interp(shown, cook.t, cook.core))
        mean = mean - (np.interp(shown, t, mean[0]) - np.interp(shown, cook.t, cook.mean))
    return t, core[1:], mean[1:]


def forecast(
    s: Setup,
    kinds: tuple[tuple[str, ...], ...],
    *,
    members: int = 256,
    seed: int = 7,
    spreads: Mapping[str, float] | None = None,
    end_s: float | None = None,
    pull_stage: int | None = None,
    nominal_cook: Cook | None = None,
    threads: int = 2,
) -> Forecast:
    """Run the ensemble of a setup.

    Parameters
    ----------
    s : Setup
        Built with :data:`MEMBER_CELLS` cells and :data:`MEMBER_REFINE`.
    kinds : tuple of (kind a, kind b, kind of the side)
        What each stage's faces meet, for the spread of the medium.
    members, seed : int
        8 to 2,048; the same seed repeats.
    spreads : mapping, optional
        Replaces the shipped ones (``data/spreads.toml``) by name.
    end_s : float, optional
        Length of the quantile curves, s; default the sum of the stages.
    pull_stage : int, optional
        Index of the stage whose end is the pull.
    nominal_cook : Cook, optional
        The nominal run on the fine grid, to which the ensemble is corrected: pull, peak and curve.
    threads : int
        Worker threads; the kernels release the interpreter lock.
    """
    ensemble = draw_ensemble(
        s,
        kinds,
        members=members,
        seed=seed,
        spreads=spreads,
        stage_s=stage_lengths(nominal_cook) if nominal_cook else None,
    )
    wanted = np.linspace(0.0, end_s if end_s else float(s.schedule.duration.sum()), CURVE_POINTS)
    schedule = s.schedule if nominal_cook is None else finish_cook(s.schedule, nominal_cook, pull_stage)
    run = run_ensemble(s, ensemble, schedule, wanted, threads)
    peak, curve, curve_mean = run.peak, run.core, run.mean
    good = np.isfinite(peak)
    good[0] = False
    if not good.any():
        raise ComputationError(
            say(
                "No member of the forecast could be computed within its share of the time; the plan's media are extreme "
                "for this piece. Leave forecast out, or ask for fewer members."
            ),
            path="/forecast",
        )
    pull = run.end_s[:, pull_stage] if pull_stage is not None else np.full(members + 1, np.nan)
    error: dict[str, float] = {}
    if nominal_cook is not None and np.isfinite(peak[0]):
        # the coarse grid's own error is taken out by what it makes of the nominal piece
        fine = nominal_cook
        if fine.pull_s is not None and pull[0] > 0:
            error["pull_s"] = float(pull[0] - fine.pull_s)
            pull = pull * fine.pull_s / pull[0]
        error["peak_core_c"] = float(peak[0] - fine.peak_core_c)
        peak = peak - error["peak_core_c"]
        for name, values, truth in (("core_c", curve, fine.core), ("mean_c", curve_mean, fine.mean)):
            off = values[0] - np.interp(wanted, fine.t, truth)
            error[name] = float(off[np.argmax(np.abs(off))])
            values -= off
    return Forecast(
        pull_s=pull[good],
        peak_core_c=peak[good],
        curve_t=wanted,
        curve_core=np.quantile(curve[good], [0.05, 0.5, 0.95], axis=0),
        curve_mean=np.quantile(curve_mean[good], [0.05, 0.5, 0.95], axis=0),
        failed=int((~good[1:]).sum()),
        grid_error=error,
    )


def ranked_cooks(
    plan: Plan,
    fine: Setup,
    s: Setup,
    kinds: tuple[tuple[str, ...], ...],
    cook: Cook,
    *,
    members: int = 256,
    seed: int = 7,
    spreads: Mapping[str, float] | None = None,
    threads: int = 2,
) -> Callable[[float], Cook]:
    """The likely pieces in the order of how little their coldest point kills, by the nominal cook's clock.

    Every member goes through the nominal stages' real lengths. What is returned gives the cook, on the fine grid, of the piece
    that is worse than all but a share (0 to 1) of them.

    Parameters
    ----------
    plan : Plan
    fine, s : Setup
        On the nominal grid, and on the members' grid with a lethality criterion.
    kinds, members, seed, spreads, threads
        As of :func:`forecast`.
    cook : Cook
        The nominal one.
    """
    lengths = stage_lengths(cook)
    clocked = by_clock(fine.schedule, lengths)
    e = draw_ensemble(s, kinds, members=members, seed=seed, spreads=spreads, stage_s=lengths)
    order = np.argsort(run_ensemble(s, e, clocked, np.array([0.0, 1.0]), threads).least[1:])
    m = e.members

    def at(share: float) -> Cook:
        k = 1 + int(order[min(int(share * members), members - 1)])  # failed members sort last
        varied_setup = replace(fine, schedule=clocked._replace(faces=np.ascontiguousarray(m.faces[k])))
        piece = Variation(
            float(m.length[k]), float(m.k_scale[k]), float(m.c_scale[k]), float(m.m0[k]), float(e.start_c[k]),
            None if e.portion is None else float(e.portion[k]),
        )  # fmt: skip
        return run(plan, varied_setup, vary=piece)

    return at


def quantiles(values: Array) -> dict[str, float] | None:
    """The 5, 50 and 95 % points as the result format names them; None without values."""
    if values.size == 0 or not np.isfinite(values).all():
        return None
    p = np.quantile(values, [0.05, 0.5, 0.95])
    return {"p5": round(float(p[0]), 3), "p50": round(float(p[1]), 3), "p95": round(float(p[2]), 3)}
