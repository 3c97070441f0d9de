"""What goes on in a piece on a mesh at one moment: between the nodes, at the boiling front, at the skin.

Freezing, boiling and drying are as in :mod:`ember_core.heat.kernel`; a surface node is its own surface, so its
balance needs no iteration. Compiled; :mod:`ember_core.heat.explicit` steps through time with it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit

from ember_core.heat.kernel import (
    F_EPS,
    F_H,
    F_PV,
    F_TAU,
    F_TDELTA,
    F_TINF,
    F_WET,
    LATENT_BOILING,
    LEWIS_AIR,
    SIGMA,
    UNDER_BOILING_K,
    VAPOUR_GAS_CONSTANT,
    Array,
    Body,
    capacity_left,
    leaf,
    read_cells,
    saturated_vapour,
    temperature_at,
)
from ember_core.heat.mesh import Layers, Links, Mesh

# these were set by measuring against finer meshes
ALIKE = 1.4  # below this ratio of conductivities the mean of two neighbours is as good as their series
NEAREST = 0.25  # of an edge: no nearer than so does a boiling front come to the node behind it
DRIED = 2e-3  # a node with less than this share of its water left gives it up at once
DEEPEST = 12  # nodes: further in no wet one is looked for under a dry patch
CALM = 3.0  # how much more a dried node weighs in the bound of the fastest rate; any positive number gives a bound
SMOOTH_FROM_C = 5.0  # above it heat capacity changes little in a step
NEAR_BOILING_K = 40.0  # a node that is further below the boiling point does not come to it in one step


class Coupling(NamedTuple):
    """How the nodes are coupled during one step, conductances in W/K; room for what :func:`couple` and :func:`straighten` find.

    An edge between a dry node and one with water left may carry the boiling front.
    """

    edge: Array  # of each edge
    front: Links  # which edges may carry a front, as many as there are
    dry: Links  # their dry ends
    wet: Links
    outside: Array  # from the dry end to the front
    inside: Array  # from the front to the wet end
    zero: Array  # °C, temperature of each node at no enthalpy by a straight line near its own
    slope: Array  # K m³/J, of that line
    exact: Links  # the nodes that are looked up in the table instead, as many as there are
    hot: Links  # the nodes that may come to boil, as many as there are
    crust: Array  # W/(m² K), through each patch's own crust; 0 where there is none
    give: Array  # m² K/W, of all that the outside of a crust meets
    outward: Array  # W/(m² K), from there to the surroundings: convection and radiation by a straight line
    lift: Array  # W/m², that line's value at 0 °C
    slowed: Array  # share of a wet surface's evaporation that is left by what each patch has lost, at the step's start
    slowing: Array  # its change, 1/s
    load: Array  # W/K, all conductances of each node
    dried_load: Array  # W/K, those to nodes that have lost water
    source: Links  # of each patch the node whose water evaporates there


@njit(cache=True, nogil=True)
def new_coupling(mesh: Mesh) -> Coupling:
    """Room for a mesh."""
    edges, patches = mesh.first.size, mesh.s_node.size
    link, value = np.empty((3, edges), np.uint32), np.empty((3, edges))
    node, skin, number = np.empty((4, mesh.n)), np.zeros((6, patches)), np.empty((2, mesh.n), np.uint32)
    return Coupling(
        value[0], link[0], link[1], link[2], value[1], value[2], node[0], node[1], number[0], number[1],
        skin[0], skin[1], skin[2], skin[3], skin[4], skin[5], node[2], node[3], mesh.s_node.copy(),
    )  # fmt: skip


@leaf
def read_nodes(y: Array, w: Array, mesh: Mesh, layers: Layers, temp: Array, slope: Array, kappa: Array) -> None:
    """Temperatures (°C), dT/dH (K m³/J) and conductivities (W/(m K)) of all nodes; of a node that dries, its wet part's."""
    body = layers.outer
    read_cells(y, w, body, temp, slope, kappa)
    if body.water > 0.0:
        top = body.conductivity.size - 1
        for i in range(y.size):
            if 0.0 < w[i] < body.water:
                row = int((min(y[i], body.boil_h) - body.h0) * body.per_dh)
                kappa[i] = body.k_scale * body.conductivity[min(max(row, 0), top)]
    for i in mesh.within:
        temp[i], slope[i], kappa[i] = temperature_at(y[i], w[i], layers.inner)


