"""What goes on in a one-dimensional piece at one moment: conduction, its faces, what it gives off. Compiled.

The unknown is the volumetric enthalpy H (J/m³) of each finite-volume cell; temperature is read from
a table T(H), so freezing, boiling and a varying heat capacity are one mechanism and energy is
conserved to the tolerance of the Newton iteration. Space: finite volumes with a quadratic surface
reconstruction.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ember_core.constants import CELSIUS_ZERO, LATENT_BOILING, VAPOUR_GAS_CONSTANT
from ember_core.heat.arrays import Array
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.solver.cells import read_cells
from ember_core.heat.solver.compiled import inlined, kernel, leaf
from ember_core.heat.solver.oven_air import room
from ember_core.heat.solver.surface import medium_at, surface_balance
from ember_core.heat.solver.types import Body, Rows


class Line(NamedTuple):
    """A one-dimensional piece of a size: its grid in metres (and per unit of the grid's own area)."""

    grid: Grid
    body: Body
    between: Array  # 1/m, half the area over the distance of each inner face, at the cell before it
    per_volume: Array  # 1/m, of each cell
    per_piece: float  # 1/m, of the whole


class Cells(NamedTuple):
    """What :func:`rates` finds of each cell."""

    temperature: Array  # °C
    slope: Array  # dT/dH, K m³/J
    kappa: Array  # W/(m K)
    low: Array  # the tridiagonal d f/dH, 1/s
    middle: Array
    high: Array


@kernel
def line_of(grid: Grid, body: Body) -> Line:
    """A grid and a body as one piece."""
    between, per_volume = np.zeros(grid.n), np.empty(grid.n)
    for i in range(grid.n):
        per_volume[i] = 1.0 / (grid.volume[i] * body.length)
        if i + 1 < grid.n:
            between[i] = 0.5 * grid.area[i + 1] / (grid.spacing[i + 1] * body.length)
    return Line(grid, body, between, per_volume, 1.0 / (grid.volume.sum() * body.length))


@kernel
def new_cells(n: int) -> Cells:
    """Room for ``n`` cells."""
    rows = np.empty((6, n))
    return Cells(rows[0], rows[1], rows[2], rows[3], rows[4], rows[5])


@inlined
def core_of(values: Array, grid: Grid) -> float:
    """The core read from the cells' means, in their unit."""
    total = 0.0
    for i in range(grid.core_lo, grid.core_hi):
        total += grid.core[i] * values[i]
    return total


@inlined
def conduction(line: Line, cells: Cells, f: Array) -> None:
    """Rate of change ``f`` (W/m³) by conduction between the cells, and the tridiagonal d f/dH."""
    temp, kappa, slope = cells.temperature, cells.kappa, cells.slope
    last = temp.size - 1
    g_before, q_before, slope_before = 0.0, 0.0, 0.0
    t_own, k_own, slope_own = temp[0], kappa[0], slope[0]
    for i in range(last):
        t_next, k_next, slope_next = temp[i + 1], kappa[i + 1], slope[i + 1]
        g = (k_own + k_next) * line.between[i]
        q = g * (t_own - t_next)
        per = line.per_volume[i]
        f[i] = (q_before - q) * per
        cells.low[i] = g_before * per * slope_before
        cells.middle[i] = -(g_before + g) * per * slope_own
        cells.high[i] = g * per * slope_next
        g_before, q_before, slope_before = g, q, slope_own
        t_own, k_own, slope_own = t_next, k_next, slope_next
    per = line.per_volume[last]
    f[last] = q_before * per
    cells.low[last] = g_before * per * slope_before
    cells.middle[last] = -g_before * per * slope_own
    cells.high[last] = 0.0


@leaf
def drying(line: Line, cells: Cells, y: Array, w: Array) -> None:
    """Add to the tridiagonal that a cell conducts less as its water boils off, by enthalpies ``y`` (J/m³) and water ``w`` (kg/m³)."""
    body, temp, kappa = line.body, cells.temperature, cells.kappa
    n = temp.size
    for i in range(n):
        excess = y[i] - body.boil_h
        left = w[i] * LATENT_BOILING - excess
        if excess > 0.0 and left > 0.0:
            by = (body.k_dry * body.k_scale - kappa[i]) / left  # along a straight line down to the dry one's
            if i > 0:
                q = line.between[i - 1] * by * (temp[i - 1] - temp[i])
                cells.high[i - 1] -= q * line.per_volume[i - 1]
                cells.middle[i] += q * line.per_volume[i]
            if i + 1 < n:
                q = line.between[i] * by * (temp[i] - temp[i + 1])
                cells.middle[i] -= q * line.per_volume[i]
                cells.low[i + 1] += q * line.per_volume[i + 1]


@inlined
def under_crust(w: Array, outermost: int, inwards: int) -> int:
    """The outermost cell under a face that has water ``w`` (kg/m³) left; the next to outermost if none has."""
    i = outermost
    while 0 <= i < w.size and w[i] <= 0.0:
        i += inwards
    return i if 0 <= i < w.size else outermost + inwards


@leaf
def both_faces(
    w: Array, shed: Array, t: float, faces: Rows, line: Line, cells: Cells, skin: Rows, share: float, stored: float
) -> None:
    """Balance both faces into the two rows of ``skin``, by whose temperatures the iterations begin.

    Parameters
    ----------
    w : ndarray (cells,)
        Water left, kg/m³.
    shed : ndarray (2,)
        What each face has lost, kg/m².
    t : float
        Into the stage, s.
    faces, line, cells
        What they meet, the piece, and its cells' temperatures and conductivities.
    skin : two rows of SKIN
    share : float
        The vapour's in the oven's air.
    stored : float
        °C, of a medium with a store.
    """
    grid, body = line.grid, line.body
    n = grid.n
    for side in range(1 if grid.closed_a else 0, 2):
        near, inwards = (n - 1, -1) if side == 1 else (0, 1)
        dry = body.water > 0.0 and w[near] <= 0.0
        at = under_crust(w, near, inwards) if dry else near
        skin[side].under = at
        surface_balance(
            faces[side],
            t,
            shed[side],
            dry,
            body.boil_c,
            body.m0,
            cells.kappa[near] / body.length,
            grid.surface_b if side == 1 else grid.surface_a,
            cells.temperature[near],
            cells.temperature[near + inwards],
            cells.temperature[at],
            share,
            stored,
            skin[side],
        )
    if grid.closed_a:
        skin[0] = skin[1]


@inlined
def add_faces(line: Line, cells: Cells, skin: Rows, f: Array) -> float:
    """Add the faces' fluxes to ``f`` (W/m³) and its derivatives; returns the heat coming in, W per unit grid area."""
    grid = line.grid
    n = grid.n
    heat = 0.0
    for side in range(1 if grid.closed_a else 0, 2):
        near = n - 1 if side == 1 else 0
        area = grid.area[n] if side == 1 else grid.area[0]
        next_to = cells.low if side == 1 else cells.high
        face = skin[side]
        share = area * line.per_volume[near]
        f[near] += face.flux * share
        cells.middle[near] += face.by_near * share * cells.slope[near]
        next_to[near] += face.by_next * share * cells.slope[near - 1 if side == 1 else 1]
        heat += face.flux * area
        if face.drawn > 0.0:
            at = face.under
            f[at] -= face.drawn * area * line.per_volume[at]
            cells.middle[at] -= face.drawn_slope * area * line.per_volume[at] * cells.slope[at]
            heat -= face.drawn * area
    return heat


@inlined
def rates(
    y: Array, w: Array, shed: Array, t: float, faces: Rows, line: Line, cells: Cells, f: Array, skin: Rows, share: float,
    stored: float,
) -> float:  # fmt: skip
    """Rate of change ``f`` (W/m³) of the enthalpies ``y`` (J/m³); returns the heat coming in, W per unit grid area.

    Parameters
    ----------
    y, w : ndarray (cells,)
        Enthalpy, J/m³, and water left, kg/m³.
    shed : ndarray (2,)
        What each face has lost, kg/m².
    t : float
        Into the stage, s.
    faces, line
        What the faces meet; the piece.
    cells, f, skin
        Receive what is found; ``skin`` is where the faces' iterations begin.
    share : float
        The vapour's in the oven's air.
    stored : float
        °C, of a medium with a store.
    """
    read_cells(y, w, line.body, cells.temperature, cells.slope, cells.kappa)
    both_faces(w, shed, t, faces, line, cells, skin, share, stored)
    conduction(line, cells, f)
    return add_faces(line, cells, skin, f)


@inlined
def given_off(air: Rows, t: float, faces: Rows, line: Line, skin: Rows) -> tuple[float, float]:
    """What a piece gives off to an oven's air at the present share (1/s), and by how much less for a share of one more.

    Parameters
    ----------
    air, faces, skin : rows of AIR, FACE and SKIN
    t : float
        Into the stage, s.
    line : Line
    """
    grid = line.grid
    size = room(air, t, faces) * line.per_piece
    given, less = 0.0, 0.0
    for side in range(1 if grid.closed_a else 0, 2):
        face = faces[side]
        if face.leak > 0.0:
            area = grid.area[grid.n] if side == 1 else grid.area[0]
            dense = face.pressure_pa / (VAPOUR_GAS_CONSTANT * (medium_at(face, t) + CELSIUS_ZERO))
            given += size * area * skin[side].evaporation
            less += size * area * skin[side].transfer * dense
    return given, less


@inlined
def taken_of(store: Rows, faces: Rows, line: Line, skin: Rows) -> tuple[float, float]:
    """What flows from a store into all its pieces, W, and its derivative by the store's temperature, W/K.

    Parameters
    ----------
    store, faces, skin : rows of RESERVOIR, FACE and SKIN
    line : Line
    """
    grid = line.grid
    size = store[0].pieces_m3 * line.per_piece
    taken, slope = 0.0, 0.0
    for side in range(1 if grid.closed_a else 0, 2):
        if faces[side].capacity > 0.0:
            area = grid.area[grid.n] if side == 1 else grid.area[0]
            taken += size * area * skin[side].taken
            slope += size * area * skin[side].taken_by_medium
    return taken, slope
