"""The mesh of an egg: linear finite elements with lumped capacity on a mapped half disc (r–z)."""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise, permutations
from math import factorial

import numpy as np

from ember_core.heat.arrays import Array, Index
from ember_core.heat.geometry.egg_outline import HEN_SHAPE, TAPER, YOLK_SHARE, egg_sizes
from ember_core.heat.geometry.mesh import FACE_A, FACE_B, Mesh, Parts, finish


def _ball(points: Array) -> Array:
    """Map the square's points to the unit disc: each frame of the square becomes a circle."""
    largest = np.abs(points).max(axis=1)
    radius = np.sqrt((points**2).sum(axis=1))
    # half of the stretch follows the sphere, the rest keeps the cells near the centre square
    share = np.where(radius > 0, largest / np.maximum(radius, 1e-30), 1.0)
    blend = largest
    return np.asarray(points * (1.0 - blend + blend * share)[:, None])


def _towards_the_skin(cells: int, cluster: float) -> Array:
    """Nodes from 0 to 1, closer together near 1 as ``cluster`` grows from 0 to 1."""
    angle = np.pi / 2 * cluster
    return np.asarray(np.sin(np.linspace(0.0, 1.0, cells + 1) * angle) / np.sin(angle))


def _simplices(shape: tuple[int, ...], number: Index, above: int) -> Index:
    """Each cell of a structured grid cut into simplices along its diagonal away from the middle (Kuhn).

    The first ``above`` layers of the last axis lie above the middle: their diagonal points back, so
    that no simplex has all its corners on the skin.
    """
    d = len(shape)
    stride = [int(np.prod(shape[k + 1 :])) for k in range(d)]
    inside = tuple(slice(0, s - 1) for s in shape[:-1])
    out = []
    for base, last in (
        (number[(*inside, slice(1, above + 1))].ravel(), -1),
        (number[(*inside, slice(above, shape[-1] - 1))].ravel(), 1),
    ):
        for order in permutations(range(d)):
            corners = [base]
            for axis in order:
                corners.append(corners[-1] + (last if axis == d - 1 else stride[axis]))
            out.append(np.stack(corners, axis=1))
    return np.concatenate(out)


def _edges(cells: Index, weights: Array, n: int) -> tuple[Index, Index, Array]:
    """Sum the elements' off-diagonal stiffness into edges."""
    d = cells.shape[1]
    pairs, values = [], []
    for i in range(d):
        for j in range(i + 1, d):
            a, b = np.minimum(cells[:, i], cells[:, j]), np.maximum(cells[:, i], cells[:, j])
            pairs.append(a * n + b)
            values.append(weights[:, i, j])
    key, where = np.unique(np.concatenate(pairs), return_inverse=True)
    total = np.zeros(key.size)
    np.add.at(total, where, np.concatenate(values))
    keep = np.abs(total) > 1e-9 * np.abs(total).max()
    return key[keep] // n, key[keep] % n, total[keep]


def _gradients(points: Array, cells: Index) -> tuple[Array, Array]:
    """Gradients of the linear shape functions and the size of each simplex."""
    d = points.shape[1]
    corner = points[cells]
    edge = corner[:, 1:, :] - corner[:, :1, :]
    size = np.abs(np.linalg.det(edge)) / factorial(d)
    inverse = np.linalg.inv(edge)
    rest = np.transpose(inverse, (0, 2, 1))
    return np.concatenate([-rest.sum(axis=1, keepdims=True), rest], axis=1), size


@lru_cache(maxsize=64)
def _body(mass_g: float, cells: int, cluster: float, shape_index: float) -> tuple[Array, Index, Array]:
    """Nodes (m, r and z), triangles and the nodes' volumes (m³) of an egg; parameters as of :func:`egg`."""
    length, breadth = egg_sizes(mass_g, shape_index=shape_index)
    half = _towards_the_skin(cells, cluster)
    z = np.concatenate([half[::-1], -half[1:]])
    shape = (half.size, z.size)
    number = np.arange(int(np.prod(shape))).reshape(shape)
    square = np.stack(np.meshgrid(half, z, indexing="ij"), axis=-1).reshape(-1, 2)
    disc = _ball(square)
    points = np.stack([disc[:, 0] * breadth / 2 * (1 + TAPER * disc[:, 1]), disc[:, 1] * length / 2], axis=1)
    triangles = _simplices(shape, number, cells)
    _, size = _gradients(points, triangles)
    radius = points[triangles, 0]
    volume = np.zeros(len(disc))
    share = 2 * np.pi * size[:, None] * (radius + radius.sum(axis=1, keepdims=True)) / 12
    np.add.at(volume, triangles.ravel(), share.ravel())
    return points, triangles, volume


