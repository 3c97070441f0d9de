"""An ensemble over what the cook cannot know exactly, with the pull solved in every member.

Spreads are standard deviations; ``*_ln`` ones are of a natural logarithm. Members are drawn by Latin
hypercube, so that 256 of them cover every direction evenly and a seed repeats.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numba import njit
from numba.extending import overload
from numpy.typing import NDArray
from scipy.special import ndtri

from ember_core.errors import ComputationError
from ember_core.formats.plan import Plan
from ember_core.heat.cook import DRYING_SCALE, Cook, Setup, Variation, body_of, empty_record, run, start_state
from ember_core.heat.kernel import F_EPS, F_H, F_LEAK, F_TAU, F_TDELTA, F_TINF, Array, Body, Criterion, Grid, Record
from ember_core.heat.mesh import Layers, Mesh
from ember_core.heat.program import least_lethality, run_cook
from ember_core.heat.steps import UNTIL_TIME, WORK

DEFAULT_SPREADS: Mapping[str, float] = {
    # Estimates of what a careful cook leaves open; no published source. A kitchen may edit them.
    "thickness_mm": 0.9,
    "start_c": 0.8,
    "medium_c": 0.0,  # 0: by kind, see MEDIUM_SPREAD_C
    "h_ln": 0.0,  # 0: by kind, from surroundings.toml
    "conductivity_ln": 0.04,
    "drying_ln": 0.4,
    "vent_ln": 0.5,  # how often an oven's air is changed
    "drift_c": 0.0,  # 0: DRIFT_SHARE of the medium's own spread; it fades over half of the stage
}
MEDIUM_SPREAD_C = {
    "bath": 0.2,
    "boil": 0.3,
    "simmer": 0.7,
    "steam": 0.5,
    "oven": 5.0,
    "pan": 12.0,
    "grill": 12.0,
    "fry": 6.0,
    "baste": 8.0,
    "rest": 2.0,
    "hold": 2.0,
    "chill": 1.0,
    "thaw": 1.0,
}
DRIFT_SHARE = 0.6
DIRECTIONS = 9  # in which members differ
MEMBER_CELLS = 24
MEMBER_REFINE = 0.4  # of the nominal run's cells of a finite shape, in each direction
MEMBER_TOLERANCE_K = 0.1
MEMBER_SAMPLES = 12.0  # a stage
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


@njit(cache=True, nogil=True)
def _varied_body(body: Body, length: float, k_scale: float, c_scale: float, m0: float) -> Body:
    """A member's body: the nominal one with another size, conductivity, heat capacity and drying."""
    return Body(
        length,
        body.h0 * c_scale,
        body.dh * c_scale,
        body.per_dh / c_scale,
        body.temperature,
        body.conductivity,
        k_scale,
        body.boil_c,
        body.boil_h * c_scale,
        body.water,
        body.k_dry,
        body.c_dry * c_scale,
        body.c_wet * c_scale,
        m0,
        body.linear,
    )


def varied(nominal: Any, length: float, k_scale: float, c_scale: float, m0: float) -> Any:
    """:func:`_varied_body` of a piece or of both its layers; compiled code takes the right one by type."""
    raise NotImplementedError("compiled code only")


@overload(varied)
def _varied(nominal, length, k_scale, c_scale, m0):  # type: ignore[no-untyped-def]  # numba reads the names, not types
    if nominal.instance_class is Layers:
        return lambda nominal, length, k_scale, c_scale, m0: Layers(
            _varied_body(nominal.outer, length, k_scale, c_scale, m0),
            _varied_body(nominal.inner, length, k_scale, c_scale, m0),
        )
    return lambda nominal, length, k_scale, c_scale, m0: _varied_body(nominal, length, k_scale, c_scale, m0)


