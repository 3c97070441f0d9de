"""Meshes of ellipsoids in confocal coordinates.

Ellipsoids confocal with a given one fill it down to its focal disc, and two families of hyperboloids cut
them at right angles (Morse & Feshbach, *Methods of Theoretical Physics*, 1953, §5.1, from memory; the angles below keep the
metric smooth where axes are nearly equal). Cells between such surfaces meet every face at a right angle, so
that a finite volume needs only the neighbours across its faces, every conductance is positive, and volumes
and areas are the ellipsoid's own. One octant is meshed; where the two faces meet different things it is
joined to its image below.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ember_core.heat.arrays import Array, Index
from ember_core.heat.geometry.axes import dual, half_axis
from ember_core.heat.geometry.mesh import FACE_A, FACE_B, Mesh, Parts, finish

UNLIKE = 2e-3  # nearly equal axes are taken this much apart: three equal ones have no confocal family

MERGED = 0.2  # of the outermost cell: nodes nearer than this are one, lest the step follow the smallest cell

ON_PLANE_M = 1e-9

POINTS, WEIGHTS = np.polynomial.legendre.leggauss(4)


class _Octant(NamedTuple):
    """Nodes and edges of an octant, axes in the order of the plan: length, width, thickness."""

    points: Array  # m, n × 3
    volume: Array
    first: Index
    second: Index
    conduct: Array  # m
    reach: Array
    area: Array  # m², of each node's part of the skin
    rank: Index  # place in an order along each line of changing s, from the upper skin to the lower one


class _Family(NamedTuple):
    """Squared half axes, longest first, and the metric of ``(s, θ, ψ)``.

    ``s`` is the shortest half axis of a confocal shell; θ and ψ run from 0 to a quarter turn.
    """

    a2: float
    b2: float
    c2: float

    def metric(self, s: Array, theta: Array, psi: Array) -> tuple[Array, Array, Array]:
        """Length per unit of each coordinate, in the unit of the axes."""
        a2, b2, c2 = self
        lam = s * s - c2
        mu = -(b2 * np.cos(theta) ** 2 + c2 * np.sin(theta) ** 2)
        nu = -(a2 * np.cos(psi) ** 2 + b2 * np.sin(psi) ** 2)
        return (
            np.sqrt((lam - mu) * (lam - nu) / ((lam + a2) * (lam + b2))),
            np.sqrt((lam - mu) * (mu - nu) / (mu + a2)),
            np.sqrt((lam - nu) * (mu - nu) / (-nu - c2)),
        )

    def place(self, s: Array, theta: Array, psi: Array) -> Array:
        """Points, longest axis first, in the unit of the axes."""
        a2, b2, c2 = self
        lam = s * s - c2
        mu = -(b2 * np.cos(theta) ** 2 + c2 * np.sin(theta) ** 2)
        nu = -(a2 * np.cos(psi) ** 2 + b2 * np.sin(psi) ** 2)
        x = np.sqrt((a2 + lam) * (a2 + mu) / (a2 - c2)) * np.sin(psi)
        y = np.sqrt(b2 + lam) * np.sin(theta) * np.cos(psi)
        z = s * np.cos(theta) * np.sqrt(np.maximum((-nu - c2) / (a2 - c2), 0.0))
        return np.stack(np.broadcast_arrays(x, y, z), axis=-1)


def _gauss(lo: Array, hi: Array) -> tuple[Array, Array]:
    """Points and weights within each cell, cells × 4."""
    half = 0.5 * (hi - lo)[:, None]
    return 0.5 * (lo + hi)[:, None] + half * POINTS, half * WEIGHTS


def _integral(f: Callable[[Array, Array, Array], Array], parts: list[tuple[Array, Array]]) -> Array:
    """Integral of ``f`` over each cell of a product of three directions, each with its points and weights."""
    (p, u), (q, v), (r, w) = parts
    values = f(p[:, None, None, :, None, None], q[None, :, None, None, :, None], r[None, None, :, None, None, :])
    return np.asarray(np.einsum("abcijk,ai,bj,ck->abc", values, u, v, w))


def _octant(sizes: tuple[float, float, float], shells: int, across: int, finest: float) -> _Octant:
    """Finite volumes around the nodes of shells × turns × turns; half axes ``sizes`` in m, longest first."""
    half = np.array(sizes)
    apart = half.copy()
    apart[1] = max(apart[1], apart[2] * (1.0 + UNLIKE))
    apart[0] = max(apart[0], apart[1] * (1.0 + UNLIKE))
    apart *= (half.prod() / apart.prod()) ** (1 / 3)
    family = _Family(*(float(x) for x in apart**2))
    turn = np.linspace(0.0, np.pi / 2, across + 1)
    axes = [half_axis(float(apart[2]), shells, finest * float(apart[2])), turn, turn]
    shape = tuple(x.size for x in axes)
    number = np.arange(int(np.prod(shape))).reshape(shape)
    whole = [_gauss(*dual(x)) for x in axes]
    volume = _integral(lambda *at: np.prod(np.broadcast_arrays(*family.metric(*at)), axis=0), whole)
    first, second, conduct, reach = [], [], [], []
    for d, nodes in enumerate(axes):
        gap = np.diff(nodes)
        # across the face at the middle of each edge
        parts = list(whole)
        parts[d] = (0.5 * (nodes[1:] + nodes[:-1])[:, None], 1.0 / gap[:, None])

        def through(*at: Array, d: int = d) -> Array:
            h = np.broadcast_arrays(*family.metric(*at))
            return np.asarray(h[0] * h[1] * h[2] / h[d] ** 2)

        conduct.append(_integral(through, parts).ravel())
        before = np.take(number, np.arange(shape[d] - 1), axis=d)
        first.append(before.ravel())
        second.append(np.take(number, np.arange(1, shape[d]), axis=d).ravel())
        lo, hi = dual(nodes)
        ends = np.stack([(hi - lo)[:-1] / gap, (hi - lo)[1:] / gap], axis=1)
        along = [1, 1, 1, 2]
        along[d] = gap.size
        reach.append(np.broadcast_to(ends.reshape(along), (*before.shape, 2)).reshape(-1, 2))

    def skin(*at: Array) -> Array:
        _, along_theta, along_psi = family.metric(*at)
        return along_theta * along_psi

    area = np.zeros(shape)
    area[-1] = _integral(skin, [(np.array([[apart[2]]]), np.ones((1, 1))), whole[1], whole[2]])[0]
    points = family.place(axes[0][:, None, None], turn[:, None], turn).reshape(-1, 3)
    lines = np.arange(turn.size**2).reshape(1, turn.size, turn.size)
    return _Octant(
        points, volume.ravel(), np.concatenate(first), np.concatenate(second), np.concatenate(conduct),
        np.concatenate(reach), area.ravel(), ((2 * shells + 1) * lines - np.arange(shells + 1)[:, None, None]).ravel(),
    )  # fmt: skip


def _joined(o: _Octant, groups: Index, area: list[Array]) -> tuple[_Octant, list[Array]]:
    """Nodes of the same group made one, at the place of that which lies on the most planes of symmetry."""
    many = int(groups.max()) + 1
    on_planes = (np.abs(o.points) < ON_PLANE_M).sum(axis=1)
    order = np.lexsort((np.linalg.norm(o.points, axis=1), -on_planes))
    _, at = np.unique(groups[order], return_index=True)
    chosen = order[at]
    first, second = groups[o.first], groups[o.second]

    def summed(values: Array) -> Array:
        return np.bincount(groups, values, many).astype(float)

    keep = np.flatnonzero(first != second)
    pairs = np.minimum(first, second)[keep] * many + np.maximum(first, second)[keep]
    _, one, edge = np.unique(pairs, return_index=True, return_inverse=True)
    one = keep[one]
    merged = _Octant(
        o.points[chosen], summed(o.volume), first[one], second[one], np.bincount(edge, o.conduct[keep]).astype(float),
        o.reach[one], summed(o.area), o.rank[chosen],
    )  # fmt: skip
    return merged, [summed(x) for x in area]


def _in_order(o: _Octant, area: list[Array]) -> tuple[_Octant, list[Array]]:
    """Nodes numbered by rank: along most edges in turn both ends' numbers rise by one."""
    order = np.argsort(o.rank, kind="stable")
    new = np.argsort(order)
    first, second = np.sort([new[o.first], new[o.second]], axis=0)
    flip = new[o.first] > new[o.second]
    sorted_ = _Octant(
        o.points[order], o.volume[order], first, second, o.conduct,
        np.where(flip[:, None], o.reach[:, ::-1], o.reach), o.area[order], o.rank[order],
    )  # fmt: skip
    return sorted_, [x[order] for x in area]


