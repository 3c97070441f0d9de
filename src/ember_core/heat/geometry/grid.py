"""Compiled kernels: enthalpy conduction in one dimension with a boundary on each face.

The unknown is the volumetric enthalpy H (J/m³) of each finite-volume cell; temperature is read from
a table T(H), so freezing, boiling and a varying heat capacity are one mechanism and energy is
conserved to the tolerance of the Newton iteration. Space: finite volumes with a quadratic surface
reconstruction. Time: TR-BDF2 (Bank et al. 1985; Hosea & Shampine 1996, *Appl. Numer. Math.* 20:21),
L-stable and of second order, with its third-order error estimate steering the step.

Every function is serial and releases the interpreter lock; nothing here uses fastmath, because a
not-a-number must stay visible.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import numpy as np

from ember_core.heat.arrays import Array


class Grid(NamedTuple):
    """A unit grid (length 1 between the faces, or unit radius); see :mod:`ember_core.heat.geometry.grid`."""

    n: int
    closed_a: bool  # the lower end is a centre or a plane of symmetry
    mirrored: bool  # the upper half of a slab whose other half is its image
    area: Array  # face areas, n + 1
    volume: Array  # cell volumes, n
    spacing: Array  # distance between the cells on either side of each inner face, n + 1
    surface_a: Array  # surface gradient weights (of Ts, T1, T2) at face a
    surface_b: Array
    core: Array  # weights that read the core from the cell means, n
    mean: Array  # volume fractions, n
    core_lo: int
    core_hi: int


SLAB, CYLINDER, SPHERE = 0, 1, 2

RATIO = {SLAB: 1.01, CYLINDER: 1.01, SPHERE: 1.01}
"""Growth from a cell to its inner neighbour; found by measuring against the exact series."""

CRUST_GROWTH = 1.06**40  # from the outermost to the innermost cell where a crust forms: it is a millimetre thick


def _moments(lo: Array, hi: Array, power: int, exponent: int) -> Array:
    """Mean of x**power over each cell [lo, hi] weighted by x**exponent."""
    top = (hi ** (power + exponent + 1) - lo ** (power + exponent + 1)) / (power + exponent + 1)
    return top / ((hi ** (exponent + 1) - lo ** (exponent + 1)) / (exponent + 1))


def _surface(m1: float, q1: float, m2: float, q2: float) -> Array:
    """Weights (a, b, c) with dT/dx at the surface, going inward, = −a·Ts + b·T1 − c·T2."""
    det = m1 * q2 - m2 * q1
    b, c = q2 / det, q1 / det
    return np.array([b - c, b, c])


@lru_cache(maxsize=32)
def unit_grid(exponent: int, n: int, half: bool = False, crust: bool = False) -> Grid:
    """Build the grid of a slab (0, full thickness), long cylinder (1) or sphere (2, from the centre).

    Parameters
    ----------
    exponent : int
        Exponent b of the area r**b.
    n : int
        Number of cells, even for a slab; 8 or more.
    half : bool
        Of a slab only the half from the middle to face b, for faces that are treated alike: n/2 cells.
    crust : bool
        Whether a crust will form, which wants finer cells at the surfaces.
    """
    if exponent == SLAB:
        growing = (CRUST_GROWTH ** (2 / n) if crust else RATIO[SLAB]) ** np.arange(n // 2)
        widths = np.concatenate([growing, growing[::-1]])
    else:
        widths = (CRUST_GROWTH ** (1 / n) if crust else RATIO[exponent]) ** np.arange(n)[::-1]
    x = np.concatenate([[0.0], np.cumsum(widths)])
    x /= x[-1]
    lo, hi = x[:-1], x[1:]
    area = x**exponent if exponent else np.ones(n + 1)
    volume = (hi ** (exponent + 1) - lo ** (exponent + 1)) / (exponent + 1)
    spacing = np.ones(n + 1)
    if exponent == SLAB:
        spacing[1:-1] = np.diff(0.5 * (lo + hi))
    else:  # exact for temperatures that are quadratic in the radius, as they are near the centre
        spacing[1:-1] = np.diff(_moments(lo, hi, 2, exponent)) / (2 * x[1:-1])
    depth = [1.0 - _moments(lo[-k:][:1], hi[-k:][:1], 1, exponent)[0] for k in (1, 2)]
    square = [
        1.0
        - 2 * _moments(lo[-k:][:1], hi[-k:][:1], 1, exponent)[0]
        + _moments(lo[-k:][:1], hi[-k:][:1], 2, exponent)[0]
        for k in (1, 2)
    ]
    surface = _surface(depth[0], square[0], depth[1], square[1])
    core = np.zeros(n)
    if exponent == SLAB:
        cells = np.arange(n // 2 - 2, n // 2 + 2)
        powers: tuple[int, ...] = (0, 1, 2, 3)
        shift = 0.5
    else:
        cells = np.arange(3)
        powers = (0, 2, 4)
        shift = 0.0
    matrix = np.array([_moments(lo[cells] - shift, hi[cells] - shift, p, exponent) for p in powers])
    core[cells] = np.linalg.solve(matrix, np.eye(len(powers))[0])
    first = int(cells[0])
    if half and exponent == SLAB:
        middle = n // 2
        core = core[middle:] + core[middle - 1 :: -1]
        area, volume, spacing, first, cells = area[middle:], volume[middle:], spacing[middle:], 0, np.arange(2)
        n = middle
    return Grid(
        n,
        exponent != SLAB or half,
        half and exponent == SLAB,
        area,
        volume,
        spacing,
        surface,
        surface,
        core,
        volume / volume.sum(),
        first,
        int(cells[-1]) + 1,
    )