@njit(cache=True, nogil=True)
def _run_members(
    states: Array,
    length: Array,
    k_scale: Array,
    c_scale: Array,
    m0: Array,
    faces: Array,
    duration: Array,
    until: NDArray[np.int64],
    value: Array,
    grid: Grid | Mesh,
    nominal: Body | Layers,
    crit: Criterion,
    tol: float,
    record: Record,
    wanted: Array,
    end_s: Array,
    peak: Array,
    curve: Array,
    curve_mean: Array,
    least: Array,
    lo: int,
    hi: int,
) -> None:
    """Run members ``lo`` to ``hi``; the curves receive core and mean at the ``wanted`` times, ``least`` the lethality."""
    count = duration.size
    for m in range(lo, hi):
        body = varied(nominal, length[m], k_scale[m], c_scale[m], m0[m])
        ended = np.zeros(count, dtype=np.int64)
        record.filled[0], record.filled[WORK] = 0, 0
        y = states[m].copy()
        top, _, status = run_cook(
            y,
            duration,
            faces[m],
            until,
            value,
            grid,
            body,
            crit,
            tol,
            MEMBER_SAMPLES,
            record,
            np.empty(0),
            end_s[m],
            ended,
        )
        if status < 0:
            peak[m] = np.nan
            continue
        peak[m] = top
        least[m] = least_lethality(y, grid)
        row = 0
        start = record.core[0]
        for j in range(wanted.size):
            while row < record.filled[0] - 1 and record.t[row] < wanted[j]:
                row += 1
            if row == 0:
                curve[m, j] = start
                curve_mean[m, j] = record.mean[0]
            else:
                t0, t1 = record.t[row - 1], record.t[row]
                part = min(max((wanted[j] - t0) / max(t1 - t0, 1e-9), 0.0), 1.0)
                curve[m, j] = record.core[row - 1] + part * (record.core[row] - record.core[row - 1])
                curve_mean[m, j] = record.mean[row - 1] + part * (record.mean[row] - record.mean[row - 1])


def draw(members: int, seed: int, dimensions: int) -> Array:
    """Standard normal draws, members × dimensions, by Latin hypercube (McKay, Beckman & Conover 1979).

    Each direction is covered evenly; a seed repeats. (A library's sampler would do, but takes a second to load.)
    """
    rng = np.random.default_rng(seed)
    order = rng.permuted(np.tile(np.arange(members), (dimensions, 1)), axis=1).T
    return np.asarray(ndtri((order + rng.random((members, dimensions))) / members))


@dataclass(frozen=True, eq=False)
class Ensemble:
    """Members as arrays; the first is the nominal piece on the members' grid."""

    states: Array
    length: Array
    k_scale: Array
    c_scale: Array
    m0: Array
    faces: Array
    start_c: Array


@dataclass(frozen=True, eq=False)
class _Run:
    """What a run of all members gives: stage ends, highest core, curves at the wanted times, lethality (log10)."""

    end_s: Array
    peak: Array
    core: Array
    mean: Array
    least: Array


def draw_ensemble(
    s: Setup,
    kinds: tuple[tuple[str, ...], ...],
    *,
    members: int,
    seed: int,
    spreads: Mapping[str, float] | None,
    stage_s: Sequence[float] | None = None,
) -> Ensemble:
    """Vary a setup; parameters as of :func:`forecast`; ``stage_s`` are the stages' real lengths."""
    spread = {**DEFAULT_SPREADS, **{k: v for k, v in (spreads or {}).items() if not k.startswith("x-")}}
    z = np.vstack([np.zeros(DIRECTIONS), draw(members, seed, DIRECTIONS)])
    # a length in m, or the stretch of a mesh; the spread is of the thickness or the diameter
    length = s.length * np.maximum(1.0 + z[:, 0] * spread["thickness_mm"] / 1000.0 / s.size, 0.3)
    start = s.start_c + z[:, 1] * spread["start_c"]
    c_scale = np.exp(z[:, 6] * 0.4 * spread["conductivity_ln"])
    faces = np.repeat(s.faces[None], members + 1, axis=0)
    for i, row in enumerate(kinds):
        for j, kind in enumerate(row):
            sigma = spread["h_ln"] or s.h_spread[i, j]
            faces[:, i, j, F_H] *= np.exp(z[:, 2] * sigma)
            # walls and their colour are as uncertain as the air's flow
            faces[:, i, j, F_EPS] = np.minimum(faces[:, i, j, F_EPS] * np.exp(z[:, 2] * sigma), 1.2)
            faces[:, i, j, F_LEAK] *= np.exp(z[:, 8] * spread["vent_ln"])
            faces[:, i, j, F_TINF] += z[:, 3] * (spread["medium_c"] or MEDIUM_SPREAD_C[kind])
            # a medium that runs off its mean, and what the model itself gets wrong in the course of a stage
            if s.faces[i, j, F_TDELTA] != 0.0:
                continue  # the plan itself says how the medium settles
            faces[:, i, j, F_TDELTA] = z[:, 7] * (
                spread["drift_c"] or DRIFT_SHARE * (spread["medium_c"] or MEDIUM_SPREAD_C[kind])
            )
            faces[:, i, j, F_TAU] = max(0.5 * (stage_s[i] if stage_s is not None else s.duration[i]), 1.0)
    return Ensemble(
        states=np.stack([start_state(s, float(t0), float(c)) for t0, c in zip(start, c_scale, strict=True)]),
        length=length,
        k_scale=np.exp(z[:, 4] * spread["conductivity_ln"]),
        c_scale=c_scale,
        m0=DRYING_SCALE * np.exp(z[:, 5] * spread["drying_ln"]),
        faces=faces,
        start_c=start,
    )


