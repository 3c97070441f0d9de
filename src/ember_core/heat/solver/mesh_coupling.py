"""How the nodes of a mesh are coupled during one step: conductances, straight lines for temperatures, crusts. Compiled.

All of it is found once a step, and :mod:`ember_core.heat.solver.mesh_rates` reads it at every moment within.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ember_core.constants import CELSIUS_ZERO, LATENT_AT_0C, LEWIS_AIR, SIGMA
from ember_core.heat.arrays import Array, Links
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.solver.cells import capacity_left
from ember_core.heat.solver.compiled import kernel, leaf
from ember_core.heat.solver.humid_air import saturated_vapour
from ember_core.heat.solver.types import Layers, Rows, _fields

# these were set by measuring against finer meshes
ALIKE = 1.4  # below this ratio of conductivities the mean of two neighbours is as good as their series
NEAREST = 0.25  # of an edge: no nearer than so does a boiling front come to the node behind it
DEEPEST = 12  # nodes: further in no wet one is looked for under a dry patch
CALM = 3.0  # how much more a dried node weighs in the bound of the fastest rate; any positive number gives a bound
FRONT_RESTS_K = 10.0  # a front whose dry side is further below the boiling point does not boil in one step

# how many of the lists in a coupling are filled: edges with a dried end, fronts, nodes looked up, nodes that may boil
FOUND = _fields("", "dried fronts exact hot")


class Solid(NamedTuple):
    """A piece on a mesh at its own size."""

    mesh: Mesh
    layers: Layers
    conduct: Array  # m, the edges' areas over lengths
    area: Array  # m², of the patches
    volume: Array  # m³, of the nodes
    per_volume: Array
    whole: float  # m³


class Coupling(NamedTuple):
    """How the nodes are coupled during one step, conductances in W/K; room for what the functions below find.

    An edge between a dry node and one with water left may carry the boiling front.
    """

    found: Rows  # one row of FOUND
    edge: Array  # of each edge
    flow: Array  # W, along the edges of one run
    dried: Links  # which edges have an end that has lost water
    front: Links  # which edges may carry a front
    dry: Links  # their dry ends
    wet: Links
    outside: Array  # from the dry end to the front
    inside: Array  # from the front to the wet end
    zero: Array  # °C, temperature of each node at no enthalpy by a straight line near its own
    slope: Array  # K m³/J, of that line
    exact: Links  # the nodes that are looked up in the table instead
    hot: Links  # the nodes that may come to boil
    crust: Array  # W/(m² K), through each patch's own crust; 0 where there is none
    give: Array  # m² K/W, of all that the outside of a crust meets
    outward: Array  # W/(m² K), from there to the surroundings: convection and radiation by a straight line
    lift: Array  # W/m², that line's value at 0 °C
    slowed: Array  # share of a wet surface's evaporation that is left by what each patch has lost, at the step's start
    slowing: Array  # its change, 1/s
    under: Array  # °C, where the water of each patch stands
    into: Array  # W, through each patch
    drawn: Array  # W, that evaporation takes
    load: Array  # W/K, all conductances of each node; in the end what fastest_dried says of each, 1/s
    dried_load: Array  # W/K, those to nodes that have lost water
    source: Links  # of each patch the node whose water evaporates there


@kernel
def solid_of(mesh: Mesh, layers: Layers) -> Solid:
    """A mesh and its materials as one piece; a body's ``length`` is its stretch."""
    stretch = layers.outer.length
    by_node, conduct, area = np.empty((2, mesh.n)), np.empty(mesh.first.size), np.empty(mesh.s_node.size)
    volume, per_volume = by_node[0], by_node[1]
    whole, swollen = 0.0, stretch**mesh.volume_power
    for i in range(mesh.n):
        volume[i] = mesh.volume[i] * swollen
        per_volume[i] = 1.0 / volume[i]
        whole += volume[i]
    power, factor = 0.0, 1.0  # edges and patches of one power follow each other
    for e in range(conduct.size):
        if mesh.conduct_power[e] != power:
            power = mesh.conduct_power[e]
            factor = stretch**power
        conduct[e] = mesh.conduct[e] * factor
    for p in range(area.size):
        if mesh.s_power[p] != power:
            power = mesh.s_power[p]
            factor = stretch**power
        area[p] = mesh.s_area[p] * factor
    return Solid(mesh, layers, conduct, area, volume, per_volume, whole)


@kernel
def new_coupling(mesh: Mesh) -> Coupling:
    """Room for a mesh."""
    edges, patches = mesh.first.size, mesh.s_node.size
    link, value = np.empty((4, edges), np.uint32), np.empty((4, edges))
    node, skin, number = np.empty((4, mesh.n)), np.zeros((9, patches)), np.empty((2, mesh.n), np.uint32)
    return Coupling(
        np.zeros(1, FOUND),
        value[0], value[1], link[0], link[1], link[2], link[3], value[2], value[3], node[0], node[1], number[0], number[1],
        skin[0], skin[1], skin[2], skin[3], skin[4], skin[5], skin[6], skin[7], skin[8], node[2], node[3], mesh.s_node.copy(),
    )  # fmt: skip


