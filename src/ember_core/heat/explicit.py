"""Compiled time stepping on a mesh: Runge–Kutta–Chebyshev steps through one stage.

The method is explicit with a stability range that grows with the square of its number of inner
stages, of second order, with its own error estimate (Sommeijer, Shampine & Verwer 1998, *J. Comput.
Appl. Math.* 88:315): no matrix, so boxes, cylinders, ellipsoids and eggs run through one kernel.
Freezing, boiling and drying are as in :mod:`ember_core.heat.kernel`; a surface node is its own
surface, so its balance needs no iteration.
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
    FILM,
    LATENT_BOILING,
    LEWIS_AIR,
    SIGMA,
    UNDER_BOILING_K,
    VAPOUR_GAS_CONSTANT,
    Array,
    Body,
    Criterion,
    Record,
    leaf,
    read_cells,
    saturated_vapour,
    temperature_at,
)
from ember_core.heat.mesh import Layers, Links, Mesh
from ember_core.heat.stepper import (
    FAILED,
    UNTIL_CORE,
    UNTIL_LOG10,
    UNTIL_MEAN,
    UNTIL_RULE,
    UNTIL_SURFACE,
    UNTIL_TIME,
    UNTIL_TURN,
    accumulate,
    hermite_peak,
    hermite_root,
    keep_state,
    next_step,
    time_to_met,
)

MOST_STAGES = 200
ALIKE = 1.4  # below this ratio of conductivities the mean of two neighbours is as good as their series
NEAREST = 0.25  # of an edge: no nearer than so does a boiling front come to the node behind it
DRIED = 2e-3  # a node with less than this share of its water left gives it up at once
AHEAD = 0.6  # of a step: where in it the conductivities are taken
SMOOTH_FROM_C, SMOOTH_BELOW_BOILING_K = 5.0, 20.0
AT_ONE_NODE = 25.0  # times the tolerance of the whole piece (root mean square) that a single node may be off
# The state of a piece on a mesh: H[n] · water left[n] · heat in (J), vapour heat out (J) · shed[patches] (kg/m²)
# · lethality[n] (log10) · rule met[n] · clocks[n × rows]


@leaf
def mesh_offset(mesh: Mesh) -> int:
    """Where the lethalities begin in the state of a mesh."""
    return int(2 * mesh.n + 2 + mesh.s_node.size)


class Coupling(NamedTuple):
    """How the nodes are coupled during one step, W/K; room for what :func:`couple` and :func:`straighten` find.

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
    crust: Array  # m² K/W, of each patch's own crust
    slowed: Array  # share of a wet surface's evaporation that is left by what each patch has lost, at the step's start
    slowing: Array  # its change, 1/s


@njit(cache=True, nogil=True)
def new_coupling(mesh: Mesh) -> Coupling:
    """Room for a mesh."""
    edges, patches = mesh.first.size, mesh.s_node.size
    link, value = np.empty((3, edges), np.uint32), np.empty((3, edges))
    node = np.empty((2, mesh.n))
    return Coupling(
        value[0], link[0], link[1], link[2], value[1], value[2], node[0], node[1], np.empty(mesh.n, np.uint32),
        np.zeros(patches), np.ones(patches), np.zeros(patches),
    )  # fmt: skip


@leaf
def read_nodes(y: Array, w: Array, mesh: Mesh, layers: Layers, temp: Array, slope: Array, kappa: Array) -> None:
    """Temperatures, dT/dH and conductivities of all nodes; of a node that dries, those of its wet part."""
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
def straighten(y: Array, w: Array, temp: Array, slope: Array, body: Body, to: Coupling) -> int:
    """A straight line for each node's temperature during one step; returns how many are looked up instead.

    Heat capacity changes little over a step, save near freezing and near boiling.
    """
    found = 0
    for i in range(y.size):
        to.slope[i] = slope[i]
        to.zero[i] = temp[i] - slope[i] * y[i]
        if not SMOOTH_FROM_C < temp[i] < body.boil_c - SMOOTH_BELOW_BOILING_K or w[i] < body.water:
            to.exact[found] = i
            found += 1
    return 0 if body.linear else found


