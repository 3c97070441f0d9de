"""What goes on in a piece on a mesh at one moment: between the nodes, at the boiling front, at the skin.

Freezing, boiling and drying are as in :mod:`ember_core.heat.kernel`; a surface node is its own surface, so its
balance needs no iteration. Compiled; :mod:`ember_core.heat.explicit` steps through time with it.
"""

from __future__ import annotations

import numpy as np

from ember_core.heat.coupling import Coupling
from ember_core.heat.kernel import (
    F_EPS,
    F_H,
    F_LEAK,
    F_WET,
    LATENT_BOILING,
    LEWIS_AIR,
    SIGMA,
    UNDER_BOILING_K,
    Array,
    Body,
    capacity_left,
    latent_heat,
    leaf,
    medium_at,
    read_cells,
    saturated_vapour,
    temperature_at,
    vapour_around,
)
from ember_core.heat.mesh import Layers, Mesh

# a node with less than this share of its water left gives it up at once; by measuring against finer meshes
DRIED = 2e-3


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
def weigh(w: Array, mesh: Mesh, body: Body, weight: Array) -> None:
    """Shares of the nodes in the mean (sum 1): volume times the heat capacity that their water leaves them."""
    total = 0.0
    for i in range(w.size):
        weight[i] = mesh.mean[i]
        if w[i] < body.water and not mesh.inner[i]:
            weight[i] *= capacity_left(w[i], body)
        total += weight[i]
    per = 1.0 / total
    for i in range(w.size):
        weight[i] *= per


@leaf
def conduct(temp: Array, mesh: Mesh, coupling: Coupling, f: Array) -> None:
    """Add to ``f`` (W) what flows along the edges; a run of edges goes as vectors, from numbers to the next ones."""
    edge, flow = coupling.edge, coupling.flow
    for r in range(mesh.run_first.size):
        start, a, b = mesh.run_from[r], mesh.run_first[r], mesh.run_second[r]
        n = mesh.run_from[r + 1] - start
        for k in range(n):
            flow[k] = edge[start + k] * (temp[a + k] - temp[b + k])
        for k in range(n):
            f[a + k] -= flow[k]
        for k in range(n):
            f[b + k] += flow[k]
    for e in range(mesh.run_from[-1], mesh.first.size):
        i, j = mesh.first[e], mesh.second[e]
        q = edge[e] * (temp[i] - temp[j])
        f[i] -= q
        f[j] += q