@leaf
def straighten(y: Array, w: Array, temp: Array, slope: Array, body: Body, to: Coupling) -> tuple[int, int]:
    """A straight line for each node's temperature during one step; returns how many are looked up instead, how many may boil.

    Heat capacity changes little over a step, save near freezing; a node with water stops at the boiling point.
    """
    exact, hot = 0, 0
    for i in range(y.size):
        to.slope[i] = slope[i]
        if slope[i] == 0.0:  # it boils
            to.slope[i] = 1.0 / (body.c_wet * capacity_left(w[i], body))
        to.zero[i] = temp[i] - to.slope[i] * min(y[i], body.boil_h) if w[i] > 0.0 else temp[i] - slope[i] * y[i]
        if temp[i] < SMOOTH_FROM_C:
            to.exact[exact] = i
            exact += 1
        elif temp[i] > body.boil_c - NEAR_BOILING_K and w[i] > 0.0:
            to.hot[hot] = i
            hot += 1
    return (0, 0) if body.linear else (exact, hot)


@leaf
def read_lines(
    y: Array, w: Array, mesh: Mesh, layers: Layers, coupling: Coupling, exact: int, hot: int, temp: Array
) -> None:
    """Temperatures (°C) of all nodes by their lines; of the ``exact`` ones by the table, of the ``hot`` ones up to boiling."""
    for i in range(y.size):
        temp[i] = coupling.zero[i] + coupling.slope[i] * y[i]
    for k in range(exact):
        i = coupling.exact[k]
        temp[i], _, _ = temperature_at(y[i], w[i], layers.inner if mesh.inner[i] else layers.outer)
    boil_c = layers.outer.boil_c
    for k in range(hot):
        i = coupling.hot[k]
        temp[i] = min(temp[i], boil_c)


@leaf
def in_series(a: float, b: float) -> float:
    """Conductivity of two halves of different conductivity, W/(m K)."""
    return 2.0 * a * b / (a + b)


@leaf
def couple(
    w: Array, mesh: Mesh, body: Body, kappa: Array, conduct: Array, area: Array, per_volume: Array, to: Coupling
) -> int:
    """Conductances (W/K) for one step, by the nodes' conductivities ``kappa`` (W/(m K)) and what has dried.

    ``conduct`` (m) are the edges' areas over lengths. Returns how many edges may carry a front.

    A mesh is coarser than a crust is thick. A node that has lost part of its water is dry in that part of
    its depth on its outer side: the way from the dry neighbour to the front, and from the front to the node
    and its inner neighbour, are as long as the front's place makes them.
    """
    first, second = mesh.first, mesh.second
    least, most = kappa[0], kappa[0]
    driest = w[0]
    for i in range(w.size):
        least, most = min(least, kappa[i]), max(most, kappa[i])
        driest = min(driest, w[i])
    if driest >= body.water:
        if most < ALIKE * least:
            for e in range(first.size):
                to.edge[e] = 0.5 * conduct[e] * (kappa[first[e]] + kappa[second[e]])
        else:  # in series: a frozen node beside one that is not
            for e in range(first.size):
                to.edge[e] = conduct[e] * in_series(kappa[first[e]], kappa[second[e]])
        return 0
    k_dry = body.k_dry * body.k_scale
    found = 0
    for e in range(first.size):
        o, m, end = first[e], second[e], 1
        if w[m] < w[o]:
            o, m, end = second[e], first[e], 0
        if w[o] == w[m] or mesh.along[e]:
            a, b = kappa[o], kappa[m]
            alike = a < ALIKE * b and b < ALIKE * a
            to.edge[e] = conduct[e] * (0.5 * (a + b) if alike else in_series(a, b))
            continue
        dried = (1.0 - w[m] / body.water) * mesh.reach[e, end]
        near = 0.5
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
    for p in range(mesh.s_node.size):
        i = mesh.s_node[p]
        to.crust[p] = 0.0
        if w[i] < body.water:
            share = 1.0 - w[i] / body.water if w[i] > 0.0 else 0.5  # all dry: the node stands for the layer's middle
            to.crust[p] = area[p] * per_volume[i] * k_dry / share
    return found