@leaf
def couple(
    w: Array, mesh: Mesh, body: Body, kappa: Array, conduct: Array, area: Array, per_volume: Array, to: Coupling
) -> int:
    """Conductances for one step, by the nodes' conductivities and what has dried; returns how many fronts there are.

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
                a, b = kappa[first[e]], kappa[second[e]]
                to.edge[e] = 2.0 * conduct[e] * a * b / (a + b)
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
            to.edge[e] = conduct[e] * (0.5 * (a + b) if alike else 2.0 * a * b / (a + b))
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
            to.crust[p] = share / (area[p] * per_volume[i] * k_dry)
    return found


@leaf
def crust_surface(inside: float, crust: float, h: float, eps: float, medium: float, radiant: float) -> float:
    """Temperature outside a crust over a node at ``inside`` °C."""
    ts = (inside / crust + h * medium) / (1.0 / crust + h) if crust > 0.0 else inside
    if eps > 0.0 and crust > 0.0:
        for _ in range(3):
            ka = ts + 273.15
            q = h * (medium - ts) + eps * SIGMA * (radiant - ka**4) - (ts - inside) / crust
            ts += q / (h + 4.0 * eps * SIGMA * ka**3 + 1.0 / crust)
    return ts


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
    for i in range(f.size):
        temp[i] = coupling.zero[i] + coupling.slope[i] * y[i]
    for k in range(exact):
        i = coupling.exact[k]
        temp[i], _, _ = temperature_at(y[i], w[i], layers.inner if mesh.inner[i] else body)
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
        radiant = (medium + 273.15) ** 4
        around = face[F_PV] / (VAPOUR_GAS_CONSTANT * (medium + 273.15))
        for p in range(mesh.s_from[side], mesh.s_from[side + 1]):
            i = mesh.s_node[p]
            inside = temp[i]
            ts = inside
            if coupling.crust[p] > 0.0 and h > 0.0:
                ts = crust_surface(inside, coupling.crust[p], h, eps, medium, radiant)
            q = h * (medium - ts)
            if eps > 0.0:
                q += eps * SIGMA * (radiant - (ts + 273.15) ** 4)
            evaporation[p] = 0.0
            surface[p] = ts
            if wet > 0.0:
                # as in the one-dimensional kernel: under a crust the water stands inside, and boiling is counted there
                tw = min(max(inside, 0.0), body.boil_c)
                free = min((body.boil_c - tw) / UNDER_BOILING_K, 1.0) if w[i] < body.water else 1.0
                vapour, _ = saturated_vapour(tw)
                if vapour > around:
                    evaporation[p] = (
                        free
                        * wet
                        * h
                        * LEWIS_AIR
                        * (coupling.slowed[p] + since * coupling.slowing[p])
                        * (vapour - around)
                    )
                else:
                    tw = min(max(ts, 0.0), body.boil_c)
                    vapour, _ = saturated_vapour(tw)
                    evaporation[p] = min(wet * h * LEWIS_AIR * (vapour - around), 0.0)
                q -= (2.501e6 - 2361.0 * tw) * evaporation[p]
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


@leaf
def steepest(body: Body, low: float, high: float) -> float:
    """Largest conductivity times dT/dH, m²/s, between two temperatures."""
    best_k, best_slope = 0.0, 0.0
    for i in range(body.temperature.size - 1):
        if (body.temperature[i + 1] >= low and body.temperature[i] <= high) or body.linear:
            best_k = max(best_k, max(body.conductivity[i], body.conductivity[i + 1]) * body.k_scale)
            best_slope = max(best_slope, (body.temperature[i + 1] - body.temperature[i]) * body.per_dh)
    if high > body.boil_c:
        best_slope = max(best_slope, 1.0 / body.c_dry)
    if best_k == 0.0:  # outside the table: its end rows are used
        best_k = max(body.conductivity[0], body.conductivity[-1]) * body.k_scale
        best_slope = 1.0 / body.c_dry * 2.0
    return best_k * best_slope


@leaf
def spectral_radius(
    low: float, high: float, faces: Array, mesh: Mesh, layers: Layers, area: Array, per_volume: Array
) -> float:
    """Bound of the fastest rate, 1/s, for temperatures between ``low`` and ``high``."""
    stretch = layers.outer.length
    diffusive = steepest(layers.outer, low, high)
    if mesh.within.size > 0:
        diffusive = max(diffusive, steepest(layers.inner, low, high))
    fastest = diffusive * mesh.fastest * max(1.0, stretch**-2)
    most = 0.0
    slope = 0.0
    body = layers.outer
    for i in range(body.temperature.size - 1):
        if (body.temperature[i + 1] >= low and body.temperature[i] <= high) or body.linear:
            slope = max(slope, (body.temperature[i + 1] - body.temperature[i]) * body.per_dh)
    slope = max(slope, 1.0 / body.c_dry if not body.linear else 0.0)
    for side in range(faces.shape[0]):
        face = faces[side]
        hot = max(high, face[F_TINF]) + 273.15
        total = face[F_H] + 4.0 * face[F_EPS] * SIGMA * hot**3
        if face[F_WET] > 0.0:
            tw = min(max(min(high, face[F_TINF]), 0.0), body.boil_c)
            _, rise = saturated_vapour(tw)
            total += 2.4e6 * face[F_WET] * face[F_H] * LEWIS_AIR * rise
        for p in range(mesh.s_from[side], mesh.s_from[side + 1]):
            most = max(most, total * area[p] * per_volume[mesh.s_node[p]] * slope)
    return float(fastest + most)


@leaf
def chebyshev(s: int, table: Array) -> None:
    """Coefficients of the ``s``-stage formula: rows mu, nu, mu~, gamma~, c by stage 1…s."""
    w0 = 1.0 + 2.0 / 13.0 / (s * s)
    root = np.sqrt(w0 * w0 - 1.0)
    arg = s * np.log(w0 + root)
    w1 = np.sinh(arg) * (w0 * w0 - 1.0) / (np.cosh(arg) * s * root - w0 * np.sinh(arg))
    b1 = 1.0 / (4.0 * w0 * w0)
    b_old = b1
    t1, t2 = w0, 1.0
    d1, d2 = 1.0, 0.0
    e1, e2 = 0.0, 0.0
    table[2, 1] = w1 * b1
    table[4, 1] = table[2, 1]
    c1, c2 = table[2, 1], 0.0
    for j in range(2, s + 1):
        t = 2.0 * w0 * t1 - t2
        d = 2.0 * w0 * d1 - d2 + 2.0 * t1
        e = 2.0 * w0 * e1 - e2 + 4.0 * d1
        b = e / (d * d)
        a1 = 1.0 - t1 * b1
        mu = 2.0 * w0 * b / b1
        nu = -b / b_old
        table[0, j] = mu
        table[1, j] = nu
        table[2, j] = mu * w1 / w0
        table[3, j] = -a1 * table[2, j]
        c = mu * c1 + nu * c2 + table[2, j] + table[3, j]
        table[4, j] = c
        b_old, b1 = b1, b
        t2, t1 = t1, t
        d2, d1 = d1, d
        e2, e1 = e1, e
        c2, c1 = c1, c


@njit(cache=True, nogil=True)
def run_mesh_stage(
    y: Array,
    t0: float,
    duration: float,
    faces: Array,
    mesh: Mesh,
    layers: Layers,
    crit: Criterion,
    until: int,
    value: float,
    tol: float,
    longest: float,
    record: Record,
    stops: Array,
    store: Array,
    store_t: Array,
) -> tuple[float, int, float, float, int]:
    """Advance a piece on a mesh through one stage, in place; as :func:`ember_core.heat.stepper.run_stage`."""
    n = mesh.n
    body = layers.outer
    patches = mesh.s_node.size
    off = mesh_offset(mesh)
    rows = crit.row_c.size
    stretch = body.length
    conduct = mesh.conduct * stretch**mesh.conduct_power
    area = mesh.s_area * stretch**mesh.s_power
    volume = mesh.volume * stretch**mesh.volume_power
    per_volume = 1.0 / volume
    h = y[:n].copy()
    w = y[n : 2 * n]
    shed = y[2 * n + 2 : off]
    f0, f1, f = np.empty(n), np.empty(n), np.empty(n)
    temp0, temp1, temp, kappa = np.empty(n), np.empty(n), np.empty(n), np.empty(n)
    slope = np.empty(n)
    ev0, ev1, ev = np.empty(patches), np.empty(patches), np.empty(patches)
    skin, ahead = np.empty(patches), np.zeros(n)
    steam0, steam1, steam = np.zeros(n), np.zeros(n), np.zeros(n)
    old, new, older = np.empty(n), np.empty(n), np.empty(n)
    table = np.zeros((5, MOST_STAGES + 1))
    have_table = 0
    tracking = until == UNTIL_LOG10 or until == UNTIL_RULE or rows > 0 or crit.d_ref > 0.0
    t, end = t0, t0 + duration
    coupling = new_coupling(mesh)
    read_nodes(h, w, mesh, layers, temp0, slope, kappa)
    fronts = couple(w, mesh, body, kappa, conduct, area, per_volume, coupling)
    exact = straighten(h, w, temp0, slope, body, coupling)
    coupling.slowed[:] = 1.0 / (1.0 + np.maximum(shed, 0.0) / body.m0)
    mesh_rates(h, w, 0.0, 0.0, faces, mesh, layers, area, per_volume, coupling, fronts, exact, f0, temp0, ev0, skin, steam0)  # fmt: skip
    medium_low, medium_high = faces[:, F_TINF].min(), faces[:, F_TINF].max()
    drift = np.abs(faces[:, F_TDELTA]).max()
    fastest = spectral_radius(
        min(temp0.min(), medium_low - drift), max(temp0.max(), medium_high + drift), faces, mesh, layers, area, per_volume
    )  # fmt: skip
    core = temp0[mesh.core]
    rate = slope[mesh.core] * f0[mesh.core]
    peak, peak_t = core, t0
    stored = 0
    if store_t.size > 0:
        store[0, :] = y
        store_t[0] = t
        stored = 1
    wanted = core
    if until == UNTIL_SURFACE:
        wanted = skin[mesh.patch_a]
    elif until == UNTIL_MEAN:
        wanted = (temp0 * mesh.mean).sum()
    below = wanted < value
    watching = until == UNTIL_CORE or until == UNTIL_SURFACE or until == UNTIL_MEAN
    if watching and wanted == value:
        return t, until, peak, peak_t, stored
    if until == UNTIL_RULE and y[off + n : off + 2 * n].min() >= 1.0:
        return t, until, peak, peak_t, stored
    if until == UNTIL_LOG10 and y[off : off + n].min() >= value:
        return t, until, peak, peak_t, stored
    dt = min(0.5 / fastest, duration)
    cap = 0.65 * MOST_STAGES * MOST_STAGES / fastest
    recording = longest > 0.0
    largest = min(longest, cap) if recording else cap
    last, boiled = 0.0, False  # the length of the step before, and whether water boiled in it
    stop_i = 0
    while stop_i < stops.size and stops[stop_i] <= t + 1e-9:
        stop_i += 1
    ended = UNTIL_TIME
    trial_tau = -1.0
    tries = 0
    while t < end - 1e-9:
        step, clipped = next_step(t, min(dt, largest), end, stops, stop_i, trial_tau)
        clock = t - t0
        record.filled[3] += 1
        stages = min(max(int(np.sqrt(1.0 + 1.54 * step * fastest)) + 1, 2), MOST_STAGES)
        if stages != have_table:
            chebyshev(stages, table)
            have_table = stages
        onward = AHEAD * min(step / last, 2.0) if last > 0.0 else 0.0
        for i in range(n):
            older[i] = h[i] + onward * ahead[i]
            if h[i] <= body.boil_h:
                older[i] = min(older[i], body.boil_h)
        read_nodes(older, w, mesh, layers, temp, slope, kappa)
        fronts = couple(w, mesh, body, kappa, conduct, area, per_volume, coupling)
        exact = straighten(older, w, temp, slope, body, coupling)
        for p in range(patches):
            coupling.slowed[p] = 1.0 / (1.0 + max(shed[p], 0.0) / body.m0)
            slowing = coupling.slowed[p] ** 2 / body.m0 * max(ev0[p], 0.0)
            coupling.slowing[p] = -min(slowing, 0.5 * coupling.slowed[p] / step)
        steam0[:] = 0.0
        heat0 = mesh_rates(h, w, 0.0, clock, faces, mesh, layers, area, per_volume, coupling, fronts, exact, f0, temp0, ev0, skin, steam0)  # fmt: skip
        for i in range(n):
            older[i] = h[i]
            old[i] = h[i] + table[2, 1] * step * f0[i]
        # the heat coming in goes through the same formula, so that the books balance to rounding
        heat_older, heat_old = 0.0, table[2, 1] * step * heat0
        for j in range(2, stages + 1):
            heat_in = mesh_rates(old, w, table[4, j - 1] * step, clock + table[4, j - 1] * step, faces, mesh, layers, area, per_volume, coupling, fronts, exact, f, temp, ev, skin, steam)  # fmt: skip
            mu, nu, mu_f, gamma = table[0, j], table[1, j], table[2, j] * step, table[3, j] * step
            for i in range(n):
                new[i] = (1.0 - mu - nu) * h[i] + mu * old[i] + nu * older[i] + mu_f * f[i] + gamma * f0[i]
            heat_older, heat_old = heat_old, mu * heat_old + nu * heat_older + mu_f * heat_in + gamma * heat0
            older, old, new = old, new, older
        steam1[:] = 0.0
        mesh_rates(old, w, step, clock + step, faces, mesh, layers, area, per_volume, coupling, fronts, exact, f1, temp1, ev1, skin, steam1)  # fmt: skip
        size, square = 0.0, 0.0
        finite = True
        for i in range(n):
            error = (0.8 * (h[i] - old[i]) + 0.4 * step * (f0[i] + f1[i])) * slope[i]
            if not abs(old[i]) < 1e15:
                finite = False
            if old[i] > body.boil_h and w[i] > 0.0:
                error = 0.0  # it boils: its temperature stands
            square += mesh.mean[i] * error * error
            size = max(size, abs(error))
        size = max(size / AT_ONE_NODE, np.sqrt(square))
        if not finite:
            dt = 0.1 * step
            trial_tau = -1.0
            if dt < 1e-8:
                return t, FAILED, peak, peak_t, stored
            continue
        size = max(size / tol, 1e-6)
        factor = 0.8 * size ** (-1.0 / 3.0)
        if size > 1.0 and step > 1e-7:
            dt = step * max(factor, 0.1)
            trial_tau = -1.0
            continue
        core1 = temp1[mesh.core]
        rate1 = slope[mesh.core] * f1[mesh.core]
        wanted1 = core1
        if until == UNTIL_SURFACE:
            wanted1 = skin[mesh.patch_a]
        elif until == UNTIL_MEAN:
            wanted1 = (temp1 * mesh.mean).sum()
        if watching and (wanted1 < value) != below and abs(wanted1 - value) > 2e-4 and tries < 12:
            # the wanted moment lies inside this step: take the step again, shorter
            tries += 1
            if until == UNTIL_CORE and tries == 1:
                trial_tau = hermite_root(wanted, rate, wanted1, rate1, step, value)
            else:
                trial_tau = step * (value - wanted) / (wanted1 - wanted)
            trial_tau = min(max(trial_tau, 1e-6 * step), 0.999999 * step)
            continue
        if not clipped and trial_tau < 0.0:
            dt = step * min(factor, 8.0)
        elif factor < 1.0:
            dt = step * factor
        trial_tau = -1.0
        tries = 0
        if rate > 0.0 and rate1 < 0.0:
            top, at = hermite_peak(core, rate, core1, rate1, step)
            if top > peak:
                peak, peak_t = top, t + at
        if core1 > peak:
            peak, peak_t = core1, t + step
        for p in range(patches):
            shed[p] = max(shed[p] + 0.5 * step * (ev0[p] + ev1[p]), -FILM)
        y[2 * n] += heat_old
        last = step
        for i in range(n):
            ahead[i] = old[i] - h[i]
        boiled = False
        if body.water > 0.0:
            for i in range(n):
                steam[i] = 0.5 * step * (steam0[i] + steam1[i])
            taken = boil_off(old, w, shed, steam, volume, area, mesh, layers)
            boiled = taken > 0.0
            y[2 * n + 1] += taken
        t += step
        for i in range(n):
            h[i] = old[i]
            y[i] = old[i]
            temp[i] = temp0[i]
            temp0[i] = temp1[i]
        for p in range(patches):
            ev0[p] = ev1[p]
        core, rate, wanted = core1, rate1, wanted1
        if boiled:
            for k in range(exact):
                i = coupling.exact[k]
                temp0[i], _, _ = temperature_at(h[i], w[i], layers.inner if mesh.inner[i] else body)
        if tracking:
            accumulate(y, temp, temp0, step, n, off, crit)
        if recording:
            row = record.filled[0]
            if row < record.t.size:
                record.t[row] = t
                record.core[row] = core
                record.mean[row] = (temp0 * mesh.mean).sum()
                record.surface_a[row] = skin[mesh.patch_a]
                record.surface_b[row] = skin[mesh.patch_b]
                for k in range(record.field.shape[1]):
                    record.field[row, k] = temp0[mesh.watch[k]]
                record.filled[0] = row + 1
            else:
                record.filled[1] += 1
        if stored > 0:
            stored = keep_state(y, t, store, store_t, stored)
        if stop_i < stops.size and t >= stops[stop_i] - 1e-9:
            stop_i += 1
        if watching:
            if (wanted < value) != below or abs(wanted - value) <= 2e-4:
                ended = until
                break
        elif until == UNTIL_TURN:
            if rate < 0.0:
                break
        elif until == UNTIL_RULE:
            if y[off + n : off + 2 * n].min() >= 1.0:
                ended = until
                break
            largest = min(cap, max(1.0, min(time_to_met(y, n, off, crit), max(5.0, 0.005 * (t - t0)))))
        elif until == UNTIL_LOG10:
            have = y[off : off + n].min()
            if have >= value:
                ended = until
                break
            if have > 0.8 * value:
                largest = min(cap, max(5.0, 0.005 * (t - t0)))
    return t, ended, peak, peak_t, stored
