"""From a plan's shape to its grid or mesh, and from a mesh's record to a line through the core."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.heat.arrays import Array
from ember_core.heat.geometry.bird import part_shape
from ember_core.heat.geometry.confocal import ellipsoid
from ember_core.heat.geometry.egg import egg, nodes_of, yolk_edge
from ember_core.heat.geometry.egg_outline import egg_sizes, room_g, species_of
from ember_core.heat.geometry.grid import CYLINDER, SLAB, SPHERE, Grid, unit_grid
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.geometry.products import box, short_cylinder

MESH_CELLS = {"box": 6, "cylinder": 10, "ellipsoid": 10, "egg": 11}  # over half of each direction

MESH_FINEST = 0.07  # the outermost cell's share of half the thickness

FIRST_M = 3.5e-3  # but in a thick box or ellipsoid no more than so much

# the same where a crust forms, and an ellipsoid's cells in a quarter turn; by measuring against finer meshes
CRUST_CELLS = {"box": 8, "cylinder": 14, "ellipsoid": 8}

CRUST_FINEST = {"box": 0.09, "ellipsoid": 0.1}

TURN_CELLS, CRUST_TURN_CELLS = 5, 7

BALL_SHELLS, BALL_TURN_CELLS = 5, 4  # so many more has a ball where a crust forms: heat closes in from all sides

FINE_CELLS = 40  # from so many cells on, a one-dimensional grid is made finer where a crust forms

MESH_CLUSTER = 0.2  # how far an egg's nodes are drawn towards the skin


def geometry(
    shape: Mapping[str, Any], symmetric: bool, crust: bool, cells: int, refine: float, *, edge: bool = False
) -> tuple[Grid | Mesh, float, float]:
    """The grid or mesh of a shape, the length it is scaled by, and the size that a cook measures, m.

    ``edge``: one long narrow side of a box meets something else than the other sides.

    Parameters
    ----------
    shape : mapping
        ``piece.shape`` of a plan.
    symmetric, crust : bool
        Both faces meet the same; a crust will form.
    cells : int
        Of a one-dimensional grid.
    refine : float
        Multiplies the cells of a mesh in each direction.
    edge : bool
        As of :func:`ember_core.heat.geometry.products.box`.
    """
    # members of an ensemble keep the usual grid: they are corrected to the nominal run
    crust = crust and refine >= 1.0 and cells >= FINE_CELLS
    if shape["kind"] == "bird":
        shape = part_shape(shape)
    kind = shape["kind"]
    mm = {k: shape[k] / 1000.0 for k in shape if k.endswith("_mm")}
    if kind == "slab":
        return unit_grid(SLAB, cells, symmetric, crust), mm["thickness_mm"], mm["thickness_mm"]
    if kind == "sphere" or (kind == "cylinder" and "length_mm" not in mm):
        exponent = SPHERE if kind == "sphere" else CYLINDER
        return unit_grid(exponent, cells, False, crust), mm["diameter_mm"] / 2.0, mm["diameter_mm"]
    usual = MESH_CELLS[kind]
    many = CRUST_CELLS.get(kind, usual) if crust else usual
    finest = CRUST_FINEST.get(kind, MESH_FINEST) if crust else MESH_FINEST
    if kind in CRUST_FINEST:
        finest = min(finest, FIRST_M / (min(mm.values()) / 2))
    shells, turns = _more_cells(*mm.values()) if crust and kind == "ellipsoid" else (0, 0)
    many += shells
    finest /= max(refine, 3 / many)
    many = max(round(many * refine), 3)
    if kind == "cylinder":
        mesh = short_cylinder(mm["diameter_mm"], mm["length_mm"], symmetric, many, finest)
        return mesh, 1.0, mm["diameter_mm"]
    if kind == "egg":
        row = species_of(shape)
        air = row["air_mm"] / 1000.0
        mesh = egg(
            room_g(shape), many, MESH_CLUSTER, row["shape"], row["yolk"], air,
            read_toml("eggs.toml")["shell"]["under_air"],
        )  # fmt: skip
        return mesh, 1.0, min(egg_sizes(room_g(shape), shape_index=row["shape"]))
    sizes = (mm["length_mm"], mm["width_mm"], mm["thickness_mm"])
    if kind == "box":
        return box(*sizes, symmetric, many, finest, edge), 1.0, sizes[2]
    across = max(round(((CRUST_TURN_CELLS if crust else TURN_CELLS) + turns) * refine), 2)
    return ellipsoid(*sizes, symmetric, across, many, finest), 1.0, sizes[2]


def _more_cells(*axes: float) -> tuple[int, int]:
    """Shells, and cells in a quarter turn, that an ellipsoid with a crust has more for being round, or long and thin."""
    thin, middle, long = sorted(axes)
    ball = (thin * thin / (long * middle)) ** 4
    needle = min(max(long / middle - 2.0, 0.0), 1.0)
    return min(round(4.0 * BALL_SHELLS * ball), BALL_SHELLS), round(BALL_TURN_CELLS * ball) + round(2 * needle)


def line_of(mesh: Mesh, field: Array) -> tuple[Array, Array, Array]:
    """Temperatures (°C) and places (mm) of the line through the core, completed by its mirror image, and the rest (°C)."""
    line, at, rest = field[:, : mesh.line], mesh.line_mm, field[:, mesh.line :]
    if mesh.mirrored and mesh.watch[0] != mesh.core:  # from face a to the core only
        line = np.hstack([line, line[:, -2::-1]])
        at = np.concatenate([at, 2.0 * at[-1] - at[-2::-1]])
    return line, at, rest


def depth_of(grid: Grid, length: float) -> Array:
    """Middles of a one-dimensional grid's cells, mm from face a or from the centre; of half a slab, of both halves."""
    edges = np.concatenate([[0.0], np.cumsum(_widths(grid))]) * length * 1000.0
    middles = np.asarray(0.5 * (edges[1:] + edges[:-1]))
    if grid.mirrored:
        return np.concatenate([edges[-1] - middles[::-1], edges[-1] + middles])
    return middles