@leaf
def fastest_dried(
    w: Array,
    faces: Array,
    temp: Array,
    mesh: Mesh,
    body: Body,
    area: Array,
    per_volume: Array,
    to: Coupling,
    fronts: int,
) -> float:
    """Bound of the fastest rate (1/s) of nodes that have lost water and their neighbours.

    By Gershgorin's circles, the dried nodes' unknowns scaled by :data:`CALM`: they are much the faster ones.
    """
    load, dried_load = to.load, to.dried_load
    for i in range(w.size):
        load[i], dried_load[i] = 0.0, 0.0
    for e in range(mesh.first.size):
        i, j, g = mesh.first[e], mesh.second[e], to.edge[e]
        load[i] += g
        load[j] += g
        if w[j] < body.water:
            dried_load[i] += g
        if w[i] < body.water:
            dried_load[j] += g
    for k in range(fronts):
        o, m, g = to.dry[k], to.wet[k], to.edge[to.front[k]]
        load[o] += max(to.outside[k] - g, 0.0)
        more = max(to.inside[k] - g, 0.0)
        load[m] += more
        dried_load[m] += more
    best = 0.0
    for i in range(w.size):
        dry = w[i] < body.water and not mesh.inner[i]
        if dry or dried_load[i] > 0.0:
            others = load[i] - dried_load[i]
            total = load[i] + (others / CALM + dried_load[i] if dry else others + CALM * dried_load[i])
            load[i] = total
            best = max(best, total * per_volume[i] / (body.c_wet * capacity_left(w[i], body)))
    for side in range(faces.shape[0]):
        h, eps, medium = faces[side, F_H], faces[side, F_EPS], faces[side, F_TINF]
        for p in range(mesh.s_from[side], mesh.s_from[side + 1]):
            i = mesh.s_node[p]
            if w[i] < body.water:
                total = h + 4.0 * eps * SIGMA * (max(temp[i], medium) + 273.15) ** 3
                load[i] += total * area[p] * to.crust[p] / (to.crust[p] + total)
                best = max(best, load[i] * per_volume[i] / (body.c_wet * capacity_left(w[i], body)))
    return best


@leaf
def see_crusts(faces: Array, mesh: Mesh, surface: Array, to: Coupling) -> None:
    """Straight lines for what the outsides of crusts radiate, near the temperatures ``surface`` (°C) of the patches."""
    for side in range(faces.shape[0]):
        h, eps = faces[side, F_H], faces[side, F_EPS]
        for p in range(mesh.s_from[side], mesh.s_from[side + 1]):
            if to.crust[p] > 0.0:
                kelvin = surface[p] + 273.15
                by_degree = 4.0 * eps * SIGMA * kelvin**3
                to.outward[p] = h + by_degree
                to.lift[p] = by_degree * surface[p] - eps * SIGMA * kelvin**4
                to.give[p] = 1.0 / (to.crust[p] + to.outward[p])


@leaf
def find_sources(w: Array, mesh: Mesh, to: Coupling) -> None:
    """Find where under each patch water evaporates: the nearest node on the way in that has some left."""
    for p in range(mesh.s_node.size):
        under = mesh.s_node[p]
        for _ in range(DEEPEST):
            if w[under] > 0.0:
                break
            under = mesh.inward[under]
        to.source[p] = under if w[under] > 0.0 else mesh.s_node[p]


@leaf
def weigh(w: Array, mesh: Mesh, body: Body, weight: Array) -> None:
    """Shares of the nodes in the mean (sum 1): volume times the heat capacity that their water leaves them."""
    total = 0.0
    for i in range(w.size):
        weight[i] = mesh.mean[i]
        if not mesh.inner[i]:
            weight[i] *= capacity_left(w[i], body)
        total += weight[i]
    for i in range(w.size):
        weight[i] /= total


