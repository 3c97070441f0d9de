"""Compiled: a whole cook, stage by stage, with its pull solved by re-running only what comes after it."""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import njit, types
from numba.extending import overload
from numpy.typing import NDArray

from ember_core.heat.explicit import mesh_offset, run_mesh_stage
from ember_core.heat.kernel import F_TAU, F_TDELTA, F_TINF, Array, Body, Criterion, Grid, Record, leaf, temperature_at
from ember_core.heat.mesh import Layers, Mesh
from ember_core.heat.stepper import run_stage
from ember_core.heat.steps import FAILED, UNTIL_CORE, UNTIL_PEAK, UNTIL_TIME, UNTIL_TURN


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
        t, ended, top, _, _ = advance(
            y, t, duration[s], faces[s], grid, body, crit, kind, value[s], tol, 0.0, record, none, no_store, none
        )
        if ended == FAILED:
            return np.nan
        if top > best:
            best = top
    return best


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
    """Run stage ``s`` until the core's peak over all that follows equals ``value[s]``.

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
        y, t, duration[s], faces[s], grid, body, crit, UNTIL_CORE, wanted, tol, longest, record, stops, store, store_t
    )
    if status == FAILED:
        return end, FAILED, UNTIL_TIME, top, top_t
    above = peak_after(y, end, s + 1, duration, faces, until, value, grid, body, crit, tol, record) - wanted
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
        resume(trial, store_t[k], t, x - store_t[k], faces[s], grid, body, crit, tol, record)
        off = peak_after(trial, x, s + 1, duration, faces, until, value, grid, body, crit, tol, record) - wanted
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
        moved = stage_from(faces[s], store_t[k] - t)
        advance(
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
    return x, UNTIL_TIME, UNTIL_PEAK, core_now(y, grid, body), x


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
    start_state: Array,
) -> tuple[float, float, int]:
    """Run all stages in place, solving at most one pull (``UNTIL_PEAK``).

    Each stage is recorded at least ``samples`` times, at 0 not at all. ``end_s`` and ``ended``
    receive each stage's end and cause; ``start_state`` (stages + 1 rows, or
    none) the states between stages. Returns the highest core, its time, and 0 or ``FAILED``.
    """
    none = np.empty(0)
    no_store = np.empty((0, 0))
    t = 0.0
    best, best_t = -1e9, 0.0
    for s in range(duration.size):
        if start_state.shape[0] > 0:
            start_state[s, :] = y
        span = duration[s]
        longest = span / samples if samples > 0.0 else 0.0
        kind = until[s]
        if kind == UNTIL_PEAK:
            t, status, found, top, top_t = run_to_pull(
                y, t, s, duration, faces, until, value, grid, body, crit, tol, longest, record, stops
            )
        else:
            t, status, top, top_t, _ = advance(
                y, t, span, faces[s], grid, body, crit, kind, value[s], tol, longest, record, stops, no_store, none
            )
            found = status
        if status == FAILED:
            return best, best_t, FAILED
        end_s[s] = t
        ended[s] = found
        if top > best:
            best, best_t = top, top_t
    if start_state.shape[0] > 0:
        start_state[duration.size, :] = y
    return best, best_t, 0
