"""What goes on in a piece on a mesh at one moment: between the nodes, at the boiling front, at the skin. Compiled.

Freezing, boiling and drying are as in one dimension; a surface node is its own surface, so its balance needs no iteration.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ember_core.constants import CELSIUS_ZERO, LATENT_BOILING, LEWIS_AIR, SIGMA
from ember_core.heat.arrays import Array
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.solver.cells import capacity_left, looked_up, temperature_at
from ember_core.heat.solver.compiled import inlined, kernel, leaf
from ember_core.heat.solver.humid_air import latent_heat, saturated_vapour
from ember_core.heat.solver.mesh_coupling import ALIKE, Coupling, Solid
from ember_core.heat.solver.surface import UNDER_BOILING_K, medium_of, vapour_around
from ember_core.heat.solver.types import Body, Rows, State

SMOOTH_FROM_C = 5.0  # above it heat capacity changes little in a step
NEAR_BOILING_K = 40.0  # a node that is further below the boiling point does not come to it in one step
# a node with less than this share of its water left gives it up at once; by measuring against finer meshes
DRIED = 2e-3


class Rates(NamedTuple):
    """What :func:`mesh_rates` finds."""

    f: Array  # W/m³, of the nodes' enthalpies
    temperature: Array  # °C, of the nodes
    evaporation: Array  # kg/(m² s), of the patches
    steam: Array  # kg/s, boiling at the fronts, by node; added to


@kernel
def new_rates(nodes: int, patches: int) -> Rates:
    """Room for a mesh."""
    return Rates(np.empty(nodes), np.empty(nodes), np.empty(patches), np.zeros(nodes))


@leaf
def see_node(i: int, y: float, w: float, body: Body, temp: Array, slope: Array, kappa: Array, to: Coupling) -> None:
    """Read one node, and find the straight line of its temperature.

    Parameters
    ----------
    i : int
        Its number.
    y, w : float
        Its enthalpy, J/m³; water left, kg/m³.
    body : Body
        Its material.
    temp, slope, kappa : ndarray (nodes,)
        Receive °C, dT/dH in K m³/J, and W/(m K).
    to : Coupling
        Receives the line.
    """
    t, by, k = temperature_at(y, w, body)
    if 0.0 < w < body.water:  # of a node that dries, its wet part's
        row = int((min(y, body.boil_h) - body.h0) * body.per_dh)
        k = body.k_scale * body.conductivity[min(max(row, 0), body.conductivity.size - 1)]
    temp[i], slope[i], kappa[i], to.slope[i] = t, by, k, by
    if by == 0.0:  # it boils
        to.slope[i] = 1.0 / (body.c_wet * capacity_left(w, body))
    to.zero[i] = t - to.slope[i] * min(y, body.boil_h) if w > 0.0 else t - by * y


@leaf
def see_nodes(
    h: Array, w: Array, ahead: Array, onward: float, solid: Solid, temp: Array, slope: Array, kappa: Array, to: Coupling
) -> bool:
    """Read all nodes where they will be, and find a straight line for each one's temperature near there.

    Lists the nodes that are looked up in the table instead of by their lines, and those that may boil: heat capacity changes
    little over a step, save near freezing; a node with water stops at the boiling point. Returns whether all that have not
    dried conduct alike.

    Parameters
    ----------
    h, w : ndarray (nodes,)
        Enthalpies, J/m³; water left, kg/m³.
    ahead : ndarray (nodes,)
        What the step before changed, J/m³.
    onward : float
        How much of that they will go on; none to the boiling point and beyond.
    solid : Solid
    temp, slope, kappa : ndarray (nodes,)
        Receive °C, dT/dH in K m³/J, and W/(m K).
    to : Coupling
        Receives the rest.
    """
    body, inner = solid.layers.outer, solid.mesh.inner
    table, conductivity = body.temperature, body.conductivity
    h0, per_dh, k_scale, boil_h, water = body.h0, body.per_dh, body.k_scale, body.boil_h, body.water
    top, hot_c = table.size - 1.001, body.boil_c - NEAR_BOILING_K
    exact, hot, least, most = 0, 0, np.inf, 0.0
    for i in range(h.size):
        y = h[i] + onward * ahead[i]
        position = (y - h0) * per_dh
        if y > boil_h or w[i] < water or not 0.0 <= position < top or inner[i]:
            if h[i] <= boil_h:
                y = min(y, boil_h)
            see_node(i, y, w[i], solid.layers.inner if inner[i] else body, temp, slope, kappa, to)
        else:
            t, rise, k = looked_up(position, table, conductivity)
            by = rise * per_dh
            temp[i], slope[i], kappa[i], to.slope[i], to.zero[i] = t, by, k * k_scale, by, t - by * y
        if w[i] >= water or inner[i]:
            least, most = min(least, kappa[i]), max(most, kappa[i])
        if temp[i] < SMOOTH_FROM_C:
            to.exact[exact] = i
            exact += 1
        elif temp[i] > hot_c and w[i] > 0.0:
            to.hot[hot] = i
            hot += 1
    to.found[0].exact, to.found[0].hot = (0, 0) if body.linear else (exact, hot)
    return most < ALIKE * least


@inlined
def read_lines(y: Array, w: Array, solid: Solid, coupling: Coupling, temp: Array) -> None:
    """Temperatures (°C) of all nodes by their lines; of the exact ones by the table, of the hot ones up to boiling.

    Parameters
    ----------
    y, w : ndarray (nodes,)
        Enthalpies, J/m³; water left, kg/m³.
    solid, coupling : Solid, Coupling
    temp : ndarray (nodes,)
        Receives them.
    """
    for i in range(y.size):
        temp[i] = coupling.zero[i] + coupling.slope[i] * y[i]
    layers = solid.layers
    for k in range(coupling.found[0].exact):
        i = coupling.exact[k]
        temp[i], _, _ = temperature_at(y[i], w[i], layers.inner if solid.mesh.inner[i] else layers.outer)
    boil_c = layers.outer.boil_c
    for k in range(coupling.found[0].hot):
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


@inlined
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


@inlined
def boil_at_fronts(solid: Solid, coupling: Coupling, out: Rates) -> None:
    """Where water boils between a dry node and a wet one: the heat that does not go on inwards makes steam."""
    temp, f, boil_c = out.temperature, out.f, solid.layers.outer.boil_c
    for k in range(coupling.found[0].fronts):
        o, m = coupling.dry[k], coupling.wet[k]
        plain = coupling.edge[coupling.front[k]] * (temp[o] - temp[m])
        if plain > 0.0 and temp[m] + plain / coupling.inside[k] > boil_c:
            q = coupling.outside[k] * (temp[o] - boil_c)
            into = min(coupling.inside[k] * max(boil_c - temp[m], 0.0), q)
            out.steam[m] += (q - into) / LATENT_BOILING
            f[o] += plain - q
            f[m] += into - plain


@inlined
def exchange(
    since: float, clock: float, faces: Rows, solid: Solid, coupling: Coupling, out: Rates, surface: Array, share: float,
    stored: float,
) -> tuple[float, float, float]:  # fmt: skip
    """Add to ``out.f`` (W) what comes through the skin; returns it, what evaporates into an oven's air (kg/s), and what a
    medium with a store gives to this piece (W).

    The loops over patches are plain enough to go as vectors.

    Parameters
    ----------
    since, clock : float
        Into the step and into the stage, s.
    faces, solid, coupling
        What is met; the piece; how its nodes are coupled.
    out : Rates
        Has the nodes' temperatures, receives the rest.
    surface : ndarray (patches,)
        Receives their temperatures, °C.
    share : float
        The vapour's in the oven's air.
    stored : float
        °C, of a medium with a store.
    """
    mesh, body, area, temp, f, evaporation = (
        solid.mesh, solid.layers.outer, solid.area, out.temperature, out.f, out.evaporation,
    )  # fmt: skip
    crust, into, drawn, under = coupling.crust, coupling.into, coupling.drawn, coupling.under
    for p in range(mesh.s_node.size):
        surface[p] = temp[mesh.s_node[p]]
        under[p] = temp[coupling.source[p]]
    heat, given, taken = 0.0, 0.0, 0.0
    for side in range(faces.shape[0]):
        face = faces[side]
        h = face.h
        medium = medium_of(face, clock, stored)
        emit, transfer = face.emissivity * SIGMA, face.wet * h * LEWIS_AIR
        coming = h * medium + emit * (medium + CELSIUS_ZERO) ** 4
        around = vapour_around(face, share, medium)
        begin, end = np.uint64(mesh.s_from[side]), np.uint64(mesh.s_from[side + 1])
        for p in range(begin, end):
            inside = surface[p]
            q = coming - h * inside - emit * (inside + CELSIUS_ZERO) ** 4
            if crust[p] > 0.0:
                ts = coupling.give[p] * (crust[p] * inside + coming + coupling.lift[p])
                q = coming + coupling.lift[p] - coupling.outward[p] * ts
                surface[p] = ts
            into[p] = q * area[p]
        if face.capacity > 0.0:
            for p in range(begin, end):
                taken += into[p]
        if transfer == 0.0:
            for p in range(begin, end):
                evaporation[p] = 0.0
                f[mesh.s_node[p]] += into[p]
                heat += into[p]
            continue
        # as in one dimension: under a crust the water stands inside, and boiling is counted there
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
        if face.leak > 0.0:
            for p in range(begin, end):
                given += evaporation[p] * area[p]
    return heat, given, taken


@leaf
def mesh_rates(
    y: Array, w: Array, since: float, clock: float, faces: Rows, solid: Solid, coupling: Coupling, out: Rates,
    surface: Array, share: float, stored: float,
) -> tuple[float, float, float]:  # fmt: skip
    """Find ``out``: rates and temperatures; returns the heat coming in (W), the vapour given off (kg/s), the heat taken (W).

    Parameters
    ----------
    y, w : ndarray (nodes,)
        Enthalpies, J/m³; water left, kg/m³.
    since, clock : float
        Into the step and into the stage, s.
    faces, solid, coupling
        What is met; the piece; how its nodes are coupled during this step.
    out, surface
        Receive what is found, the patches' temperatures in °C.
    share : float
        The vapour's in an oven's air.
    stored : float
        °C, of a medium with a store.
    """
    f = out.f
    read_lines(y, w, solid, coupling, out.temperature)
    for i in range(f.size):
        f[i] = 0.0
    conduct(out.temperature, solid.mesh, coupling, f)
    boil_at_fronts(solid, coupling, out)
    heat, given, taken = exchange(since, clock, faces, solid, coupling, out, surface, share, stored)
    for i in range(f.size):
        f[i] *= solid.per_volume[i]
    return heat, given, taken


@leaf
def boil_off(y: Array, state: State, steam: Array, solid: Solid) -> tuple[float, bool, float]:
    """Take the water that has boiled out of the nodes.

    What stands in ``y`` above the boiling point boils now. Water that boils off dries the nearest face as water that
    evaporates does.

    Parameters
    ----------
    y : ndarray (nodes,)
        Enthalpies, J/m³; changed.
    state : State
        Whose water and faces are changed.
    steam : ndarray (nodes,)
        kg that boiled at the fronts, whose heat never came into ``y``.
    solid : Solid

    Returns
    -------
    tuple
        The heat that left with it, J; whether any node began or ended to dry; and the most heat that is left over in a
        node without water, J/m³.
    """
    mesh, outer, inner, volume, w = solid.mesh, solid.layers.outer, solid.layers.inner, solid.volume, state.water
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
            owner = mesh.owner[i]
            state.shed[owner] += gone * volume[i] / solid.area[owner]
            taken += gone * LATENT_BOILING * volume[i]
            news = news or before >= water or w[i] <= 0.0
    return taken, news, left
