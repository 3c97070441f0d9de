"""Boxes and short cylinders: products of one-dimensional vertex-centred finite volumes."""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ember_core.heat.arrays import Array
from ember_core.heat.geometry.axes import SHORTEST_M, cells_for, dual, half_axis
from ember_core.heat.geometry.mesh import FACE_A, FACE_B, FACE_EDGE, FACE_SIDE, Mesh, Parts, finish

FIRST_ACROSS = 2.1  # a box's outermost cell across, by that through its thickness

LONG_CELLS, CUBE_CELLS = 0.7, 1.3  # and its number of cells, likewise: far longer than thick, as long as thick


class _Axis(NamedTuple):
    """One direction of a product mesh."""

    nodes: Array
    size: Array  # dual sizes: lengths, or r²/2 differences for a radius
    link: Array  # area over distance of the cells' faces, per unit of the other directions' size


def _straight(nodes: Array) -> _Axis:
    lo, hi = dual(nodes)
    return _Axis(nodes, hi - lo, 1.0 / np.diff(nodes))


def _radial(nodes: Array) -> _Axis:
    lo, hi = dual(nodes)
    # exact for temperatures that are quadratic in the radius, as they are near the centre
    return _Axis(nodes, np.pi * (hi**2 - lo**2), 2.0 * np.pi * 0.5 * (nodes[1:] + nodes[:-1]) / np.diff(nodes))


class _Patch(NamedTuple):
    """One plane of a product mesh that is a surface."""

    axis: int
    end: int  # 0 or -1
    face: int
    area: float  # per unit of the other directions' size: 1, or the circumference
    power: int


def _product(
    axes: list[_Axis], link_power: list[int], volume_power: int, patches: list[_Patch]
) -> tuple[NDArray[np.int64], Parts]:
    """Tensor product of one-dimensional meshes."""
    shape = tuple(a.nodes.size for a in axes)
    number = np.arange(int(np.prod(shape))).reshape(shape)

    def spread(values: Array, axis: int, others: Callable[[int], Array]) -> Array:
        out = np.ones(tuple(values.size if d == axis else shape[d] for d in range(len(shape))))
        for d in range(len(shape)):
            along = values if d == axis else others(d)
            out = out * along.reshape([-1 if e == d else 1 for e in range(len(shape))])
        return out

    first, second, conduct, power, reach = [], [], [], [], []
    for d, axis in enumerate(axes):
        low = np.take(number, np.arange(shape[d] - 1), axis=d)
        first.append(low.ravel())
        second.append(np.take(number, np.arange(1, shape[d]), axis=d).ravel())
        conduct.append(spread(axis.link, d, lambda e: axes[e].size).ravel())
        power.append(np.full(low.size, float(link_power[d])))
        lo, hi = dual(axis.nodes)
        gap = np.diff(axis.nodes)
        ends = [(hi - lo)[:-1] / gap, (hi - lo)[1:] / gap]
        reach.append(
            np.stack(
                [
                    np.broadcast_to(x.reshape([-1 if e == d else 1 for e in range(len(shape))]), low.shape).ravel()
                    for x in ends
                ],
                axis=1,
            )
        )
    s_node, s_face, s_area, s_power = [], [], [], []
    for patch in patches:
        nodes = np.take(number, patch.end, axis=patch.axis)
        area = spread(np.ones(1), patch.axis, lambda e: axes[e].size).ravel() * patch.area
        s_node.append(nodes.ravel())
        s_face.append(np.full(nodes.size, patch.face))
        s_area.append(area)
        s_power.append(np.full(nodes.size, float(patch.power)))
    return number, {
        "points": np.stack(np.meshgrid(*(a.nodes for a in axes), indexing="ij"), axis=-1).reshape(number.size, -1),
        "first": np.concatenate(first),
        "second": np.concatenate(second),
        "conduct": np.concatenate(conduct),
        "conduct_power": np.concatenate(power),
        "reach": np.concatenate(reach),
        "volume": spread(axes[0].size, 0, lambda e: axes[e].size).ravel(),
        "volume_power": float(volume_power),
        "s_node": np.concatenate(s_node),
        "s_face": np.concatenate(s_face),
        "s_area": np.concatenate(s_area),
        "s_power": np.concatenate(s_power),
    }