@leaf
def exchange(
    temp: Array,
    since: float,
    clock: float,
    faces: Array,
    mesh: Mesh,
    body: Body,
    area: Array,
    coupling: Coupling,
    f: Array,
    evaporation: Array,
    surface: Array,
    share: float,
) -> tuple[float, float]:
    """Add to ``f`` (W) what comes through the skin; returns it, and what evaporates into an oven's air (kg/s).

    ``share`` is the vapour's in that air. The loops over patches are plain enough to go as vectors.
    """
    crust, into, drawn, under = coupling.crust, coupling.into, coupling.drawn, coupling.under
    for p in range(mesh.s_node.size):
        surface[p] = temp[mesh.s_node[p]]
        under[p] = temp[coupling.source[p]]
    heat, given = 0.0, 0.0
    for side in range(faces.shape[0]):
        face = faces[side]
        h, eps, wet = face[F_H], face[F_EPS], face[F_WET]
        medium = medium_at(face, clock)
        emit, transfer = eps * SIGMA, wet * h * LEWIS_AIR
        coming = h * medium + emit * (medium + 273.15) ** 4
        around = vapour_around(face, share, medium)
        begin, end = np.uint64(mesh.s_from[side]), np.uint64(mesh.s_from[side + 1])
        for p in range(begin, end):
            inside = surface[p]
            q = coming - h * inside - emit * (inside + 273.15) ** 4
            if crust[p] > 0.0:
                ts = coupling.give[p] * (crust[p] * inside + coming + coupling.lift[p])
                q = coming + coupling.lift[p] - coupling.outward[p] * ts
                surface[p] = ts
            into[p] = q * area[p]
        if transfer == 0.0:
            for p in range(begin, end):
                evaporation[p] = 0.0
                f[mesh.s_node[p]] += into[p]
                heat += into[p]
            continue
        # as in the one-dimensional kernel: under a crust the water stands inside, and boiling is counted there
        for p in range(begin, end):
            tw = min(max(under[p], 0.0), body.boil_c)
            vapour, _ = saturated_vapour(tw)
            rate = transfer * (vapour - around)
            free = min((body.boil_c - tw) * (1.0 / UNDER_BOILING_K), 1.0) if crust[p] > 0.0 else 1.0
            if rate > 0.0:
                rate *= free * (coupling.slowed[p] + since * coupling.slowing[p])
            evaporation[p] = rate
            drawn[p] = latent_heat(tw) * rate * area[p]
        for p in range(begin, end):
            at = coupling.source[p]
            if crust[p] > 0.0 and evaporation[p] <= 0.0:  # vapour condenses on the outside
                at = mesh.s_node[p]
                tw = min(max(surface[p], 0.0), body.boil_c)
                vapour, _ = saturated_vapour(tw)
                evaporation[p] = min(transfer * (vapour - around), 0.0)
                drawn[p] = latent_heat(tw) * evaporation[p] * area[p]
            f[mesh.s_node[p]] += into[p]
            f[at] -= drawn[p]
            heat += into[p] - drawn[p]
        if face[F_LEAK] > 0.0:
            for p in range(begin, end):
                given += evaporation[p] * area[p]
    return heat, given


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
    share: float,
) -> tuple[float, float]:
    """Rate of change ``f`` of the enthalpies (W/m³), the temperatures, the heat coming in (W), the vapour given off (kg/s).

    ``since`` is counted from the step's start, ``clock`` from the stage's, s; ``steam`` is what boils at the
    fronts, kg/s; ``share`` is the vapour's in an oven's air.
    """
    body = layers.outer
    read_lines(y, w, mesh, layers, coupling, exact, hot, temp)
    for i in range(f.size):
        f[i] = 0.0
    conduct(temp, mesh, coupling, f)
    for k in range(fronts):
        o, m = coupling.dry[k], coupling.wet[k]
        plain = coupling.edge[coupling.front[k]] * (temp[o] - temp[m])
        if plain > 0.0 and temp[m] + plain / coupling.inside[k] > body.boil_c:
            # water boils at the front: the heat that does not go on inwards
            q = coupling.outside[k] * (temp[o] - body.boil_c)
            into = min(coupling.inside[k] * max(body.boil_c - temp[m], 0.0), q)
            steam[m] += (q - into) / LATENT_BOILING
            f[o] += plain - q
            f[m] += into - plain
    heat, given = exchange(temp, since, clock, faces, mesh, body, area, coupling, f, evaporation, surface, share)
    for i in range(f.size):
        f[i] *= per_volume[i]
    return heat, given


@leaf
def boil_off(
    y: Array, w: Array, shed: Array, steam: Array, volume: Array, area: Array, mesh: Mesh, layers: Layers
) -> tuple[float, bool, float]:
    """Take the water that has boiled out of the nodes.

    Returns the heat that left with it, J; whether any began or ended to dry; and the most heat that is left over in a
    node without water, J/m³.

    ``steam`` (kg) boiled at the fronts, whose heat never came into ``y``; what stands in ``y`` above the boiling point
    boils now. Water that boils off dries the nearest face as water that evaporates does.
    """
    outer, inner = layers.outer, layers.inner
    taken, news, left = 0.0, False, 0.0
    for i in range(y.size):
        boil_h, water = outer.boil_h, outer.water
        if mesh.inner[i]:
            boil_h, water = inner.boil_h, inner.water
        if steam[i] == 0.0 and y[i] <= boil_h:
            continue
        before = w[i]
        at_front = steam[i] / volume[i]
        gone = min(at_front, w[i])
        y[i] += (at_front - gone) * LATENT_BOILING  # there was not so much: its heat stays, or goes inwards below
        w[i] -= gone
        excess = y[i] - boil_h
        if excess > 0.0 and w[i] > 0.0:
            more = min(excess / LATENT_BOILING, w[i])
            if w[i] - more < DRIED * water:
                more = w[i]
            w[i] -= more
            y[i] -= more * LATENT_BOILING
            gone += more
        onward = y[i] - boil_h
        # the front moves on within the step, and this heat with it; what no water is left for stays
        if before > 0.0 and w[i] <= 0.0 and onward > 0.0:
            at = mesh.inward[i]
            room = w[at] * LATENT_BOILING - max(y[at] - boil_h, 0.0)
            moved = min(onward * volume[i], max(room, 0.0) * volume[at])
            y[i] -= moved / volume[i]
            y[at] += moved / volume[at]
            left = max(left, y[i] - boil_h)
        if gone > 0.0:
            shed[mesh.owner[i]] += gone * volume[i] / area[mesh.owner[i]]
            taken += gone * LATENT_BOILING * volume[i]
            news = news or before >= water or w[i] <= 0.0
    return taken, news, left
