"""Meshes of the finite shapes: what a mesh is; box, short cylinder and egg.

A mesh is a graph: nodes with volumes, edges with conductances per unit conductivity, and surface
patches. Nodes lie on the surface, so that the surface temperature is a node's own. Box and short
cylinder are products of one-dimensional vertex-centred finite volumes; an egg is linear finite elements with lumped
capacity on a mapped half disc (r–z); the ellipsoid stands in :mod:`ember_core.heat.geometry.confocal`. Planes of symmetry are used: only half of each across direction is meshed,
and half of the thickness when both faces always meet the same.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ember_core.heat.arrays import Array, Index, Links, Numbers

FACE_A, FACE_B, FACE_SIDE, FACE_EDGE = 0, 1, 2, 3

RUN = 8  # edges: shorter runs are not worth a loop of their own
GAP = 8  # edges: so many that conduct nothing are put between two runs to make one of them; by measuring


class Mesh(NamedTuple):
    """Geometry in metres; every size carries the power with which it follows a stretch of the piece.

    ``stretch`` (a body's ``length``) multiplies the thickness of a box, the diameter of a cylinder,
    and every axis of an ellipsoid or an egg.
    """

    n: int
    first: Links  # edges: their two nodes, those in runs before the others; some conduct nothing, see GAP
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


def finish(parts: Parts, core: int, lines: list[Index], at_mm: Array, mirrored: bool,
            inner: NDArray[np.bool_] | None = None, ends: tuple[int, int] | None = None) -> Mesh:  # fmt: skip
    """A mesh of its parts: what can be found from nodes, edges and patches is added.

    ``lines`` are the nodes to record, first the line through the core, whose places are ``at_mm``; ``ends`` the nodes where
    it leaves the piece, if not its first and last.

    Parameters
    ----------
    parts : dict
        Nodes, edges and patches by the names of a mesh's fields; emptied of what is not one.
    core : int
        The node in the middle.
    lines : list of ndarray
        Nodes to record, first the line through the core.
    at_mm : ndarray
        Places of the first line's nodes.
    mirrored : bool
        The other half of that line is the same.
    inner : ndarray of bool, optional
        Nodes of an inner material.
    ends : (int, int), optional
        Nodes where the line leaves the piece, if not its first and last.
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
    points = np.asarray(parts.pop("points"))
    owner, deep = _owners(points, np.asarray(parts["s_node"]))
    inward = _inward(np.asarray(parts["first"]), np.asarray(parts["second"]), deep, points, core)
    _bridge(parts)
    run_from, run_first, run_second = _runs(parts)
    along = _along(np.asarray(parts["first"]), np.asarray(parts["second"]), np.asarray(parts["s_node"]))
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


def _bridge(parts: Parts) -> None:
    """Put edges that conduct nothing where a run of edges has a short gap, in place: few long runs are faster than many short ones."""
    first, second = np.asarray(parts["first"]), np.asarray(parts["second"])
    order = np.lexsort((first, second - first))
    i, step = first[order], (second - first)[order]
    missing = np.where(np.diff(step) == 0, np.diff(i) - 1, 0)
    missing[(missing < 0) | (missing > GAP)] = 0
    after = np.repeat(np.arange(missing.size), missing)  # which edge each of the new ones follows
    place = np.arange(after.size) - np.repeat(np.cumsum(missing) - missing, missing)
    begin = i[after] + place + 1
    like = order[after]
    parts["first"] = np.concatenate([first, begin])
    parts["second"] = np.concatenate([second, begin + step[after]])
    parts["conduct"] = np.concatenate([np.asarray(parts["conduct"]), np.zeros(after.size)])
    for name in ("conduct_power", "reach"):
        values = np.asarray(parts[name])
        parts[name] = np.concatenate([values, values[like]])


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