def stage_lengths(cook: Cook) -> list[float]:
    """How long each stage of a computed cook took, s."""
    return [stage.end_s - stage.start_s for stage in cook.stages]


def _run(s: Setup, e: Ensemble, until: NDArray[np.int64], duration: Array, wanted: Array, threads: int) -> _Run:
    """Run all members through the stages of ``until`` and ``duration``."""
    members, count = e.length.size, duration.size
    end, peak = np.zeros((members, count)), np.zeros(members)
    core, mean = np.zeros((members, wanted.size)), np.zeros((members, wanted.size))
    least = np.full(members, np.nan)
    nominal = body_of(s)
    faces = np.ascontiguousarray(e.faces[:, :count])

    def work(lo: int, hi: int) -> None:
        _run_members(
            e.states, e.length, e.k_scale, e.c_scale, e.m0, faces, duration, until, s.value[:count], s.grid, nominal,
            s.criterion, MEMBER_TOLERANCE_K,
            empty_record(2000, 0, FORECAST_BUDGET_S / members),
            wanted, end, peak, core, mean, least, lo, hi,
        )  # fmt: skip

    edges = np.linspace(0, members, threads + 1).astype(int)
    with ThreadPoolExecutor(threads) as pool:
        list(pool.map(work, edges[:-1], edges[1:]))
    core[:, 0] = mean[:, 0] = e.start_c
    return _Run(end, peak, core, mean, least)


def solve_pulls(s: Setup, e: Ensemble, pull_stage: int, cook: Cook, threads: int = 2) -> Array:
    """Each member's pull, s, corrected to the nominal run (members without the nominal one)."""
    run = _run(s, e, s.until, s.duration, np.array([0.0, 1.0]), threads)
    pull = np.where(np.isfinite(run.peak), run.end_s[:, pull_stage], np.nan)
    if cook.pull_s and np.isfinite(pull[0]) and pull[0] > 0:
        pull = pull * cook.pull_s / pull[0]
    return np.asarray(pull[1:])


def trajectories(
    s: Setup, e: Ensemble, pull_stage: int, end_s: float, cook: Cook, threads: int = 2
) -> tuple[Array, Array, Array]:
    """Core and mean of each member as if nothing were pulled: times (s), members × times (°C) twice."""
    until = s.until[: pull_stage + 1].copy()
    until[pull_stage] = UNTIL_TIME
    duration = s.duration[: pull_stage + 1].copy()
    duration[pull_stage] = max(end_s - float(duration[:pull_stage].sum()), 1.0)
    t = np.linspace(0.0, float(duration.sum()), TRAJECTORY_POINTS)
    run = _run(s, e, until, duration, t, threads)
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
        Replaces :data:`DEFAULT_SPREADS` by name.
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
    wanted = np.linspace(0.0, end_s if end_s else float(s.duration.sum()), CURVE_POINTS)
    run = _run(s, ensemble, s.until, s.duration, wanted, threads)
    peak, curve, curve_mean = run.peak, run.core, run.mean
    good = np.isfinite(peak)
    good[0] = False
    if not good.any():
        raise ComputationError(
            "No member of the forecast could be computed within its share of the time; the plan's media are extreme for this piece. "
            "Leave forecast out, or ask for fewer members.",
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


def cautious_cook(
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
) -> Cook:
    """The cook of a piece at the cautious end of the likely ones, by the nominal cook's clock.

    Of all members, each going through the nominal stages' real lengths, the one is taken whose
    coldest point kills least but for :data:`CAUTIOUS` of them, and cooked again on the fine grid.

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
    timed, duration = np.zeros(len(lengths), dtype=np.int64), np.array(lengths)
    e = draw_ensemble(s, kinds, members=members, seed=seed, spreads=spreads, stage_s=lengths)
    least = _run(s, e, timed, duration, np.array([0.0, 1.0]), threads).least[1:]
    k = 1 + int(np.argsort(least)[int(CAUTIOUS * members)])  # failed members sort last
    varied_setup = replace(fine, until=timed, duration=duration, faces=np.ascontiguousarray(e.faces[k]))
    piece = Variation(float(e.length[k]), float(e.k_scale[k]), float(e.c_scale[k]), float(e.m0[k]), float(e.start_c[k]))
    return run(plan, varied_setup, vary=piece)


def quantiles(values: Array) -> dict[str, float] | None:
    """The 5, 50 and 95 % points as the result format names them; None without values."""
    if values.size == 0 or not np.isfinite(values).all():
        return None
    p = np.quantile(values, [0.05, 0.5, 0.95])
    return {"p5": round(float(p[0]), 3), "p50": round(float(p[1]), 3), "p95": round(float(p[2]), 3)}