@leaf
def mesh_rates(
    y: Array,
    w: Array,
    since: float,
    clock: float,
    faces: Array,
    mesh: Mesh,
    layers: Layers,
    area: Array,
    per_volume: Array,
    coupling: Coupling,
    fronts: int,
    exact: int,
    hot: int,
    f: Array,
    temp: Array,
    evaporation: Array,
    surface: Array,
    steam: Array,
) -> float:
    """Rate of change ``f`` of the enthalpies (W/m³), the temperatures, and the heat coming in (W).

    ``since`` is counted from the step's start, ``clock`` from the stage's, s; ``steam`` is what boils at the
    fronts, kg/s.
    """
    body = layers.outer
    read_lines(y, w, mesh, layers, coupling, exact, hot, temp)
    first, second, edge = mesh.first, mesh.second, coupling.edge
    for i in range(f.size):
        f[i] = 0.0
    for e in range(first.size):
        i, j = first[e], second[e]
        q = edge[e] * (temp[i] - temp[j])
        f[i] -= q
        f[j] += q
    for k in range(fronts):
        o, m = coupling.dry[k], coupling.wet[k]
        plain = edge[coupling.front[k]] * (temp[o] - temp[m])
        if plain > 0.0 and temp[m] + plain / coupling.inside[k] > body.boil_c:
            # water boils at the front: the heat that does not go on inwards
            q = coupling.outside[k] * (temp[o] - body.boil_c)
            into = min(coupling.inside[k] * max(body.boil_c - temp[m], 0.0), q)
            steam[m] += (q - into) / LATENT_BOILING
            f[o] += plain - q
            f[m] += into - plain
    heat = 0.0
    for side in range(faces.shape[0]):
        face = faces[side]
        h, eps, wet = face[F_H], face[F_EPS], face[F_WET]
        medium = face[F_TINF]
        if face[F_TDELTA] != 0.0:
            medium += face[F_TDELTA] * np.exp(-clock / face[F_TAU])
        emit, transfer = eps * SIGMA, wet * h * LEWIS_AIR
        coming = h * medium + emit * (medium + 273.15) ** 4
        around = face[F_PV] / (VAPOUR_GAS_CONSTANT * (medium + 273.15))
        for p in range(mesh.s_from[side], mesh.s_from[side + 1]):
            i = mesh.s_node[p]
            inside = temp[i]
            ts = inside
            crust = coupling.crust[p]
            if crust > 0.0:
                ts = coupling.give[p] * (crust * inside + coming + coupling.lift[p])
                q = coming + coupling.lift[p] - coupling.outward[p] * ts
            else:
                q = coming - h * ts - emit * (ts + 273.15) ** 4
            evaporation[p] = 0.0
            surface[p] = ts
            if transfer > 0.0:
                # as in the one-dimensional kernel: under a crust the water stands inside, and boiling is counted there
                at = coupling.source[p]
                tw = min(max(temp[at], 0.0), body.boil_c)
                vapour, _ = saturated_vapour(tw)
                rate = transfer * (vapour - around)
                if rate > 0.0:
                    rate *= coupling.slowed[p] + since * coupling.slowing[p]
                    if crust > 0.0:
                        rate *= min((body.boil_c - tw) * (1.0 / UNDER_BOILING_K), 1.0)
                else:
                    at = i
                    tw = min(max(ts, 0.0), body.boil_c)
                    vapour, _ = saturated_vapour(tw)
                    rate = min(transfer * (vapour - around), 0.0)
                evaporation[p] = rate
                latent = (2.501e6 - 2361.0 * tw) * rate * area[p]
                f[at] -= latent
                heat -= latent
            f[i] += q * area[p]
            heat += q * area[p]
    for i in range(f.size):
        f[i] *= per_volume[i]
    return heat


@leaf
def boil_off(
    y: Array, w: Array, shed: Array, steam: Array, volume: Array, area: Array, mesh: Mesh, layers: Layers
) -> float:
    """Take the water that has boiled out of the nodes; returns the heat that left with it, J.

    ``steam`` (kg) boiled at the fronts, whose heat never came into ``y``; what stands in ``y`` above the boiling point
    boils now. Water that boils off dries the nearest face as water that evaporates does.
    """
    outer, inner = layers.outer, layers.inner
    taken = 0.0
    for i in range(y.size):
        boil_h, water = outer.boil_h, outer.water
        if mesh.inner[i]:
            boil_h, water = inner.boil_h, inner.water
        at_front = steam[i] / volume[i]
        gone = min(at_front, w[i])
        y[i] += (at_front - gone) * LATENT_BOILING  # there was not so much: its heat stays
        w[i] -= gone
        excess = y[i] - boil_h
        if excess > 0.0 and w[i] > 0.0:
            more = min(excess / LATENT_BOILING, w[i])
            if w[i] - more < DRIED * water:
                more = w[i]
            w[i] -= more
            y[i] -= more * LATENT_BOILING
            gone += more
        if gone > 0.0:
            shed[mesh.owner[i]] += gone * volume[i] / area[mesh.owner[i]]
            taken += gone * LATENT_BOILING * volume[i]
    return taken
