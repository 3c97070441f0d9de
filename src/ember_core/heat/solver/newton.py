"""Newton iteration of an implicit part of a time step. Compiled."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.cells import move_cells, read_cells
from ember_core.heat.solver.compiled import inlined, kernel, leaf
from ember_core.heat.solver.line_rates import (
    Cells,
    Line,
    add_faces,
    both_faces,
    conduction,
    drying,
    given_off,
    new_cells,
    taken_of,
)
from ember_core.heat.solver.oven_air import AIR_WEIGHT_K, settle
from ember_core.heat.solver.reservoir import coming, warming
from ember_core.heat.solver.stepping import CELL_NS, LOOK_NS
from ember_core.heat.solver.tridiagonal import factor, solve
from ember_core.heat.solver.types import Rows

CURVATURE = 2e-3  # 1/K, how much conductivity or heat capacity of a food changes by degree, at most
MOST_MOVES = 25
RUNAWAY_K = 1e6  # a move this large is none


class Work(NamedTuple):
    """Room for the iteration; all but the factors are per cell."""

    cells: Cells
    f: Array  # W/m³
    rhs: Array  # J/m³
    move: Array
    lean: Array  # J/(m³ K), how the move leans on the temperature of a medium with a store
    factors: Array  # four rows, see tridiagonal.factor


@kernel
def new_work(n: int) -> Work:
    """Room for ``n`` cells."""
    rows = np.empty((4, n))
    return Work(new_cells(n), rows[0], rows[1], rows[2], rows[3], np.empty((4, n)))


@inlined
def foreseen(face: Any, slope: Array, move: Array, near: int, inwards: int, warmer: float) -> tuple[float, float]:
    """Flux into a face and heat drawn from under its crust (W/m²) after a linear ``move`` of the enthalpies (J/m³).

    Parameters
    ----------
    face : row of SKIN
        What it does now.
    slope, move : ndarray (cells,)
        dT/dH, K m³/J; J/m³.
    near, inwards : int
        The nearest cell, and which way the piece lies.
    warmer : float
        By how much a medium with a store moves, K.
    """
    following = near + inwards
    flux = (
        face.flux
        + face.by_medium * warmer
        + face.by_near * slope[near] * move[near]
        + face.by_next * slope[following] * move[following]
    )
    at = face.under
    return flux, face.drawn + face.drawn_slope * slope[at] * move[at] if face.drawn > 0.0 else 0.0


@leaf
def leaning(line: Line, faces: Rows, beta: float, store: Rows, skin: Rows, work: Work) -> float:
    """Let the move in ``work`` and the temperature of a store settle with each other; returns by how much that moves, K.

    The store is one more unknown, which only the cells at the faces know: a border of the tridiagonal system.

    Parameters
    ----------
    line, faces : Line, rows of FACE
    beta : float
        s.
    store, skin : rows of RESERVOIR and SKIN
    work : Work
        Its factors and its move, J/m³, which is completed.
    """
    grid, slope, x, lean = line.grid, work.cells.slope, work.move, work.lean
    n = grid.n
    for i in range(n):
        work.rhs[i] = 0.0
    size = store[0].pieces_m3 * line.per_piece
    taken, by_medium = 0.0, 0.0
    for side in range(1 if grid.closed_a else 0, 2):
        if faces[side].capacity > 0.0:
            near, area = (n - 1, grid.area[n]) if side == 1 else (0, grid.area[0])
            work.rhs[near] += beta * skin[side].by_medium * area * line.per_volume[near]
            taken += size * area * skin[side].taken
            by_medium += size * area * skin[side].taken_by_medium
    solve(work.rhs, work.factors, lean)
    by_move, by_lean = 0.0, 0.0
    for side in range(1 if grid.closed_a else 0, 2):
        if faces[side].capacity > 0.0:
            near, inwards, area = (n - 1, -1, grid.area[n]) if side == 1 else (0, 1, grid.area[0])
            nearest = size * area * skin[side].taken_by_near * slope[near]
            following = size * area * skin[side].taken_by_next * slope[near + inwards]
            by_move += nearest * x[near] + following * x[near + inwards]
            by_lean += nearest * lean[near] + following * lean[near + inwards]
    net, net_slope = coming(store, store[0].t_c)
    per = beta / store[0].capacity
    left = store[0].base + per * (net - taken - by_move) - store[0].t_c
    moved = left / (1.0 + per * (by_medium + by_lean - net_slope))
    for i in range(n):
        x[i] += moved * lean[i]
    return float(moved)


@inlined
def newton(
    line: Line,
    faces: Rows,
    t: float,
    w: Array,
    shed: Array,
    base: Array,
    beta: float,
    guess: Array,
    reached: Array,
    tol: float,
    work: Work,
    skin: Rows,
    air: Rows,
    store: Rows,
    tally: Rows,
) -> tuple[bool, float]:
    """Solve y = base + beta·f(y); returns whether it converged, and the heat coming in (W per unit grid area).

    A move is the last one when what was linear in it (temperatures and fluxes at the faces) agrees
    with the true values to ``tol``; these are then in ``work.cells`` and ``skin``. The vapour of an oven's ``air`` is
    settled with it, and the temperature of a medium with a ``store``.

    Parameters
    ----------
    line, faces : Line, rows of FACE
    t : float
        Into the stage, s.
    w, shed : ndarray (cells,), (2,)
        Water left, kg/m³; what each face has lost, kg/m².
    base, guess, reached : ndarray (cells,)
        J/m³; the answer replaces ``guess``, ``reached`` receives f there, W/m³.
    beta : float
        s.
    tol : float
        K.
    work, skin, air, store, tally
        Room; where the faces begin, two rows of SKIN; the oven's air; the medium's store; the count of work.
    """
    grid, body, cells, x = line.grid, line.body, work.cells, work.move
    n = grid.n
    boiling = read_cells(guess, w, body, cells.temperature, cells.slope, cells.kappa)
    both_faces(w, shed, t, faces, line, cells, skin, air[0].share, store[0].t_c)
    heat = 0.0
    runaway, rate = RUNAWAY_K * body.c_wet, 1.0 / beta
    for _ in range(MOST_MOVES):
        tally[0].work += LOOK_NS + CELL_NS * n
        conduction(line, cells, work.f)
        add_faces(line, cells, skin, work.f)
        if boiling:
            drying(line, cells, guess, w)
        for i in range(n):
            work.rhs[i] = base[i] + beta * work.f[i] - guess[i]
        factor(beta, cells, work.factors)
        solve(work.rhs, work.factors, x)
        warmer = 0.0
        if store[0].capacity > 0.0:
            warmer = leaning(line, faces, beta, store, skin, work)
            if not abs(warmer) < RUNAWAY_K:
                return False, heat
            store[0].t_c += warmer
        flux_a, drawn_a = foreseen(skin[0], cells.slope, x, 0, 1, warmer)
        flux_b, drawn_b = foreseen(skin[1], cells.slope, x, n - 1, -1, warmer)
        largest, off, boiling = move_cells(guess, x, w, body, cells.temperature, cells.slope, cells.kappa)
        if not largest < runaway:
            return False, heat
        largest /= body.c_wet  # measured against a smooth heat capacity, so that a plateau cannot hide a large move
        both_faces(w, shed, t, faces, line, cells, skin, air[0].share, store[0].t_c)
        off = max(off, CURVATURE * largest * largest)
        per = beta / body.c_wet
        wrong = abs(skin[1].flux - flux_b) + abs(skin[1].drawn - drawn_b)
        off = max(off, wrong * grid.area[n] * line.per_volume[n - 1] * per)
        heat = (flux_b - drawn_b) * grid.area[n]
        if not grid.closed_a:
            wrong = abs(skin[0].flux - flux_a) + abs(skin[0].drawn - drawn_a)
            off = max(off, wrong * grid.area[0] * line.per_volume[0] * per)
            heat += (flux_a - drawn_a) * grid.area[0]
        unsettled = 0.0
        if air[0].leak > 0.0:
            before = air[0].share
            given, less = given_off(air, t, faces, line, skin)
            settle(air, beta, given, less)
            unsettled = AIR_WEIGHT_K * abs(air[0].share - before)
        if store[0].capacity > 0.0:
            store[0].taken, _ = taken_of(store, faces, line, skin)
            warms = warming(store, store[0].t_c, store[0].taken)
            unsettled = max(unsettled, abs(store[0].base + beta * warms - store[0].t_c))
        if unsettled < tol and (largest < tol or off < tol):
            for i in range(n):
                reached[i] = (guess[i] - base[i]) * rate
            return True, heat
    return False, heat