@leaf
def find_dried(w: Array, solid: Solid, to: Coupling) -> None:
    """List the edges with an end that has lost water, and find where under each patch water evaporates.

    That is at the nearest node on the way in that has some left. ``w`` (nodes,) is in kg/m³.
    """
    mesh, body = solid.mesh, solid.layers.outer
    for p in range(mesh.s_node.size):
        under = mesh.s_node[p]
        for _ in range(DEEPEST):
            if w[under] > 0.0:
                break
            under = mesh.inward[under]
        to.source[p] = under if w[under] > 0.0 else mesh.s_node[p]
    found = 0
    for e in range(mesh.first.size):
        i, j = mesh.first[e], mesh.second[e]
        if (w[i] < body.water and not mesh.inner[i]) or (w[j] < body.water and not mesh.inner[j]):
            to.dried[found] = e
            found += 1
    to.found[0].dried = found


@leaf
def in_series(a: float, b: float) -> float:
    """Conductivity of two neighbours' halves one after the other, W/(m K); of two that are alike, their mean."""
    return 0.5 * (a + b) if a < ALIKE * b and b < ALIKE * a else 2.0 * a * b / (a + b)


@leaf
def couple_alike(mesh: Mesh, kappa: Array, conduct: Array, edge: Array) -> None:
    """Conductances (W/K) of all edges by the mean of their ends' conductivities."""
    for r in range(mesh.run_first.size):
        start, a, b = mesh.run_from[r], mesh.run_first[r], mesh.run_second[r]
        for k in range(mesh.run_from[r + 1] - start):
            edge[start + k] = 0.5 * conduct[start + k] * (kappa[a + k] + kappa[b + k])
    for e in range(mesh.run_from[-1], mesh.first.size):
        edge[e] = 0.5 * conduct[e] * (kappa[mesh.first[e]] + kappa[mesh.second[e]])


@leaf
def couple(w: Array, kappa: Array, alike: bool, solid: Solid, to: Coupling) -> None:
    """Conductances (W/K) for one step; lists the edges that may carry a front, and finds each patch's crust.

    Parameters
    ----------
    w, kappa : ndarray (nodes,)
        Water left, kg/m³, by which nodes have dried; conductivities, W/(m K).
    alike : bool
        No two nodes that have not dried conduct very differently, see :data:`ALIKE`.
    solid, to : Solid, Coupling
    """
    mesh, body, conduct = solid.mesh, solid.layers.outer, solid.conduct
    if alike:
        couple_alike(mesh, kappa, conduct, to.edge)
    else:  # a frozen node beside one that is not
        for e in range(mesh.first.size):
            to.edge[e] = conduct[e] * in_series(kappa[mesh.first[e]], kappa[mesh.second[e]])
    couple_dried(w, kappa, solid, to)
    k_dry = body.k_dry * body.k_scale
    for p in range(mesh.s_node.size):
        i = mesh.s_node[p]
        to.crust[p] = 0.0
        if w[i] < body.water:
            share = 1.0 - w[i] / body.water if w[i] > 0.0 else 0.5  # all dry: the node stands for the layer's middle
            to.crust[p] = solid.area[p] * solid.per_volume[i] * k_dry / share


@leaf
def couple_dried(w: Array, kappa: Array, solid: Solid, to: Coupling) -> None:
    """Conductances of the edges with an end that has lost water, and which of them may carry a front.

    A mesh is coarser than a crust is thick. A node that has lost part of its water is dry in that part of
    its depth on its outer side: the way from the dry neighbour to the front, and from the front to the node
    and its inner neighbour, are as long as the front's place makes them.
    """
    mesh, body, conduct = solid.mesh, solid.layers.outer, solid.conduct
    k_dry = body.k_dry * body.k_scale
    found = 0
    for d in range(to.found[0].dried):
        e = to.dried[d]
        o, m, end = mesh.first[e], mesh.second[e], 1
        if w[m] < w[o]:
            o, m, end = mesh.second[e], mesh.first[e], 0
        if w[o] == w[m] or mesh.along[e]:
            # a skin node that is all dry stands for the middle of its layer
            shorter = 0.75 if w[o] == 0.0 and not mesh.along[e] and (mesh.on_skin[o] or mesh.on_skin[m]) else 1.0
            to.edge[e] = conduct[e] * in_series(kappa[o], kappa[m]) / shorter
            continue
        dried = (1.0 - w[m] / body.water) * mesh.reach[e, end]
        near = 0.25 if mesh.on_skin[o] else 0.5
        if w[o] > 0.0:  # the front has passed the outer node in part
            cell = mesh.reach[e, 1 - end]
            near = cell * w[o] / body.water
            if not mesh.on_skin[o]:
                near -= max(0.5 - cell + near, NEAREST)
            near = min(max(near, 0.0), 0.5)
        outside = near / kappa[o] + dried / k_dry
        inside = max(0.5 - dried, NEAREST) / kappa[m]
        to.edge[e] = conduct[e] / (outside + inside)
        if w[o] == 0.0:
            to.front[found], to.dry[found], to.wet[found] = e, o, m
            to.outside[found], to.inside[found] = conduct[e] / outside, conduct[e] / inside
            found += 1
    to.found[0].fronts = found


