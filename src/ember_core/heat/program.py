"""Compiled: a whole cook, stage by stage, with its pull solved by re-running only what comes after it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, types
from numba.extending import overload
from numpy.typing import NDArray

from ember_core.heat.explicit import mesh_offset, run_mesh_stage
from ember_core.heat.kernel import (
    F_CARRY,
    F_COLD,
    F_LEAK,
    F_PRESSURE,
    F_PV,
    F_RISE,
    F_TAU,
    F_TDELTA,
    F_TINF,
    Array,
    Body,
    Criterion,
    Grid,
    Record,
    leaf,
    temperature_at,
)
from ember_core.heat.mesh import Layers, Mesh
from ember_core.heat.stepper import run_stage
from ember_core.heat.steps import FAILED, LIMIT, SPENT, UNTIL_CORE, UNTIL_PEAK, UNTIL_TIME, UNTIL_TURN, WORK


def advance(*arguments: Any) -> Any:
    """Run one stage on a one-dimensional grid or a mesh; compiled code takes the right one by type."""
    raise NotImplementedError("compiled code only")


def core_now(y: Array, grid: Any, body: Any) -> float:
    """Core temperature of a state, °C; compiled code takes the right one by type."""
    raise NotImplementedError("compiled code only")


@leaf
def _core_of_grid(y: Array, grid: Grid, body: Body) -> float:
    total = 0.0
    for i in range(grid.core_lo, grid.core_hi):
        total += grid.core[i] * temperature_at(y[i], y[grid.n + i], body)[0]
    return total


@leaf
def _core_of_mesh(y: Array, mesh: Mesh, layers: Layers) -> float:
    i = mesh.core
    core, _, _ = temperature_at(y[i], y[mesh.n + i], layers.inner if mesh.inner[i] else layers.outer)
    return float(core)


def _is_mesh(grid: Any) -> bool:
    return isinstance(grid, types.NamedTuple) and grid.instance_class is Mesh


def least_lethality(y: Array, grid: Any) -> float:
    """Lethality (log10) of the coldest place of a state; compiled code takes the right one by type."""
    raise NotImplementedError("compiled code only")


@overload(least_lethality)
def _least_lethality(y, grid):  # type: ignore[no-untyped-def]  # numba reads the names, not types
    if _is_mesh(grid):
        return lambda y, grid: y[mesh_offset(grid) : mesh_offset(grid) + grid.n].min()
    return lambda y, grid: y[2 * grid.n + 4 : 3 * grid.n + 4].min()


@overload(core_now)
def _core_now(y, grid, body):  # type: ignore[no-untyped-def]  # numba reads the names, not types
    if _is_mesh(grid):
        return lambda y, grid, body: _core_of_mesh(y, grid, body)
    return lambda y, grid, body: _core_of_grid(y, grid, body)


@overload(advance)
def _advance(y, t, span, faces, grid, body, crit, until, value, tol, longest, record, stops, store, store_t):  # type: ignore[no-untyped-def]  # as above
    if _is_mesh(grid):

        def on_mesh(y, t, span, faces, grid, body, crit, until, value, tol, longest, record, stops, store, store_t):  # type: ignore[no-untyped-def]  # as above
            return run_mesh_stage(y, t, span, faces, grid, body, crit, until, value, tol, longest, record, stops, store, store_t)  # fmt: skip

        return on_mesh

    def on_grid(y, t, span, faces, grid, body, crit, until, value, tol, longest, record, stops, store, store_t):  # type: ignore[no-untyped-def]  # as above
        return run_stage(y, t, span, faces, grid, body, crit, until, value, tol, longest, record, stops, store, store_t)  # fmt: skip

    return on_grid


def held(y: Array, grid: Any, body: Any) -> tuple[float, float]:
    """Mean enthalpy of a state (J/m³) and the temperature (°C) of a piece with it throughout; compiled code takes the right one by type."""
    raise NotImplementedError("compiled code only")


@leaf
def mean_enthalpy(y: Array, share: Array) -> float:
    """Mean of a state's enthalpies, J/m³."""
    total = 0.0
    for i in range(share.size):
        total += share[i] * y[i]
    return total


