"""Compiled time stepping on a mesh: Runge–Kutta–Chebyshev steps through one stage.

The method is explicit with a stability range that grows with the square of its number of inner
stages, of second order, with its own error estimate (Sommeijer, Shampine & Verwer 1998, *J. Comput.
Appl. Math.* 88:315): no matrix, so boxes, cylinders, ellipsoids and eggs run through one kernel.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ember_core.heat.air import air_of, air_rate, fastest_air, room
from ember_core.heat.balance import boil_off, mesh_rates, read_nodes, weigh
from ember_core.heat.coupling import couple, fastest_dried, find_dried, new_coupling, see_crusts, straighten
from ember_core.heat.kernel import (
    A_LEAK,
    A_STEAM,
    AIR_K,
    F_EPS,
    F_H,
    F_TAU,
    F_TDELTA,
    F_TINF,
    F_WET,
    FILM,
    LATENT_BOILING,
    LEWIS_AIR,
    SIGMA,
    Array,
    Body,
    Criterion,
    Record,
    leaf,
    medium_at,
    saturated_vapour,
    temperature_at,
)
from ember_core.heat.mesh import Layers, Mesh
from ember_core.heat.steps import (
    CLOCK_NS,
    FAILED,
    LIMIT,
    LOOKED_UP_NS,
    NODE_NS,
    ROW_NS,
    SPENT,
    STAGE_NS,
    UNTIL_CORE,
    UNTIL_LOG10,
    UNTIL_MEAN,
    UNTIL_RULE,
    UNTIL_SURFACE,
    UNTIL_TIME,
    UNTIL_TURN,
    WORK,
    accumulate,
    hermite,
    hermite_peak,
    hermite_root,
    keep_state,
    next_step,
    time_to_met,
)

MOST_STAGES = 200
AHEAD = 0.6  # of a step: where in it the conductivities are taken; by measuring
STIFF = 0.25  # per step and rate: how much too large a fast node's error is taken to be (after Shampine); by measuring
# so far from rest the whole tolerance is used, nearer a share of it, and at least so much; by measuring
FAR_K, CLOSEST = 27.0, 0.015
CRUST_SHARE = 0.5  # of the tolerance is used while anything is dry; by measuring
# a stage has so many steps at least while anything is dry: the damped estimate says too little there
WITH_A_CRUST = 10.0
LAST_WATER_K = 20.0  # by no more is a place overheated in the step in which it loses its last water
AT_REST_K = 1e-3  # a piece that would change by less to the end of its stage is at rest
LEAST_SWING_K = 0.5  # so far may a cubic between two steps swing where they are alike
AT_ONE_NODE = 25.0  # times the whole piece's tolerance (root mean square): what one node may be off; by measuring
# The state of a piece on a mesh: H[n] · water left[n] · heat in (J), vapour heat out (J) · shed[patches] (kg/m²)
# · lethality[n] (log10) · rule met[n] · clocks[n × rows] · vapour's share of an oven's air


@leaf
def mesh_offset(mesh: Mesh) -> int:
    """Where the lethalities begin in the state of a mesh."""
    return int(2 * mesh.n + 2 + mesh.s_node.size)


@leaf
def steepest(body: Body, low: float, high: float) -> float:
    """Largest conductivity times dT/dH, m²/s, between two temperatures."""
    best_k, best_slope = 0.0, 0.0
    for i in range(body.temperature.size - 1):
        if (body.temperature[i + 1] >= low and body.temperature[i] <= high) or body.linear:
            best_k = max(best_k, max(body.conductivity[i], body.conductivity[i + 1]) * body.k_scale)
            best_slope = max(best_slope, (body.temperature[i + 1] - body.temperature[i]) * body.per_dh)
    if best_k == 0.0:  # outside the table: its end rows are used
        best_k = max(body.conductivity[0], body.conductivity[-1]) * body.k_scale
        best_slope = 1.0 / body.c_wet * 2.0
    return best_k * best_slope


@leaf
def spectral_radius(
    low: float,
    high: float,
    faces: Array,
    mesh: Mesh,
    layers: Layers,
    conduct: Array,
    area: Array,
    per_volume: Array,
    through: Array,
) -> float:
    """Bound of the fastest rate, 1/s, for temperatures between ``low`` and ``high``; ``through`` is room for a value a node."""
    stretch = layers.outer.length
    diffusive = steepest(layers.outer, low, high)
    if mesh.within.size > 0:
        diffusive = max(diffusive, steepest(layers.inner, low, high))
    fastest = diffusive * mesh.fastest * max(1.0, stretch**-2)
    through[:] = 0.0  # a node at an edge or a corner has two or three patches
    slope = 0.0
    body = layers.outer
    for i in range(body.temperature.size - 1):
        if (body.temperature[i + 1] >= low and body.temperature[i] <= high) or body.linear:
            slope = max(slope, (body.temperature[i + 1] - body.temperature[i]) * body.per_dh)
    slope = max(slope, 1.0 / body.c_wet if not body.linear else 0.0)
    for side in range(faces.shape[0]):
        face = faces[side]
        hot = max(high, face[F_TINF]) + 273.15
        total = face[F_H] + 4.0 * face[F_EPS] * SIGMA * hot**3
        if face[F_WET] > 0.0:
            tw = min(max(min(high, face[F_TINF]), 0.0), body.boil_c)
            _, rise = saturated_vapour(tw)
            total += 2.4e6 * face[F_WET] * face[F_H] * LEWIS_AIR * rise
        for p in range(mesh.s_from[side], mesh.s_from[side + 1]):
            i = mesh.s_node[p]
            through[i] += total * area[p] * per_volume[i] * slope
    both = fastest + through.max()
    # by Gershgorin's circles: where the skin is quick the inside need not be
    for e in range(mesh.first.size):
        i, j = mesh.first[e], mesh.second[e]
        q = 2.0 * diffusive * conduct[e]
        through[i] += q * per_volume[i]
        through[j] += q * per_volume[j]
    return float(min(both, through.max()))


@leaf
def to_go(temp: Array, weight: Array, clock: float, faces: Array, mesh: Mesh) -> float:
    """How far a piece is from being at rest, K: the spread of its temperatures, and how near its mean is to any medium."""
    mean = 0.0
    for i in range(temp.size):
        mean += weight[i] * temp[i]
    spread = 0.0
    for i in range(temp.size):
        spread += weight[i] * (temp[i] - mean) ** 2
    nearest = np.inf
    for side in range(faces.shape[0]):
        if mesh.s_from[side + 1] > mesh.s_from[side]:
            nearest = min(nearest, abs(medium_at(faces[side], clock) - mean))
    return float(np.sqrt(spread) + nearest)


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


@leaf
def between(u: float, v0: float, s0: float, v1: float, s1: float, dt: float) -> float:
    """A value at the share ``u`` of a step: a cubic by values and slopes (per s), held to what cannot overshoot by much."""
    change = v1 - v0
    most = 3.0 * abs(change) + LEAST_SWING_K
    if abs(s0) * dt > most or abs(s1) * dt > most:
        return v0 + u * change
    return float(hermite(u, v0, s0, v1, s1, dt))


@leaf
def keep_samples(
    record: Record,
    t: float,
    step: float,
    apart: float,
    stops: Array,
    stop_i: int,
    was: Array,
    now: Array,
    f0: Array,
    f1: Array,
    slope: Array,
    w: Array,
    water: float,
    weight: Array,
    mesh: Mesh,
    skin_was: tuple[float, float],
    skin_now: tuple[float, float],
    mean_was: float,
    dried: bool,
) -> tuple[int, float]:
    """Record a step from ``t`` on: its end, the wanted times ``stops`` within, and others at most ``apart`` s apart.

    Within a step temperatures follow from both ends, so that what is asked for changes no step; where anything is dry
    (``dried``) the mean runs straight from ``mean_was``. Returns the next stop and the mean at the end.
    """
    mean_now, mean_rate0, mean_rate1 = 0.0, 0.0, 0.0
    for i in range(was.size):
        mean_now += weight[i] * now[i]
        mean_rate0 += weight[i] * slope[i] * f0[i]
        mean_rate1 += weight[i] * slope[i] * f1[i]
    parts = max(int(np.ceil(step / apart - 1e-9)), 1)
    part = 1
    end = t + step
    while part <= parts:
        at = end if part == parts else t + step * part / parts
        if stop_i < stops.size and stops[stop_i] < at + 1e-9:
            if stops[stop_i] > at - 1e-9:
                part += 1
            else:
                at = stops[stop_i]
            stop_i += 1
        else:
            part += 1
        while stop_i < stops.size and stops[stop_i] <= at + 1e-9:
            stop_i += 1
        if at <= t + 1e-9:
            continue
        row = record.filled[0]
        if row >= record.t.size:
            record.filled[1] += 1
            continue
        u = 1.0 if end - at < 1e-9 else (at - t) / step
        core = mesh.core
        record.t[row] = at
        record.core[row] = between(u, was[core], slope[core] * f0[core], now[core], slope[core] * f1[core], step)
        if dried:
            record.mean[row] = mean_was + u * (mean_now - mean_was)
        else:
            record.mean[row] = between(u, mean_was, mean_rate0, mean_now, mean_rate1, step)
        record.surface_a[row] = skin_was[0] + u * (skin_now[0] - skin_was[0])
        record.surface_b[row] = skin_was[1] + u * (skin_now[1] - skin_was[1])
        for k in range(record.field.shape[1]):
            i = mesh.watch[k]
            if w[i] >= water or mesh.inner[i]:
                record.field[row, k] = between(u, was[i], slope[i] * f0[i], now[i], slope[i] * f1[i], step)
            else:
                record.field[row, k] = was[i] + u * (now[i] - was[i])
        record.filled[0] = row + 1
    return stop_i, mean_now


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
    kept_h, kept_w, kept_shed = np.empty(n), np.empty(n), np.empty(patches)
    old, new, older = np.empty(n), np.empty(n), np.empty(n)
    table = np.zeros((5, MOST_STAGES + 1))
    have_table = 0
    tracking = until == UNTIL_LOG10 or until == UNTIL_RULE or rows > 0 or crit.d_ref > 0.0
    t, end = t0, t0 + duration
    whole = volume.sum()
    air = air_of(faces, y[y.size - 1])
    share, filling = y[y.size - 1], 0.0
    coupling = new_coupling(mesh)
    dried_edges = find_dried(w, mesh, body, coupling)
    read_nodes(h, w, mesh, layers, temp0, slope, kappa)
    fronts = couple(w, mesh, body, kappa, conduct, area, per_volume, coupling, dried_edges)
    exact, hot = straighten(h, w, temp0, slope, body, coupling)
    for p in range(patches):
        skin[p] = temp0[mesh.s_node[p]]
    see_crusts(faces, mesh, skin, coupling)
    coupling.slowed[:] = 1.0 / (1.0 + np.maximum(shed, 0.0) / body.m0)
    mesh_rates(h, w, 0.0, 0.0, faces, mesh, layers, area, per_volume, coupling, fronts, exact, hot, f0, temp0, ev0, skin, steam0, share)  # fmt: skip
    medium_low, medium_high = faces[:, F_TINF].min(), faces[:, F_TINF].max()
    drift = np.abs(faces[:, F_TDELTA]).max()
    # by no more is a place overheated in the step in which it loses its last water, J/m³
    too_hot = body.c_dry * min(LAST_WATER_K, max(medium_high + drift - body.boil_c, 1.0))
    fastest = spectral_radius(
        min(temp0.min(), medium_low - drift), max(temp0.max(), medium_high + drift), faces, mesh, layers, conduct, area, per_volume, f
    )  # fmt: skip
    fastest += fastest_air(air, faces, mesh.s_from, area, whole)
    core = temp0[mesh.core]
    rate = slope[mesh.core] * f0[mesh.core]
    peak, peak_t = core, t0
    stored = 0
    if store_t.size > 0:
        store[0, :] = y
        store_t[0] = t
        stored = 1
    weight = np.empty(n)
    weigh(w, mesh, body, weight)
    wanted = core
    if until == UNTIL_SURFACE:
        wanted = skin[mesh.patch_a]
    elif until == UNTIL_MEAN:
        wanted = (temp0 * weight).sum()
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
    largest = min(longest, cap) if recording and tracking else cap
    crusted = min(largest, duration / WITH_A_CRUST)
    unstopped = np.empty(0)  # no step is cut for a sample
    skin_was = (skin[mesh.patch_a], skin[mesh.patch_b])
    mean_was = (temp0 * weight).sum()
    quickest = fastest
    last, boiled = 0.0, False  # the length of the step before, and whether water boiled in it
    stop_i = 0
    while stop_i < stops.size and stops[stop_i] <= t + 1e-9:
        stop_i += 1
    ended = UNTIL_TIME
    trial_tau = -1.0
    tries = 0
    while t < end - 1e-9:
        step, clipped = next_step(
            t,
            min(dt, crusted if dried_edges > 0 else largest, 0.5 * MOST_STAGES * MOST_STAGES / quickest),
            end,
            unstopped,
            0,
            trial_tau,
        )
        clock = t - t0
        near = tol * min(max(to_go(temp0, weight, clock, faces, mesh) / FAR_K, CLOSEST), 1.0)
        if dried_edges > 0:
            near *= CRUST_SHARE
        record.filled[3] += 1
        if record.filled[WORK] > record.filled[LIMIT]:
            return t, SPENT, peak, peak_t, stored
        onward = AHEAD * min(step / last, 2.0) if last > 0.0 else 0.0
        for i in range(n):
            older[i] = h[i] + onward * ahead[i]
            if h[i] <= body.boil_h:
                older[i] = min(older[i], body.boil_h)
        read_nodes(older, w, mesh, layers, temp, slope, kappa)
        fronts = couple(w, mesh, body, kappa, conduct, area, per_volume, coupling, dried_edges)
        exact, hot = straighten(older, w, temp, slope, body, coupling)
        quickest = fastest
        if dried_edges > 0:
            see_crusts(faces, mesh, skin, coupling)
            quickest = max(
                fastest, fastest_dried(w, faces, temp, mesh, body, area, per_volume, coupling, fronts, dried_edges)
            )
        stages = min(max(int(np.sqrt(1.0 + 1.54 * step * quickest)) + 1, 2), MOST_STAGES)
        if stages != have_table:
            chebyshev(stages, table)
            have_table = stages
        for p in range(patches):
            coupling.slowed[p] = 1.0 / (1.0 + max(shed[p], 0.0) / body.m0)
            slowing = coupling.slowed[p] ** 2 / body.m0 * max(ev0[p], 0.0)
            coupling.slowing[p] = -min(slowing, 0.5 * coupling.slowed[p] / step)
        steam0[:] = 0.0
        record.filled[WORK] += (stages + 8) * (STAGE_NS + NODE_NS * n + LOOKED_UP_NS * exact) + (
            n * (CLOCK_NS + ROW_NS * rows) if tracking else 0
        )
        heat0, given = mesh_rates(h, w, 0.0, clock, faces, mesh, layers, area, per_volume, coupling, fronts, exact, hot, f0, temp0, ev0, skin, steam0, share)  # fmt: skip
        filling0, share_old, share_older = 0.0, share, share
        if air[A_LEAK] > 0.0:
            filling0 = air_rate(air, share, given * room(air, clock, faces) / whole)
            share_old = share + table[2, 1] * step * filling0
        for i in range(n):
            older[i] = h[i]
            old[i] = h[i] + table[2, 1] * step * f0[i]
        # the heat coming in goes through the same formula, so that the books balance to rounding
        heat_older, heat_old = 0.0, table[2, 1] * step * heat0
        for j in range(2, stages + 1):
            heat_in, given = mesh_rates(old, w, table[4, j - 1] * step, clock + table[4, j - 1] * step, faces, mesh, layers, area, per_volume, coupling, fronts, exact, hot, f, temp, ev, skin, steam, share_old)  # fmt: skip
            mu, nu, mu_f, gamma = table[0, j], table[1, j], table[2, j] * step, table[3, j] * step
            for i in range(n):
                new[i] = (1.0 - mu - nu) * h[i] + mu * old[i] + nu * older[i] + mu_f * f[i] + gamma * f0[i]
            heat_older, heat_old = heat_old, mu * heat_old + nu * heat_older + mu_f * heat_in + gamma * heat0
            older, old, new = old, new, older
            if air[A_LEAK] > 0.0:
                filling = air_rate(air, share_old, given * room(air, clock + table[4, j - 1] * step, faces) / whole)
                share_new = (
                    (1.0 - mu - nu) * share + mu * share_old + nu * share_older + mu_f * filling + gamma * filling0
                )
                share_older, share_old = share_old, min(max(share_new, 0.0), 1.0)
        steam1[:] = 0.0
        _, given = mesh_rates(old, w, step, clock + step, faces, mesh, layers, area, per_volume, coupling, fronts, exact, hot, f1, temp1, ev1, skin, steam1, share_old)  # fmt: skip
        size, square = 0.0, 0.0
        finite, boils = True, False
        for i in range(n):
            error = (0.8 * (h[i] - old[i]) + 0.4 * step * (f0[i] + f1[i])) * slope[i]
            if not abs(old[i]) < 1e15:
                finite = False
            if w[i] > 0.0:
                if old[i] > body.boil_h:
                    error = 0.0  # it boils: its temperature stands
                boils = boils or old[i] > body.boil_h or steam0[i] + steam1[i] > 0.0
            if dried_edges > 0:
                error /= 1.0 + STIFF * step * coupling.load[i]
            square += weight[i] * error * error
            size = max(size, abs(error) * min(np.sqrt(n * weight[i]), 1.0))
        size = max(size / AT_ONE_NODE, np.sqrt(square))
        if air[A_LEAK] > 0.0:
            filling = air_rate(air, share_old, given * room(air, clock + step, faces) / whole)
            size = max(size, AIR_K * abs(0.8 * (share - share_old) + 0.4 * step * (filling0 + filling)))
        if not finite:
            dt = 0.1 * step
            trial_tau = -1.0
            if dt < 1e-8:
                return t, FAILED, peak, peak_t, stored
            continue
        size = max(size / near, 1e-6)
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
            wanted1 = (temp1 * weight).sum()
        if watching and (wanted1 < value) != below and abs(wanted1 - value) > 2e-4 and tries < 12:
            # the wanted moment lies inside this step: take the step again, shorter
            tries += 1
            if until == UNTIL_CORE and tries == 1:
                trial_tau = hermite_root(wanted, rate, wanted1, rate1, step, value)
            else:
                trial_tau = step * (value - wanted) / (wanted1 - wanted)
            trial_tau = min(max(trial_tau, 1e-6 * step), 0.999999 * step)
            continue
        taken, news = 0.0, False
        if boils and body.water > 0.0:
            for i in range(n):
                steam[i] = 0.5 * step * (steam0[i] + steam1[i])
                kept_h[i], kept_w[i] = old[i], w[i]
            kept_shed[:] = shed
            taken, news, left = boil_off(old, w, shed, steam, volume, area, mesh, layers)
            if left > too_hot and step > 1e-6:
                old[:] = kept_h
                w[:] = kept_w
                shed[:] = kept_shed
                dt = 0.3 * step
                trial_tau = -1.0
                tries = 0
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
        boiled = taken > 0.0
        if news:
            dried_edges = find_dried(w, mesh, body, coupling)
        y[2 * n + 1] += taken
        if air[A_LEAK] > 0.0:  # what boils is taken in over the next step
            share = share_old
            y[y.size - 1] = share
            air[A_STEAM] = room(air, clock + step, faces) * taken / LATENT_BOILING / whole / step
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
            weigh(w, mesh, body, weight)
            for i in range(n):
                if w[i] < body.water and not mesh.inner[i]:
                    temp0[i], _, _ = temperature_at(h[i], w[i], body)
        if tracking:
            accumulate(y, temp, temp0, step, n, off, crit)
        if recording:
            skin_now = (skin[mesh.patch_a], skin[mesh.patch_b])
            stop_i, mean_was = keep_samples(
                record, t - step, step, longest, stops, stop_i, temp, temp0, f0, f1, coupling.slope, w, body.water, weight,
                mesh, skin_was, skin_now, mean_was, dried_edges > 0,
            )  # fmt: skip
            skin_was = skin_now
        if stored > 0:
            stored = keep_state(y, t, store, store_t, stored)
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
        if t < end - 1e-9 and not boiled and until != UNTIL_RULE and until != UNTIL_LOG10 and air[A_LEAK] == 0.0:
            worst = 0.0
            for i in range(n):
                worst = max(worst, abs(slope[i] * f1[i]))
            for side in range(faces.shape[0]):
                worst += abs(faces[side, F_TDELTA]) * np.exp(-(t - t0) / faces[side, F_TAU]) / (end - t)
            if worst * (end - t) < AT_REST_K:  # nothing moves any more: the rest of the stage is one step
                step = end - t
                f0[:] = 0.0
                for p in range(patches):
                    shed[p] = max(shed[p] + step * ev1[p], -FILM)
                if tracking:
                    accumulate(y, temp0, temp0, step, n, off, crit)
                if recording:
                    keep_samples(
                        record, t, step, longest, stops, stop_i, temp0, temp0, f0, f0, slope, w, body.water, weight, mesh,
                        skin_was, skin_was, mean_was, True,
                    )  # fmt: skip
                t = end
                if stored > 0:
                    stored = keep_state(y, t, store, store_t, stored)
    return t, ended, peak, peak_t, stored