@lru_cache(maxsize=64)
def egg(
    mass_g: float,
    cells: int,
    cluster: float,
    shape_index: float = HEN_SHAPE,
    yolk_share: float = YOLK_SHARE,
    air_m: float = 0.0,
    under_air: float = 1.0,
) -> Mesh:
    """r–z mesh (m) of an egg by triangles, a yolk in its middle; the blunt end is face a. All nodes are recorded.

    Parameters
    ----------
    mass_g : float
        In its shell, g.
    cells : int
        From the middle to the skin.
    cluster : float
        0 to 1: how far nodes are drawn towards the skin.
    shape_index, yolk_share : float
        Breadth over length; the yolk's share of the volume.
    air_m, under_air : float
        Depth of the air cell at the blunt end, m, and the share of a face's heat that passes it.
    """
    length, _ = egg_sizes(mass_g, shape_index=shape_index)
    half = _towards_the_skin(cells, cluster)
    z = np.concatenate([half[::-1], -half[1:]])
    number = np.arange(half.size * z.size).reshape(half.size, z.size)
    points, cells_, volume = _body(mass_g, cells, cluster, shape_index)
    disc_z = points[:, 1] / (length / 2)
    gradient, size = _gradients(points, cells_)
    radius = points[cells_, 0]
    ring = 2 * np.pi * radius.mean(axis=1) * size
    first, second, value = _edges(
        cells_, -np.einsum("eid,ejd->eij", gradient, gradient) * ring[:, None, None], len(points)
    )
    outline = np.concatenate([number[: half.size - 1, 0], number[-1, :], number[: half.size - 1, -1][::-1]])
    skin, open_skin = _skin(points, outline, length / 2 - air_m, under_air)
    on_skin = np.flatnonzero(skin > 0)
    level = np.abs(disc_z[on_skin]) < LEVEL  # on the equator: half of such a node's skin belongs to either face
    s_node = np.concatenate([on_skin, on_skin[level]])
    s_face = np.concatenate([np.where(disc_z[on_skin] > -LEVEL, FACE_A, FACE_B), np.full(int(level.sum()), FACE_B)])
    s_area = open_skin[s_node] * np.concatenate([np.where(level, 0.5, 1.0), np.full(int(level.sum()), 0.5)])
    # the nodes nearest to the middle, so many that their volume comes nearest to the yolk's
    outwards = np.argsort(np.linalg.norm(points, axis=1), kind="stable")
    held = np.cumsum(volume[outwards]) / volume.sum()
    inner = np.zeros(len(points), dtype=np.bool_)
    inner[outwards[: int(np.abs(held - yolk_share).argmin()) + 1]] = True
    parts: Parts = {
        "points": points, "first": first, "second": second, "conduct": value, "conduct_power": np.ones(value.size), "reach": np.ones((value.size, 2)), "volume": volume,
        "volume_power": 3.0, "s_node": s_node, "s_face": s_face.astype(np.int64),
        "s_area": s_area, "s_power": np.full(s_node.size, 2.0),
    }  # fmt: skip
    line = number[:, cells]
    return finish(
        parts, int(number[0, cells]), [line, number[0, :], number.ravel()], points[line, 0] * 1000, True, inner,
        (int(number[-1, cells]), int(number[-1, cells])),
    )  # fmt: skip


LEVEL = 1e-12  # of half the length

PARTS = 24  # of a segment of the outline


def _skin(points: Array, outline: Index, level: float, under: float) -> tuple[Array, Array]:
    """Areas of the nodes' parts of the skin, m²: whole, and with what lies above a level (m along the axis) counted as a share of itself.

    Parameters
    ----------
    points : ndarray (nodes, 2)
        m.
    outline : ndarray
        Nodes on the skin in order.
    level, under : float
        m; the share.
    """
    whole, counted = np.zeros(len(points)), np.zeros(len(points))
    at = (np.arange(PARTS) + 0.5) / PARTS
    for i, j in pairwise(outline):
        r = points[i, 0] + at * (points[j, 0] - points[i, 0])
        z = points[i, 1] + at * (points[j, 1] - points[i, 1])
        area = 2 * np.pi * r * np.hypot(*(points[j] - points[i])) / PARTS
        own = area * np.where(z > level, under, 1.0)
        for total, part in ((whole, area), (counted, own)):
            total[i] += (part * (1.0 - at)).sum()
            total[j] += (part * at).sum()
    return whole, counted


def nodes_of(mass_g: float, cells: int, cluster: float, shape_index: float) -> Array:
    """Places of an egg's nodes, m: from its axis, and along it; parameters as of :func:`egg`."""
    return _body(mass_g, cells, cluster, shape_index)[0]


ANGLES = 48  # at which the yolk's surface is read


@lru_cache(maxsize=64)
def yolk_edge(mass_g: float, cells: int, cluster: float, shape_index: float, yolk_share: float) -> Array:
    """Weights of an egg's nodes in the mean over its yolk's surface, sum 1.

    The surface is read at rings of equal angle, by the linear elements they lie in.

    Parameters
    ----------
    mass_g, cells, cluster, shape_index, yolk_share
        As of :func:`egg`.
    """
    points, triangles, volume = _body(mass_g, cells, cluster, shape_index)
    radius = (yolk_share * volume.sum() * 3 / (4 * np.pi)) ** (1 / 3)
    angle = (np.arange(ANGLES) + 0.5) * np.pi / ANGLES
    at = radius * np.stack([np.sin(angle), np.cos(angle)], axis=1)
    corner = points[triangles]
    inverse = np.linalg.inv((corner[:, 1:, :] - corner[:, :1, :]).transpose(0, 2, 1))
    share = np.einsum("eij,epj->epi", inverse, at[None, :, :] - corner[:, None, 0, :])
    inside = np.minimum(share.min(axis=2), 1.0 - share.sum(axis=2))  # triangles × angles
    found = inside.argmax(axis=0)
    weight = np.zeros(len(points))
    for p, e in enumerate(found):
        own = share[e, p]
        np.add.at(weight, triangles[e], np.sin(angle[p]) * np.array([1.0 - own.sum(), *own]))
    return np.asarray(weight / weight.sum())