def whole_field(grid: Grid, field: Array, start_c: float | None = None) -> Array:
    """Cell temperatures, °C (times × cells), completed by the mirror image that half a slab leaves out.

    Parameters
    ----------
    grid : Grid
    field : ndarray (times, cells)
        °C.
    start_c : float, optional
        A first row of this temperature throughout.
    """
    first, n = 0 if start_c is None else 1, grid.n
    out = np.empty((field.shape[0] + first, 2 * n if grid.mirrored else n))
    out[:first] = start_c
    if grid.mirrored:
        out[first:, :n] = field[:, ::-1]
    out[first:, -n:] = field
    return out


def _widths(grid: Grid) -> Array:
    """Cell widths of the unit grid."""
    if not grid.closed_a or grid.mirrored:
        return grid.volume
    exponent = 1 if abs(grid.volume.sum() - 0.5) < 1e-6 else 2
    outer = np.cumsum(grid.volume) * (exponent + 1)
    return np.diff(np.concatenate([[0.0], outer ** (1.0 / (exponent + 1))]))


def _cells_of(mesh: Mesh) -> int:
    """From the middle to the skin, of a mesh of (cells + 1) (2 cells + 1) nodes."""
    return round((math.sqrt(8.0 * mesh.n + 1.0) - 3.0) / 4.0)


def yolk_edge_of(shape: Mapping[str, Any], mesh: Mesh) -> Array:
    """Weights of the nodes of an egg's mesh in the mean over the yolk's surface."""
    row = species_of(shape)
    return yolk_edge(room_g(shape), _cells_of(mesh), MESH_CLUSTER, row["shape"], row["yolk"])


def egg_points(shape: Mapping[str, Any], mesh: Mesh) -> Array:
    """Places of the nodes of an egg's mesh, m: from its long axis, and along it from the middle towards the blunt end."""
    row = species_of(shape)
    return nodes_of(room_g(shape), _cells_of(mesh), MESH_CLUSTER, row["shape"])