def _thickness(half: Array, symmetric: bool) -> Array:
    """Nodes through the thickness, face a at 0: to the centre, or right through."""
    down = half[-1] - half[::-1]
    return down if symmetric else np.concatenate([down, half[-1] + half[1:]])


def _cells_across(thin: float) -> float:
    """A box's cells along a side, by those through its thickness, which is ``thin`` of the side's length."""
    return LONG_CELLS + (CUBE_CELLS - LONG_CELLS) * min(thin, 1.0) ** 3


@lru_cache(maxsize=64)
def box(
    length: float, width: float, thickness: float, symmetric: bool, cells: int, finest: float, edge: bool = False
) -> Mesh:
    """Quarter (or octant, when both faces meet the same) of a box; sizes in m.

    ``finest`` is the outermost cell's share of half the thickness; across, the cells are fewer the longer the side, begin
    with :data:`FIRST_ACROSS` times that size and grow towards the centre. ``edge``: one of the sides across the width is a face of its own, so the
    width is meshed in full.

    Parameters
    ----------
    length, width, thickness : float
        m.
    symmetric : bool
        Both faces meet the same: half of the thickness is meshed.
    cells : int
        Over half of the thickness, about.
    finest : float
        The outermost cell's share of half the thickness.
    edge : bool
        One side across the width meets something else than the others.
    """
    step = max(finest * thickness / 2, SHORTEST_M)
    through = cells_for(thickness / 2, cells)
    z = _thickness(half_axis(thickness / 2, through, step), symmetric)
    x, half = (
        half_axis(
            size / 2, cells_for(size / 2, max(round(_cells_across(thickness / size) * cells), 2)), FIRST_ACROSS * step
        )
        for size in (length, width)
    )
    y = _thickness(half, False) if edge else half
    patches = [_Patch(2, 0, FACE_A, 1.0, 0), _Patch(0, -1, FACE_SIDE, 1.0, 1), _Patch(1, -1, FACE_SIDE, 1.0, 1)]
    if edge:
        patches.append(_Patch(1, 0, FACE_EDGE, 1.0, 1))
    if not symmetric:
        patches.append(_Patch(2, -1, FACE_B, 1.0, 0))
    number, parts = _product([_straight(x), _straight(y), _straight(z)], [1, 1, -1], 1, patches)
    middle = half.size - 1 if edge else 0
    lines = [number[i, j, :] for i in (0, -1) for j in ((middle, 0, -1) if edge else (0, -1))]
    return finish(parts, int(number[0, middle, z.size - 1 if symmetric else through]), lines, z * 1000, symmetric)


@lru_cache(maxsize=64)
def short_cylinder(diameter: float, length: float, symmetric: bool, cells: int, finest: float) -> Mesh:
    """r–z mesh of a cylinder with flat ends a and b and a curved side; sizes in m.

    A cylinder longer than wide is looked at across its middle, a flat one along its axis.

    Parameters
    ----------
    diameter, length : float
        m.
    symmetric : bool
        Both ends meet the same.
    cells : int
        Over half of each direction.
    finest : float
        The outermost cell's share of half the smaller size.
    """
    step = max(finest * min(diameter, length) / 2, SHORTEST_M)
    high = cells_for(length / 2, cells)
    r = half_axis(diameter / 2, cells_for(diameter / 2, cells), step)
    z = _thickness(half_axis(length / 2, high, step), symmetric)
    patches = [_Patch(1, 0, FACE_A, 1.0, 2), _Patch(0, -1, FACE_SIDE, 2 * np.pi * (diameter / 2), 1)]
    if not symmetric:
        patches.append(_Patch(1, -1, FACE_B, 1.0, 2))
    number, parts = _product([_radial(r), _straight(z)], [0, 2], 2, patches)
    middle = z.size - 1 if symmetric else high
    flat = length <= diameter
    across, along = number[:, middle], number[0, :]
    lines = [along, across] if flat else [across, along]
    lines.append(number[-1, :])
    ends = (int(number[0, 0]), int(number[0, 0 if symmetric else -1]))
    if not flat:
        ends = (int(number[-1, middle]), int(number[-1, middle]))
    return finish(parts, int(number[0, middle]), lines, (z if flat else r) * 1000, symmetric or not flat, ends=ends)