@overload(held)
def _held(y, grid, body):  # type: ignore[no-untyped-def]  # numba reads the names, not types
    if _is_mesh(grid):

        def of_mesh(y, grid, body):  # type: ignore[no-untyped-def]  # as above
            mean = mean_enthalpy(y, grid.mean)
            return mean, temperature_at(mean, body.outer.water, body.outer)[0]

        return of_mesh

    def of_grid(y, grid, body):  # type: ignore[no-untyped-def]  # as above
        mean = mean_enthalpy(y, grid.mean)
        return mean, temperature_at(mean, body.water, body)[0]

    return of_grid


def outermost(body: Any) -> Any:
    """The outer material of a piece; compiled code takes the right one by type."""
    raise NotImplementedError("compiled code only")


@overload(outermost)
def _outermost(body):  # type: ignore[no-untyped-def]  # numba reads the names, not types
    if body.instance_class is Layers:
        return lambda body: body.outer
    return lambda body: body


@leaf
def enthalpy_at(t_c: float, body: Body) -> float:
    """Enthalpy (J/m³) of a moist place at ``t_c`` °C: the table read the other way, by halving."""
    low, high = body.h0 - 1e9, body.h0 + body.dh * body.temperature.size + 4e9
    for _ in range(60):
        middle = 0.5 * (low + high)
        if temperature_at(middle, body.water, body)[0] < t_c:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


@njit(cache=True, nogil=True)
def entered(y: Array, stage: Array, grid: Grid | Mesh, body: Body | Layers) -> Array:
    """The faces of a stage as a piece with state ``y`` enters it; an oven's vapour begins in ``y``'s last place.

    Fresh ovens hold the kitchen's vapour. Cold pieces cool their bath by what they lack, latent heat included: the heat
    they would take up from it, taken from its water at once.
    """
    faces = stage.copy()
    for side in range(faces.shape[0]):
        if faces[side, F_LEAK] > 0.0 and faces[side, F_CARRY] == 0.0:
            y[y.size - 1] = faces[side, F_PV] / faces[side, F_PRESSURE]
    if faces[:, F_COLD].max() > 0.0:
        mean, even = held(y, grid, body)
        outer = outermost(body)
        for side in range(faces.shape[0]):
            if faces[side, F_COLD] > 0.0:
                lack = (enthalpy_at(faces[side, F_TINF], outer) - mean) / outer.c_wet
                drop = min(max(faces[side, F_COLD] * lack, 0.0), max(faces[side, F_TINF] - even, 0.0))
                faces[side, F_TDELTA], faces[side, F_TAU] = -drop, max(drop * faces[side, F_RISE], 1.0)
    return faces


@njit(cache=True, nogil=True)
def peak_after(
    state: Array,
    t: float,
    first: int,
    duration: Array,
    faces: Array,
    until: NDArray[np.int64],
    value: Array,
    grid: Grid | Mesh,
    body: Body | Layers,
    crit: Criterion,
    tol: float,
    record: Record,
) -> float:
    """Highest core (°C) from ``state`` at time ``t`` on, through the stages from ``first``."""
    record.filled[2] += 1
    y = state.copy()
    none = np.empty(0)
    no_store = np.empty((0, 0))
    best = core_now(y, grid, body)
    for s in range(first, duration.size):
        kind = until[s]
        if s == duration.size - 1 and kind == UNTIL_TIME and faces[s, :, F_TINF].max() < best:
            kind = UNTIL_TURN  # it can only cool: once the core falls, its peak is known
        met = entered(y, faces[s], grid, body)
        t, ended, top, _, _ = advance(
            y, t, duration[s], met, grid, body, crit, kind, value[s], tol, 0.0, record, none, no_store, none
        )
        if ended < 0:
            return np.nan
        if top > best:
            best = top
    return best


@leaf
def given_up(record: Record) -> int:
    """Why a run gave up, by what it has spent."""
    return SPENT if record.filled[WORK] > record.filled[LIMIT] else FAILED