@leaf
def loads_of_edges(w: Array, temp: Array, solid: Solid, to: Coupling) -> None:
    """Sum the conductances of each node into ``to.load`` (W/K), those to dried nodes into ``to.dried_load`` as well."""
    mesh, body = solid.mesh, solid.layers.outer
    load, dried_load, edge = to.load, to.dried_load, to.edge
    for i in range(w.size):
        load[i], dried_load[i] = 0.0, 0.0
    for r in range(mesh.run_first.size):
        start, a, b = mesh.run_from[r], mesh.run_first[r], mesh.run_second[r]
        n = mesh.run_from[r + 1] - start
        for k in range(n):
            load[a + k] += edge[start + k]
        for k in range(n):
            load[b + k] += edge[start + k]
    for e in range(mesh.run_from[-1], mesh.first.size):
        load[mesh.first[e]] += edge[e]
        load[mesh.second[e]] += edge[e]
    for d in range(to.found[0].dried):
        e = to.dried[d]
        i, j = mesh.first[e], mesh.second[e]
        if w[j] < body.water:
            dried_load[i] += edge[e]
        if w[i] < body.water:
            dried_load[j] += edge[e]
    for k in range(to.found[0].fronts):
        o, m, g = to.dry[k], to.wet[k], to.edge[to.front[k]]
        if temp[o] < body.boil_c - FRONT_RESTS_K:
            continue
        load[o] += max(to.outside[k] - g, 0.0)
        more = max(to.inside[k] - g, 0.0)
        load[m] += more
        dried_load[m] += more


@leaf
def fastest_dried(w: Array, faces: Rows, temp: Array, solid: Solid, to: Coupling) -> float:
    """Bound of the fastest rate (1/s) of nodes that have lost water and their neighbours; ``to.load`` keeps each one's.

    By Gershgorin's circles, the dried nodes' unknowns scaled by :data:`CALM`: they are much the faster ones. It is 0 for
    all other nodes.

    Parameters
    ----------
    w, temp : ndarray (nodes,)
        Water left, kg/m³; temperatures, °C.
    faces : rows of FACE
    solid, to : Solid, Coupling
    """
    mesh, body, area = solid.mesh, solid.layers.outer, solid.area
    load, dried_load = to.load, to.dried_load
    loads_of_edges(w, temp, solid, to)
    for i in range(w.size):
        dry = w[i] < body.water and not mesh.inner[i]
        if dry or dried_load[i] > 0.0:
            others = load[i] - dried_load[i]
            load[i] += others / CALM + dried_load[i] if dry else others + CALM * dried_load[i]
        else:
            load[i] = 0.0
    for side in range(faces.shape[0]):
        face = faces[side]
        drawing = LATENT_AT_0C * face.wet * face.h * LEWIS_AIR
        for p in range(mesh.s_from[side], mesh.s_from[side + 1]):
            i, at = mesh.s_node[p], to.source[p]
            if w[i] < body.water:
                total = face.h + 4.0 * face.emissivity * SIGMA * (max(temp[i], face.medium_c) + CELSIUS_ZERO) ** 3
                load[i] += total * area[p] * to.crust[p] / (to.crust[p] + total)
            if load[at] > 0.0 and drawing > 0.0:
                _, rise = saturated_vapour(min(temp[at], body.boil_c))
                load[at] += drawing * rise * area[p]
    best = 0.0
    for i in range(w.size):
        if load[i] > 0.0:
            load[i] *= solid.per_volume[i] / (body.c_wet * capacity_left(w[i], body))
            best = max(best, load[i])
    return best


@leaf
def see_crusts(faces: Rows, mesh: Mesh, surface: Array, to: Coupling) -> None:
    """Straight lines for what the outsides of crusts radiate, near the temperatures ``surface`` (°C) of the patches."""
    for side in range(faces.shape[0]):
        h, eps = faces[side].h, faces[side].emissivity
        for p in range(mesh.s_from[side], mesh.s_from[side + 1]):
            if to.crust[p] > 0.0:
                kelvin = surface[p] + CELSIUS_ZERO
                by_degree = 4.0 * eps * SIGMA * kelvin**3
                to.outward[p] = h + by_degree
                to.lift[p] = by_degree * surface[p] - eps * SIGMA * kelvin**4
                to.give[p] = 1.0 / (to.crust[p] + to.outward[p])


@leaf
def slow_down(shed: Array, evaporation: Array, step: float, m0: float, to: Coupling) -> None:
    """How much what the patches have lost slows their evaporation, and how that changes over a step.

    Parameters
    ----------
    shed, evaporation : ndarray (patches,)
        kg/m², and kg/(m² s) as it goes.
    step : float
        s.
    m0 : float
        The drying scale, kg/m².
    to : Coupling
    """
    for p in range(shed.size):
        to.slowed[p] = 1.0 / (1.0 + max(shed[p], 0.0) / m0)
        slowing = to.slowed[p] ** 2 / m0 * max(evaporation[p], 0.0)
        to.slowing[p] = -min(slowing, 0.5 * to.slowed[p] / step)
