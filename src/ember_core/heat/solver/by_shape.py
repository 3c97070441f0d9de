"""What differs between a one-dimensional grid and a mesh; compiled code takes the right one by type.

Each function here has a plain definition that only names it, and one that numba compiles in its place
(:func:`numba.extending.overload`).
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numba import types
from numba.extending import overload

from ember_core.heat.arrays import Array
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.solver.cells import temperature_at
from ember_core.heat.solver.compiled import leaf
from ember_core.heat.solver.line_stage import LINE_STAGE
from ember_core.heat.solver.mesh_stage import MESH_STAGE
from ember_core.heat.solver.types import Body, Case, Layers, Record, Rows

OPTIONS: dict[str, Any] = {"jit_options": {"error_model": "numpy"}}


def with_stepper(case: Case, stage: Rows, record: Record) -> Case:
    """A case with the address of what advances such a piece through a stage; compiled at its first use.

    Parameters
    ----------
    case : Case
    stage : rows of FACE
        What its faces meet in any stage.
    record : Record
    """
    step = MESH_STAGE if isinstance(case.grid, Mesh) else LINE_STAGE
    if not step.compiled:
        none = np.empty(0)
        step.compile_for(none, 0.0, 0.0, stage, case, 0, 0.0, 0.0, record, none, np.empty((0, 0)), none)
    return case._replace(stepper=step.address)


def _is_mesh(grid: Any) -> bool:
    return isinstance(grid, types.NamedTuple) and grid.instance_class is Mesh


def _not_compiled() -> Any:
    raise NotImplementedError("compiled code only")


def core_now(y: Array, grid: Any, body: Any) -> float:
    """Core temperature of a state, °C."""
    return float(_not_compiled())


def hottest_now(y: Array, grid: Any, body: Any) -> float:
    """The hottest place of a state, °C."""
    return float(_not_compiled())


def outermost(body: Any) -> Any:
    """The outer material of a piece."""
    return _not_compiled()


def patches(grid: Any) -> int:
    """How many faces or patches a state keeps the loss of."""
    return int(_not_compiled())


def with_outer(body: Any, outer: Any, inner: Any) -> Any:
    """A piece of other materials; one that has but one takes ``outer``."""
    return _not_compiled()


def innermost(body: Any) -> Any:
    """The inner material of a piece; of one material that."""
    return _not_compiled()


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


@overload(core_now, **OPTIONS)
def _core_now(y, grid, body):  # type: ignore[no-untyped-def]  # numba reads the names, not types
    if _is_mesh(grid):
        return lambda y, grid, body: _core_of_mesh(y, grid, body)
    return lambda y, grid, body: _core_of_grid(y, grid, body)


@leaf
def _hottest_of_grid(y: Array, grid: Grid, body: Body) -> float:
    most = -np.inf
    for i in range(grid.n):
        most = max(most, temperature_at(y[i], y[grid.n + i], body)[0])
    return most


@leaf
def _hottest_of_mesh(y: Array, mesh: Mesh, layers: Layers) -> float:
    most = -np.inf
    for i in range(mesh.n):
        most = max(most, temperature_at(y[i], y[mesh.n + i], layers.inner if mesh.inner[i] else layers.outer)[0])
    return most


@overload(hottest_now, **OPTIONS)
def _hottest_now(y, grid, body):  # type: ignore[no-untyped-def]  # numba reads the names, not types
    if _is_mesh(grid):
        return lambda y, grid, body: _hottest_of_mesh(y, grid, body)
    return lambda y, grid, body: _hottest_of_grid(y, grid, body)


@overload(outermost, **OPTIONS)
def _outermost(body):  # type: ignore[no-untyped-def]  # as above
    return (lambda body: body.outer) if body.instance_class is Layers else (lambda body: body)


@overload(innermost, **OPTIONS)
def _innermost(body):  # type: ignore[no-untyped-def]  # as above
    return (lambda body: body.inner) if body.instance_class is Layers else (lambda body: body)


@overload(with_outer, **OPTIONS)
def _with_outer(body, outer, inner):  # type: ignore[no-untyped-def]  # as above
    if body.instance_class is Layers:
        return lambda body, outer, inner: Layers(outer, inner)
    return lambda body, outer, inner: outer


@overload(patches, **OPTIONS)
def _patches(grid):  # type: ignore[no-untyped-def]  # as above
    return (lambda grid: grid.s_node.size) if _is_mesh(grid) else (lambda grid: 2)