@njit(cache=True, nogil=True)
def stage_from(faces: Array, elapsed: float) -> Array:
    """The faces of a stage that has already run for ``elapsed`` seconds."""
    moved = faces.copy()
    for side in range(moved.shape[0]):
        if moved[side, F_TDELTA] != 0.0:
            moved[side, F_TDELTA] *= np.exp(-elapsed / moved[side, F_TAU])
    return moved


@njit(cache=True, nogil=True)
def resume(
    y: Array,
    t: float,
    stage_start: float,
    span: float,
    faces: Array,
    grid: Grid | Mesh,
    body: Body | Layers,
    crit: Criterion,
    tol: float,
    record: Record,
) -> None:
    """Go on for ``span`` seconds, unrecorded, inside a stage that began at ``stage_start``."""
    if span > 0.0:
        none = np.empty(0)
        advance(
            y,
            t,
            span,
            stage_from(faces, t - stage_start),
            grid,
            body,
            crit,
            UNTIL_TIME,
            0.0,
            tol,
            0.0,
            record,
            none,
            np.empty((0, 0)),
            none,
        )


@njit(cache=True, nogil=True)
def time_of(core: Array, t: Array, wanted: float) -> float:
    """Last time before the end of a series at which it rises through ``wanted``; its begin when it never does."""
    k = core.size - 1
    while k > 0 and core[k - 1] >= wanted:
        k -= 1
    if k == 0:
        return float(t[0])
    part = (wanted - core[k - 1]) / max(core[k] - core[k - 1], 1e-9)
    return float(t[k - 1] + min(max(part, 0.0), 1.0) * (t[k] - t[k - 1]))


@njit(cache=True, nogil=True)
def run_to_pull(
    y: Array,
    t: float,
    s: int,
    duration: Array,
    met: Array,
    faces: Array,
    until: NDArray[np.int64],
    value: Array,
    grid: Grid | Mesh,
    body: Body | Layers,
    crit: Criterion,
    tol: float,
    longest: float,
    record: Record,
    stops: Array,
) -> tuple[float, int, int, float, float]:
    """Run stage ``s``, whose faces are ``met``, until the core's peak over all that follows equals ``value[s]``.

    The stage is run once, keeping its states; the end is then found by re-running only what comes
    after it. Coasting adds nearly the same at neighbouring moments, so the first guess is where the
    core lacks what it gained after the last one; a secant kept within a bracket does the rest.
    Returns end time, status, what ended it, highest core met in the stage and its time.
    """
    wanted = value[s]
    if core_now(y, grid, body) >= wanted:
        return t, UNTIL_TIME, UNTIL_PEAK, -1e9, t
    store = np.empty((400, y.size))
    store_t = np.empty(400)
    first_row = record.filled[0]
    # the core itself at the wanted temperature is past the pull: no need to go on
    end, status, top, top_t, count = advance(
        y, t, duration[s], met, grid, body, crit, UNTIL_CORE, wanted, tol, longest, record, stops, store, store_t
    )
    if status < 0:
        return end, status, UNTIL_TIME, top, top_t
    above = peak_after(y, end, s + 1, duration, faces, until, value, grid, body, crit, tol, record) - wanted
    if np.isnan(above):
        return end, given_up(record), UNTIL_TIME, top, top_t
    if above < 0.0:
        return end, UNTIL_TIME, UNTIL_TIME, top, top_t
    core = np.empty(count)
    for k in range(count):
        core[k] = core_now(store[k], grid, body)
    low, high = t, end
    x_old, off_old = end, above
    x = time_of(core, store_t[:count], core[count - 1] - above)
    trial = np.empty_like(y)
    k = 0
    for attempt in range(1, 40):
        k = max(min(int(np.searchsorted(store_t[:count], x, side="right")) - 1, count - 1), 0)
        trial[:] = store[k]
        resume(trial, store_t[k], t, x - store_t[k], met, grid, body, crit, tol, record)
        off = peak_after(trial, x, s + 1, duration, faces, until, value, grid, body, crit, tol, record) - wanted
        if np.isnan(off):
            return x, given_up(record), UNTIL_TIME, top, top_t
        if x <= t and off >= 0.0:  # already too late when the stage begins
            y[:] = store[0]
            record.filled[0] = first_row
            return t, UNTIL_TIME, UNTIL_PEAK, -1e9, t
        if off < 0.0:
            low = x
        else:
            high = x
        following = x - off * (x - x_old) / (off - off_old) if off != off_old else low
        if abs(off) < max(2e-3, tol) or high - low < 1e-3:
            if low < following < high:  # the secant's last word needs no proof
                x = following
                k = max(min(int(np.searchsorted(store_t[:count], x, side="right")) - 1, count - 1), 0)
            break
        if following <= t and low == t:
            following = t  # it may have been too late from the begin
        elif not low < following < high or attempt % 5 == 0:
            following = 0.5 * (low + high)
        x_old, off_old = x, off
        x = following
    if longest > 0.0:
        while record.filled[0] > first_row and record.t[record.filled[0] - 1] > store_t[k] + 1e-9:
            record.filled[0] -= 1
    y[:] = store[k]
    if x > store_t[k]:
        moved = stage_from(met, store_t[k] - t)
        _, status, _, _, _ = advance(
            y,
            store_t[k],
            x - store_t[k],
            moved,
            grid,
            body,
            crit,
            UNTIL_TIME,
            0.0,
            tol,
            longest,
            record,
            stops,
            np.empty((0, 0)),
            np.empty(0),
        )
        if status < 0:
            return x, status, UNTIL_TIME, top, top_t
    return x, UNTIL_TIME, UNTIL_PEAK, core_now(y, grid, body), x


