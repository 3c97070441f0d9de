"""Meshes of the finite shapes: what a mesh is; box, short cylinder and egg.

A mesh is a graph: nodes with volumes, edges with conductances per unit conductivity, and surface
patches. Nodes lie on the surface, so that the surface temperature is a node's own. Box and short
cylinder are products of one-dimensional vertex-centred finite volumes; an egg is linear finite elements with lumped
capacity on a mapped half disc (r–z); the ellipsoid stands in :mod:`ember_core.heat.confocal`. Planes of symmetry are used: only half of each across direction is meshed,
and half of the thickness when both faces always meet the same.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from itertools import permutations
from math import factorial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ember_core.heat.kernel import Array, Body

Index = NDArray[np.int64]
Links = NDArray[np.uint32]  # compiled loops index by them without a test for negative numbers
Numbers = NDArray[np.uint64]  # likewise, and vectors are made of loops that count from them
FACE_A, FACE_B, FACE_SIDE, FACE_EDGE = 0, 1, 2, 3
SHORTEST_M = 1e-4  # no cell is shorter: what is so thin has one temperature through it
FIRST_ACROSS = 2.1  # a box's outermost cell across, by that through its thickness
LONG_CELLS, CUBE_CELLS = 0.7, 1.3  # and its number of cells, likewise: far longer than thick, as long as thick
RUN = 8  # edges: shorter runs are not worth a loop of their own


class Mesh(NamedTuple):
    """Geometry in metres; every size carries the power with which it follows a stretch of the piece.

    ``stretch`` (a body's ``length``) multiplies the thickness of a box, the diameter of a cylinder,
    and every axis of an ellipsoid or an egg.
    """

    n: int
    first: Links  # edges: their two nodes, those in runs before the others
    second: Links
    run_from: Numbers  # where each run of edges begins, and the last one ends: both nodes' numbers rise by one along it
    run_first: Numbers  # its first edge's two nodes
    run_second: Numbers
    conduct: Array  # m, area over distance
    conduct_power: Array
    reach: Array  # edges × 2: how long each end's cell is along the edge, as a share of the edge
    volume: Array  # m³
    volume_power: float
    s_node: Links  # surface patches, those of face a first, then b, the side, the edge: node and area
    s_from: Index  # where each face's patches begin, 5
    s_area: Array  # m²
    s_power: Array
    along: NDArray[np.bool_]  # edges along the skin
    on_skin: NDArray[np.bool_]  # nodes on the skin
    owner: Links  # of each node the patch by which its steam leaves: the nearest one
    inward: Links  # of each node the neighbour next on the way in
    mean: Array  # volume fractions
    inner: NDArray[np.bool_]  # nodes of the inner material (an egg's yolk)
    within: Index  # the same as numbers
    fastest: float  # 1/m², largest eigenvalue of conduct over volume, with a margin
    core: int
    patch_a: int  # the patches where the line through the core leaves the piece
    patch_b: int
    watch: Index  # nodes whose temperatures are recorded: first the line through the core
    line: int  # how many of them are that line
    line_mm: Array  # where on the line, mm from face a, or from the centre for a closed line
    mirrored: bool  # the other half of the line is the same


Parts = dict[str, Array | Index | Links | float]  # a mesh in the making, by the names of its fields and ``points``


class Layers(NamedTuple):
    """A piece of up to two materials; the inner one is an egg's yolk, otherwise the same."""

    outer: Body
    inner: Body


def half_axis(length: float, cells: int, first: float) -> Array:
    """Nodes from 0 (centre) to ``length`` (surface) whose outermost cell is about ``first`` long."""
    lo, hi = 1.0, 3.0
    if first * cells >= length:
        return np.linspace(0.0, length, cells + 1)
    for _ in range(60):
        ratio = 0.5 * (lo + hi)
        if first * (ratio**cells - 1.0) / (ratio - 1.0) < length:
            lo = ratio
        else:
            hi = ratio
    widths = lo ** np.arange(cells)[::-1]
    return np.asarray(np.concatenate([[0.0], np.cumsum(widths)]) * length / widths.sum())


def cells_for(length: float, cells: int) -> int:
    """How many of ``cells`` a length (m) has: they are no shorter than :data:`SHORTEST_M`, and two at least."""
    return max(min(cells, int(length / SHORTEST_M)), 2)


def dual(x: Array) -> tuple[Array, Array]:
    """Lower and upper ends of the dual cells of nodes ``x``."""
    middle = 0.5 * (x[1:] + x[:-1])
    return np.concatenate([x[:1], middle]), np.concatenate([middle, x[-1:]])


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


def finish(parts: Parts, core: int, lines: list[Index], at_mm: Array, mirrored: bool,
            inner: NDArray[np.bool_] | None = None, ends: tuple[int, int] | None = None) -> Mesh:  # fmt: skip
    """A mesh of its parts: what can be found from nodes, edges and patches is added.

    ``lines`` are the nodes to record, first the line through the core, whose places are ``at_mm``; ``ends`` the nodes where
    it leaves the piece, if not its first and last.
    """
    volume = np.asarray(parts["volume"])
    watch = np.concatenate(lines)
    _, keep = np.unique(watch, return_index=True)
    rest = watch[np.sort(keep)]
    a, b = ends if ends else (int(lines[0][0]), int(lines[0][0] if mirrored else lines[0][-1]))
    order = np.argsort(np.asarray(parts["s_face"]), kind="stable")
    faces = np.asarray(parts.pop("s_face"))[order]
    parts |= {k: np.asarray(parts[k])[order] for k in ("s_node", "s_area", "s_power")}
    inner = np.zeros(volume.size, dtype=np.bool_) if inner is None else inner
    run_from, run_first, run_second = _runs(parts)
    along = _along(np.asarray(parts["first"]), np.asarray(parts["second"]), np.asarray(parts["s_node"]))
    points = np.asarray(parts.pop("points"))
    owner, deep = _owners(points, np.asarray(parts["s_node"]))
    inward = _inward(np.asarray(parts["first"]), np.asarray(parts["second"]), deep, points, core)
    fastest = _fastest(parts, volume)
    patch_a = int(np.flatnonzero(np.asarray(parts["s_node"]) == a)[0])
    patch_b = int(np.flatnonzero(np.asarray(parts["s_node"]) == b)[0])
    parts |= {k: np.asarray(parts[k]).astype(np.uint32) for k in ("first", "second", "s_node")}
    return Mesh(
        n=volume.size,
        run_from=run_from,
        run_first=run_first,
        run_second=run_second,
        s_from=np.searchsorted(faces, np.arange(5)).astype(np.int64),
        along=along,
        on_skin=np.isin(np.arange(volume.size), np.asarray(parts["s_node"])),
        owner=owner.astype(np.uint32),
        inward=inward.astype(np.uint32),
        within=np.flatnonzero(inner).astype(np.int64),
        fastest=fastest,
        mean=volume / volume.sum(),
        inner=inner,
        core=core,
        patch_a=patch_a,
        patch_b=patch_b,
        watch=rest.astype(np.int64),
        line=lines[0].size,
        line_mm=at_mm,
        mirrored=mirrored,
        **parts,  # type: ignore[arg-type]
    )


def _runs(parts: Parts) -> tuple[Numbers, Numbers, Numbers]:
    """Put the edges in order of runs, in place; where runs begin, and their first nodes."""
    first, second = np.asarray(parts["first"]), np.asarray(parts["second"])
    order = np.lexsort((first, second - first))
    stops = (np.diff(first[order]) != 1) | (np.diff(second[order]) != 1)
    length = np.diff(np.flatnonzero(np.concatenate([[True], stops, [True]])))
    in_run = np.repeat(length >= RUN, length)
    order = np.concatenate([order[in_run], order[~in_run]])
    parts |= {k: np.asarray(parts[k])[order] for k in ("first", "second", "conduct", "conduct_power", "reach")}
    begin = np.concatenate([[0], np.cumsum(length[length >= RUN])])
    at = order[begin[:-1]]
    return begin.astype(np.uint64), first[at].astype(np.uint64), second[at].astype(np.uint64)


def _along(first: Index, second: Index, s_node: Index) -> NDArray[np.bool_]:
    """Whether an edge runs along the skin."""
    return np.isin(first, s_node) & np.isin(second, s_node)


def _owners(points: Array, s_node: Index) -> tuple[Index, Array]:
    """The patch nearest to each node, and how far it is, m."""
    deep, nearest = cKDTree(points[s_node]).query(points)
    return np.asarray(nearest, dtype=np.int64), np.asarray(deep)


def _inward(first: Index, second: Index, deep: Array, points: Array, core: int) -> Index:
    """Of each node the neighbour deepest under the skin; where none is deeper, the one nearest to the core."""
    to_core = np.linalg.norm(points - points[core], axis=1)
    start, end = np.concatenate([first, second]), np.concatenate([second, first])
    deeper = np.where(deep[end] > deep[start] * (1 + 1e-9) + 1e-9, deep[end], -to_core[end] - 1.0)
    order = np.lexsort([deeper, start])
    last = np.flatnonzero(np.append(np.diff(start[order]) > 0, True))
    return np.asarray(end[order[last]], dtype=np.int64)


def _fastest(parts: Parts, volume: Array) -> float:
    """Largest eigenvalue of the conduction operator, 1/m², by power iteration, 8 % on top."""
    i, j, g = (np.asarray(parts[k]) for k in ("first", "second", "conduct"))
    x = np.random.default_rng(1).standard_normal(volume.size)
    largest = 0.0
    for _ in range(60):
        q = g * (x[i] - x[j])
        y = (np.bincount(i, q, volume.size) - np.bincount(j, q, volume.size)) / volume
        largest = float(np.sqrt((y @ (volume * y)) / (x @ (volume * x))))
        x = y / np.abs(y).max()
    return 1.08 * largest


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


HEN_SHAPE = 0.76  # breadth over length, common value of a hen's egg (from memory)
EGG_DENSITY = 1090.0  # kg/m³ in shell, fresh (from memory)
YOLK_SHARE = 0.31  # of the contents' volume, hen (from memory)
TAPER = 0.10  # how much thicker the blunt half is; an assumption


def egg_sizes(mass_g: float, density: float = EGG_DENSITY, shape_index: float = HEN_SHAPE) -> tuple[float, float]:
    """Length and breadth, m, of an egg of ``mass_g`` in its shell."""
    volume = mass_g / 1000.0 / density
    length = (volume / (np.pi / 6 * shape_index**2)) ** (1 / 3)
    return float(length), float(length * shape_index)


def egg_breadth_mm(mass_g: float) -> float:
    """Breadth of an egg of ``mass_g`` in its shell, mm."""
    return egg_sizes(mass_g)[1] * 1000.0


def egg_mass(breadth_mm: float) -> float:
    """Mass in the shell, g, of an egg ``breadth_mm`` wide."""
    return 58.0 * (breadth_mm / egg_breadth_mm(58.0)) ** 3


@lru_cache(maxsize=32)
def egg(mass_g: float, cells: int, cluster: float) -> Mesh:
    """r–z mesh of an egg by triangles, a yolk in its middle; the blunt end is face a."""
    length, breadth = egg_sizes(mass_g)
    half = _towards_the_skin(cells, cluster)
    z = np.concatenate([half[::-1], -half[1:]])
    shape = (half.size, z.size)
    number = np.arange(int(np.prod(shape))).reshape(shape)
    square = np.stack(np.meshgrid(half, z, indexing="ij"), axis=-1).reshape(-1, 2)
    disc = _ball(square)
    points = np.stack([disc[:, 0] * breadth / 2 * (1 + TAPER * disc[:, 1]), disc[:, 1] * length / 2], axis=1)
    cells_ = _simplices(shape, number, cells)
    gradient, size = _gradients(points, cells_)
    radius = points[cells_, 0]
    ring = 2 * np.pi * radius.mean(axis=1) * size
    first, second, value = _edges(
        cells_, -np.einsum("eid,ejd->eij", gradient, gradient) * ring[:, None, None], len(disc)
    )
    volume = np.zeros(len(disc))
    share = 2 * np.pi * size[:, None] * (radius + radius.sum(axis=1, keepdims=True)) / 12
    np.add.at(volume, cells_.ravel(), share.ravel())
    outline = np.concatenate([number[: half.size - 1, 0], number[-1, :], number[: half.size - 1, -1][::-1]])
    skin = np.zeros(len(disc))
    run = np.linalg.norm(np.diff(points[outline], axis=0), axis=1)
    r0, r1 = points[outline[:-1], 0], points[outline[1:], 0]
    np.add.at(skin, outline[:-1], 2 * np.pi * run * (2 * r0 + r1) / 6)
    np.add.at(skin, outline[1:], 2 * np.pi * run * (r0 + 2 * r1) / 6)
    s_node = np.flatnonzero(skin > 0)
    yolk_radius = (YOLK_SHARE * volume.sum() * 3 / (4 * np.pi)) ** (1 / 3)
    inner = np.linalg.norm(points, axis=1) <= yolk_radius
    parts: Parts = {
        "points": points, "first": first, "second": second, "conduct": value, "conduct_power": np.ones(value.size), "reach": np.ones((value.size, 2)), "volume": volume,
        "volume_power": 3.0, "s_node": s_node, "s_face": np.where(disc[s_node, 1] > -1e-12, FACE_A, FACE_B).astype(np.int64),
        "s_area": skin[s_node], "s_power": np.full(s_node.size, 2.0),
    }  # fmt: skip
    line = number[:, cells]
    return finish(
        parts, int(number[0, cells]), [line, number[0, :]], points[line, 0] * 1000, True, inner,
        (int(number[-1, cells]), int(number[-1, cells])),
    )  # fmt: skip