@lru_cache(maxsize=32)
def ellipsoid(
    length: float, width: float, thickness: float, symmetric: bool, across: int, shells: int, finest: float
) -> Mesh:
    """Octant, or upper and lower quarter, of an ellipsoid; axes in m.

    ``across`` cells span a quarter turn in either direction; ``finest`` is the outermost shell's share of the shortest
    half axis.

    Parameters
    ----------
    length, width, thickness : float
        Axes, m.
    symmetric : bool
        Both halves meet the same: one octant is meshed.
    across, shells : int
        Cells over a quarter turn, and from the middle out.
    finest : float
        The outermost shell's share of the shortest half axis.
    """
    half = np.array([length, width, thickness]) / 2
    order = np.argsort(-half, kind="stable")
    o = _octant((float(half[order[0]]), float(half[order[1]]), float(half[order[2]])), shells, across, finest)
    points = np.zeros_like(o.points)
    points[:, order] = o.points
    o = o._replace(points=points)
    near = np.linalg.norm(points[o.first] - points[o.second], axis=1) < MERGED * finest * half.min()
    n = len(points)
    _, groups = connected_components(coo_matrix((np.ones(near.sum()), (o.first[near], o.second[near])), (n, n)), False)
    o, _ = _joined(o, groups.astype(np.int64), [])
    above, below = o.area, np.zeros_like(o.area)
    if not symmetric:
        n = len(o.points)
        image = o.points * (1.0, 1.0, -1.0)
        middle = (o.rank + shells) // (2 * shells + 1) * (2 * shells + 1)
        # a node on the plane between the halves is its own image
        images = np.where(np.abs(o.points[:, 2]) < ON_PLANE_M, np.arange(n), n + np.arange(n))
        _, same = np.unique(np.concatenate([np.arange(n), images]), return_inverse=True)
        both = _Octant(
            np.concatenate([o.points, image]), np.tile(o.volume, 2), np.concatenate([o.first, n + o.first]),
            np.concatenate([o.second, n + o.second]), np.tile(o.conduct, 2), np.tile(o.reach, (2, 1)), np.tile(o.area, 2),
            np.concatenate([o.rank, 2 * middle - o.rank]),
        )  # fmt: skip
        none = np.zeros(n)
        o, (above, below) = _joined(
            both, same.astype(np.int64), [np.concatenate([o.area, none]), np.concatenate([none, o.area])]
        )
    o, (above, below) = _in_order(o, [above, below])
    upper, lower = np.flatnonzero(above > 0), np.flatnonzero(below > 0)
    on_line = np.flatnonzero((np.abs(o.points[:, :2]) < ON_PLANE_M).all(axis=1))
    line = on_line[np.argsort(-o.points[on_line, 2])]
    core = int(np.argmin(np.linalg.norm(o.points, axis=1)))
    poles = [np.array([int(np.argmax(o.points @ np.eye(3)[d]))]) for d in (0, 1)]
    parts: Parts = {
        "points": o.points, "first": o.first, "second": o.second, "conduct": o.conduct,
        "conduct_power": np.ones(o.conduct.size), "reach": o.reach, "volume": o.volume, "volume_power": 3.0,
        "s_node": np.concatenate([upper, lower]),
        "s_face": np.concatenate([np.full(upper.size, FACE_A), np.full(lower.size, FACE_B)]),
        "s_area": np.concatenate([above[upper], below[lower]]), "s_power": np.full(upper.size + lower.size, 2.0),
    }  # fmt: skip
    depth = (o.points[line[0], 2] - o.points[line, 2]) * 1000
    depth *= half[2] / o.points[line[0], 2]  # axes taken apart
    return finish(parts, core, [line, *poles], depth, symmetric)