@leaf
def goes_on(before: Array, after: Array) -> bool:
    """Whether a stage's faces meet what they met in the stage before, with nothing that begins anew."""
    for side in range(before.shape[0]):
        if after[side, F_TDELTA] != 0.0 or before[side, F_TDELTA] != 0.0 or after[side, F_COLD] > 0.0:
            return False
        for k in range(before.shape[1]):
            if k != F_CARRY and before[side, k] != after[side, k]:
                return False
    return True


@njit(cache=True, nogil=True)
def with_ends(stops: Array, t: float, duration: Array) -> Array:
    """The times to be recorded (s), with the ends of stages that begin at ``t`` and last ``duration``."""
    return np.sort(np.concatenate((stops, t + np.cumsum(duration))))


@njit(cache=True, nogil=True)
def run_cook(
    y: Array,
    duration: Array,
    faces: Array,
    until: NDArray[np.int64],
    value: Array,
    grid: Grid | Mesh,
    body: Body | Layers,
    crit: Criterion,
    tol: float,
    samples: float,
    record: Record,
    stops: Array,
    end_s: Array,
    ended: NDArray[np.int64],
) -> tuple[float, float, int]:
    """Run all stages in place, solving at most one pull (``UNTIL_PEAK``).

    Each stage is recorded at least ``samples`` times, at 0 not at all; stages by the clock that meet the same are run as
    one. ``end_s`` and ``ended`` receive each stage's end and cause. Returns the highest core, its time, and 0, ``FAILED`` or ``SPENT``.
    """
    none = np.empty(0)
    no_store = np.empty((0, 0))
    t = 0.0
    best, best_t = -1e9, 0.0
    s = 0
    while s < duration.size:
        span = duration[s]
        kind = until[s]
        first = s
        while (
            kind == UNTIL_TIME
            and s + 1 < duration.size
            and until[s + 1] == UNTIL_TIME
            and goes_on(faces[s], faces[s + 1])
        ):
            s += 1  # the same goes on: for the piece it is one stage
            span += duration[s]
        longest = span / samples if samples > 0.0 else 0.0
        wanted = stops if s == first else with_ends(stops, t, duration[first:s])
        met = entered(y, faces[first], grid, body)
        if kind == UNTIL_PEAK:
            t, status, found, top, top_t = run_to_pull(
                y, t, s, duration, met, faces, until, value, grid, body, crit, tol, longest, record, stops
            )
        else:
            t, status, top, top_t, _ = advance(
                y, t, span, met, grid, body, crit, kind, value[s], tol, longest, record, wanted, no_store, none
            )
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
