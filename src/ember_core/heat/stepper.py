"""Compiled time stepping: adaptive TR-BDF2 steps through one stage, with what may end it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ember_core.heat.air import air_of, air_rate, given_off, room, settle
from ember_core.heat.kernel import (
    A_BASE,
    A_LEAK,
    A_SHARE,
    A_STEAM,
    AIR_WEIGHT_K,
    D_,
    FILM,
    GAMMA,
    LATENT_BOILING,
    N_SKIN,
    S_AT,
    S_DRAWN,
    S_DRAWN_SLOPE,
    S_EVAPORATION,
    S_NEAR,
    S_NEXT,
    S_Q,
    S_STEAM,
    S_T,
    W_,
    Array,
    Body,
    Criterion,
    Grid,
    Record,
    add_faces,
    both_faces,
    conduction,
    factor,
    leaf,
    mean_temperature,
    measures,
    rates,
    read_cells,
    solve,
)
from ember_core.heat.steps import (
    CELL_NS,
    CLOCK_NS,
    FAILED,
    LIMIT,
    LOOK_NS,
    ROW_NS,
    SPENT,
    UNTIL_CORE,
    UNTIL_LOG10,
    UNTIL_MEAN,
    UNTIL_RULE,
    UNTIL_SURFACE,
    UNTIL_TIME,
    UNTIL_TURN,
    WORK,
    accumulate,
    hermite_peak,
    hermite_root,
    keep_state,
    next_step,
    time_to_met,
)

IN_A_CRUST = 0.05  # weight of the error in cells that dry: they are thin, and their kinks cost many steps
CURVATURE = 2e-3  # 1/K, how much conductivity or heat capacity of a food changes by degree, at most

# The state of a piece is one flat array, so that it can be stored and resumed:
# H[n] · water left[n] · shed a, shed b (kg/m²) · heat in, steam and vapour heat out (per unit area)
# · lethality[n] (log10) · rule met[n] · clocks[n × rows] · vapour's share of an oven's air


@leaf
def core_of(values: Array, grid: Grid) -> float:
    """The core read from the cell means."""
    total = 0.0
    for i in range(grid.core_lo, grid.core_hi):
        total += grid.core[i] * values[i]
    return total


class Work(NamedTuple):
    """Scratch of the Newton iteration; the rows are per cell."""

    cells: Array  # temperature, dT/dH, conductivity
    band: Array  # the tridiagonal d f/dT
    factors: Array  # see kernel.factor
    f: Array
    rhs: Array
    move: Array
    linear: Array  # temperatures the last linear solve foresees


@leaf
def drawn_next(face: Array, slope: Array, move: Array) -> float:
    """Heat drawn from under a crust (W/m²) after a linear ``move`` of the enthalpies."""
    at = int(face[S_AT])
    return float(face[S_DRAWN] + face[S_DRAWN_SLOPE] * slope[at] * move[at] if face[S_DRAWN] > 0.0 else 0.0)


@leaf
def newton(
    base: Array,
    beta: float,
    guess: Array,
    w: Array,
    shed_a: float,
    shed_b: float,
    t: float,
    faces: Array,
    grid: Grid,
    body: Body,
    measure: Array,
    tol: float,
    work: Work,
    skin: Array,
    reached: Array,
    air: Array,
    per_volume: float,
    spent: NDArray[np.int64],
) -> tuple[bool, float]:
    """Solve y = base + beta·f(y); the answer replaces ``guess``, ``reached`` holds f there.

    A move is the last one when what was linear in it (temperatures and fluxes at the faces) agrees
    with the true values to ``tol``; these are then in ``work.cells`` and ``skin``. The vapour of an oven's ``air`` is
    settled with it. Returns whether it converged, and the heat coming in (W per unit grid area).
    """
    n = grid.n
    cells, band, x = work.cells, work.band, work.move
    low, high, link, pivot = work.factors[0], work.factors[1], work.factors[2], work.factors[3]
    read_cells(guess, w, body, cells[0], cells[1], cells[2])
    both_faces(w, shed_a, shed_b, t, faces, grid, body, cells[0], cells[2], skin, air[A_SHARE])
    for _ in range(25):
        spent[WORK] += LOOK_NS + CELL_NS * n
        conduction(cells[0], cells[2], measure, work.f, band[0], band[1], band[2])
        heat = add_faces(grid, measure, skin, work.f, band[0], band[1], band[2])
        for i in range(n):
            work.rhs[i] = base[i] + beta * work.f[i] - guess[i]
        factor(beta, band, cells[1], low, high, link, pivot)
        solve(work.rhs, low, high, link, pivot, x)
        largest = 0.0
        for i in range(n):
            guess[i] += x[i]
            work.linear[i] = cells[0, i] + cells[1, i] * x[i]
            # measured against a smooth heat capacity, so that a plateau cannot hide a large move
            move = abs(x[i]) / body.c_wet
            if not move < 1e6:
                return False, heat
            largest = max(largest, move)
        flux_b = (
            skin[1, S_Q] + skin[1, S_NEAR] * cells[1, n - 1] * x[n - 1] + skin[1, S_NEXT] * cells[1, n - 2] * x[n - 2]
        )
        flux_a = skin[0, S_Q] + skin[0, S_NEAR] * cells[1, 0] * x[0] + skin[0, S_NEXT] * cells[1, 1] * x[1]
        drawn_a, drawn_b = drawn_next(skin[0], cells[1], x), drawn_next(skin[1], cells[1], x)
        read_cells(guess, w, body, cells[0], cells[1], cells[2])
        both_faces(w, shed_a, shed_b, t, faces, grid, body, cells[0], cells[2], skin, air[A_SHARE])
        off = CURVATURE * largest * largest
        for i in range(n):
            off = max(off, abs(cells[0, i] - work.linear[i]))
        per = beta / body.c_wet
        off = max(
            off, (abs(skin[1, S_Q] - flux_b) + abs(skin[1, S_DRAWN] - drawn_b)) * grid.area[n] * measure[1, n - 1] * per
        )
        heat = (flux_b - drawn_b) * grid.area[n]
        if not grid.closed_a:
            off = max(
                off, (abs(skin[0, S_Q] - flux_a) + abs(skin[0, S_DRAWN] - drawn_a)) * grid.area[0] * measure[1, 0] * per
            )
            heat += (flux_a - drawn_a) * grid.area[0]
        unsettled = 0.0
        if air[A_LEAK] > 0.0:
            before = air[A_SHARE]
            given, less = given_off(air, t, faces, grid, skin, per_volume)
            settle(air, beta, given, less)
            unsettled = AIR_WEIGHT_K * abs(air[A_SHARE] - before)
        if unsettled < tol and (largest < tol or off < tol):
            for i in range(n):
                reached[i] = (guess[i] - base[i]) / beta
            return True, heat
    return False, heat


@leaf
def of_faces(skin: Array) -> tuple[float, float, float, float, float, float]:
    """Temperatures (°C), evaporation and steam (kg/(m² s)) of both faces, a before b."""
    return (
        skin[0, S_T],
        skin[1, S_T],
        skin[0, S_EVAPORATION],
        skin[1, S_EVAPORATION],
        skin[0, S_STEAM],
        skin[1, S_STEAM],
    )


@njit(cache=True, nogil=True)
def run_stage(
    y: Array,
    t0: float,
    duration: float,
    faces: Array,
    grid: Grid,
    body: Body,
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
    """Advance a piece through one stage, in place.

    ``longest`` is the longest step to record, s; 0 records nothing. ``stops`` are absolute times (s)
    to be met exactly; ``store``/``store_t`` keep the state after each step when they have rows. Returns end time, what ended it, the highest core met with its
    time, and how many states were stored.
    """
    n = grid.n
    rows = crit.row_c.size
    last_one = y.size - 1  # the oven's share of vapour
    h = y[:n].copy()
    w = y[n : 2 * n]
    row = np.empty((11, n))
    f1, y2, y3, base, f2, f3, error, temp0 = row[0], row[1], row[2], row[3], row[4], row[5], row[6], row[7]
    work = Work(np.empty((3, n)), np.empty((3, n)), np.empty((4, n)), row[8], row[9], row[10], error)
    temp1, slope1 = work.cells[0], work.cells[1]
    measure = measures(grid, body.length)
    tracking = until == UNTIL_LOG10 or until == UNTIL_RULE or rows > 0 or crit.d_ref > 0.0
    t = t0
    end = t0 + duration
    spent = record.filled
    air = air_of(faces, y[last_one])
    per_volume = 1.0 / (grid.volume.sum() * body.length)
    share, share_rate = y[last_one], 0.0
    skin = np.zeros((2, N_SKIN))
    read_cells(h, w, body, temp0, work.cells[1], work.cells[2])
    skin[0, S_T], skin[1, S_T] = 1.5 * temp0[0] - 0.5 * temp0[1], 1.5 * temp0[n - 1] - 0.5 * temp0[n - 2]
    heat1 = rates(h, w, y[2 * n], y[2 * n + 1], 0.0, faces, grid, body, measure, work.cells, work.band, f1, skin, share)
    if air[A_LEAK] > 0.0:
        given, _ = given_off(air, 0.0, faces, grid, skin, per_volume)
        share_rate = air_rate(air, share, given)
    temp0[:] = temp1
    ts_a, ts_b, ev_a1, ev_b1, st_a1, st_b1 = of_faces(skin)
    core = core_of(temp0, grid)
    rate = core_of(f1 * slope1, grid)
    peak, peak_t = core, t0
    stored = 0
    if store_t.size > 0:
        store[0, :] = y
        store_t[0] = t
        stored = 1
    wanted = core
    if until == UNTIL_SURFACE:
        wanted = ts_a
    elif until == UNTIL_MEAN:
        wanted = mean_temperature(temp0, w, grid.mean, body)
    below = wanted < value
    if (until == UNTIL_CORE or until == UNTIL_SURFACE or until == UNTIL_MEAN) and wanted == value:
        return t, until, peak, peak_t, stored
    if until == UNTIL_RULE and y[3 * n + 4 : 4 * n + 4].min() >= 1.0:
        return t, until, peak, peak_t, stored
    if until == UNTIL_LOG10 and y[2 * n + 4 : 3 * n + 4].min() >= value:
        return t, until, peak, peak_t, stored
    first = min(grid.volume[0] / max(grid.area[0], 1e-9), grid.volume[n - 1] / grid.area[n]) * body.length
    dt = min(max(0.1 * first * first / 1.5e-7, 1e-4), duration)
    recording = longest > 0.0
    largest = longest if recording else duration
    stop_i = 0
    while stop_i < stops.size and stops[stop_i] <= t + 1e-9:
        stop_i += 1
    ended = UNTIL_TIME
    trial_tau = -1.0
    tries = 0
    smooth = 0  # steps taken in a row without a rejection: then an explicit guess is a good one
    while t < end - 1e-9:
        step, clipped = next_step(t, min(dt, largest), end, stops, stop_i, trial_tau)
        clock = t - t0
        record.filled[3] += 1
        if spent[WORK] > spent[LIMIT]:
            return t, SPENT, peak, peak_t, stored
        beta = step * D_
        air[A_SHARE], air[A_BASE] = share, share + beta * share_rate
        for i in range(n):
            base[i] = h[i] + beta * f1[i]
            y2[i] = h[i] + GAMMA * step * f1[i] if smooth >= 3 else h[i]
        shed_a, shed_b = y[2 * n] + GAMMA * step * ev_a1, y[2 * n + 1] + GAMMA * step * ev_b1
        ok, heat2 = newton(base, beta, y2, w, shed_a, shed_b, clock + GAMMA * step, faces, grid, body, measure, 0.1 * tol, work, skin, f2, air, per_volume, spent)  # fmt: skip
        _, _, ev_a2, ev_b2, st_a2, st_b2 = of_faces(skin)
        share_rate2 = (air[A_SHARE] - air[A_BASE]) / beta
        air[A_BASE] = share + step * W_ * (share_rate + share_rate2)
        if ok:
            for i in range(n):
                base[i] = h[i] + step * W_ * (f1[i] + f2[i])
                y3[i] = y2[i] + (y2[i] - h[i]) * (1.0 - GAMMA) / GAMMA
            shed_a, shed_b = y[2 * n] + 0.5 * step * (ev_a1 + ev_a2), y[2 * n + 1] + 0.5 * step * (ev_b1 + ev_b2)
            ok, heat3 = newton(base, beta, y3, w, shed_a, shed_b, clock + step, faces, grid, body, measure, 0.1 * tol, work, skin, f3, air, per_volume, spent)  # fmt: skip
            ts_a2, ts_b2, ev_a3, ev_b3, st_a3, st_b3 = of_faces(skin)
        if not ok:
            skin[0, S_T], skin[1, S_T] = ts_a, ts_b
            dt = 0.25 * step
            trial_tau = -1.0
            smooth = 0
            if dt < 1e-8:
                return t, FAILED, peak, peak_t, stored
            continue
        for i in range(n):
            base[i] = step * ((1.0 - 4.0 * W_) / 3.0 * f1[i] + f2[i] / 3.0 - 2.0 * D_ / 3.0 * f3[i])
        solve(base, work.factors[0], work.factors[1], work.factors[2], work.factors[3], error)
        size = 0.0
        for i in range(n):
            size = max(size, abs(error[i]) * slope1[i] * (IN_A_CRUST if w[i] < body.water else 1.0))
        share_rate3 = (air[A_SHARE] - air[A_BASE]) / beta
        if air[A_LEAK] > 0.0:
            off = step * ((1.0 - 4.0 * W_) / 3.0 * share_rate + share_rate2 / 3.0 - 2.0 * D_ / 3.0 * share_rate3)
            size = max(size, AIR_WEIGHT_K * abs(off) / (1.0 + beta * air[A_LEAK]))
        size = max(size / tol, 1e-6)
        factor = 0.9 * size ** (-1.0 / 3.0)
        if size > 1.0 and step > 1e-7:
            dt = step * max(factor, 0.2)
            trial_tau = -1.0
            smooth = 0
            continue
        rate1 = 0.0
        for i in range(grid.core_lo, grid.core_hi):
            rate1 += grid.core[i] * slope1[i] * f3[i]
        core1 = core_of(temp1, grid)
        wanted1 = core1
        if until == UNTIL_SURFACE:
            wanted1 = ts_a2
        elif until == UNTIL_MEAN:
            wanted1 = mean_temperature(temp1, w, grid.mean, body)
        watching = until == UNTIL_CORE or until == UNTIL_SURFACE or until == UNTIL_MEAN
        if watching and (wanted1 < value) != below and abs(wanted1 - value) > 2e-4 and tries < 12:
            # the wanted moment lies inside this step: take the step again, shorter
            tries += 1
            if until == UNTIL_CORE and tries == 1:
                trial_tau = hermite_root(wanted, rate, wanted1, rate1, step, value)
            else:
                trial_tau = step * (value - wanted) / (wanted1 - wanted)
            trial_tau = min(max(trial_tau, 1e-6 * step), 0.999999 * step)
            continue
        # the step stands
        smooth += 1
        if not clipped and trial_tau < 0.0:
            dt = step * min(factor, 4.0)
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
        y[2 * n] = max(y[2 * n] + step * (W_ * (ev_a1 + ev_a2) + D_ * ev_a3), -FILM)
        y[2 * n + 1] = max(y[2 * n + 1] + step * (W_ * (ev_b1 + ev_b2) + D_ * ev_b3), -FILM)
        y[2 * n + 2] += step * (W_ * (heat1 + heat2) + D_ * heat3)
        boiled = False
        boiled_off = 0.0  # kg per unit grid area
        if body.water > 0.0:
            # water that boils off dries a face as water that evaporates does
            steam_b = step * (W_ * (st_b1 + st_b2) + D_ * st_b3)
            y[2 * n + 1] += steam_b
            boiled_off += steam_b * grid.area[n]
            w[n - 1] = max(w[n - 1] - steam_b * grid.area[n] / (grid.volume[n - 1] * body.length), 0.0)
            if not grid.closed_a:
                steam_a = step * (W_ * (st_a1 + st_a2) + D_ * st_a3)
                y[2 * n] += steam_a
                boiled_off += steam_a * grid.area[0]
                w[0] = max(w[0] - steam_a * grid.area[0] / (grid.volume[0] * body.length), 0.0)
            for i in range(n):
                excess = y3[i] - body.boil_h
                if excess > 0.0 and w[i] > 0.0:
                    boiled = True
                    gone = min(excess / LATENT_BOILING, w[i])
                    w[i] -= gone
                    y3[i] -= gone * LATENT_BOILING
                    boiled_off += gone * grid.volume[i] * body.length
                    y[2 * n + 3] += gone * LATENT_BOILING * grid.volume[i] * body.length
                    if grid.closed_a or i >= n // 2:
                        y[2 * n + 1] += gone * grid.volume[i] * body.length / grid.area[n]
                    else:
                        y[2 * n] += gone * grid.volume[i] * body.length / grid.area[0]
                    if w[i] < 1e-6 * body.water:
                        w[i] = 0.0
        t += step
        for i in range(n):
            h[i] = y3[i]
            y[i] = y3[i]
            f1[i] = f3[i]
            base[i] = temp0[i]
            temp0[i] = temp1[i]
        core, rate, wanted = core1, rate1, wanted1
        ts_a, ts_b, heat1, ev_a1, ev_b1, st_a1, st_b1 = ts_a2, ts_b2, heat3, ev_a3, ev_b3, st_a3, st_b3
        if boiled or st_a3 > 0.0 or st_b3 > 0.0:
            heat1 = rates(
                h,
                w,
                y[2 * n],
                y[2 * n + 1],
                t - t0,
                faces,
                grid,
                body,
                measure,
                work.cells,
                work.band,
                f1,
                skin,
                air[A_SHARE],
            )
            temp0[:] = temp1
            ts_a, ts_b, ev_a1, ev_b1, st_a1, st_b1 = of_faces(skin)
        if air[A_LEAK] > 0.0:
            share = air[A_SHARE]
            y[last_one] = share
            # what boils comes step by step: the air takes it in over the next one
            air[A_STEAM] = room(air, t - t0, faces) * boiled_off * per_volume / step
            given, _ = given_off(air, t - t0, faces, grid, skin, per_volume)
            share_rate = air_rate(air, share, given)
        if tracking:  # with the temperatures that are recorded, so that a judge of the record agrees
            accumulate(y, base, temp0, step, n, 2 * n + 4, crit)
            spent[WORK] += n * (CLOCK_NS + ROW_NS * rows)
        if recording:
            row = record.filled[0]
            if row < record.t.size:
                record.t[row] = t
                record.core[row] = core
                record.mean[row] = mean_temperature(temp0, w, grid.mean, body)
                record.surface_a[row] = ts_a
                record.surface_b[row] = ts_b
                if record.field.shape[1] == n:
                    record.field[row, :] = temp0
                record.filled[0] = row + 1
            else:
                record.filled[1] += 1
        if stored > 0:
            stored = keep_state(y, t, store, store_t, stored)
        while stop_i < stops.size and t >= stops[stop_i] - 1e-9:
            stop_i += 1
        if until == UNTIL_CORE or until == UNTIL_SURFACE or until == UNTIL_MEAN:
            if (wanted < value) != below or abs(wanted - value) <= 2e-4:
                ended = until
                break
        elif until == UNTIL_TURN:
            if rate < 0.0:
                break
        elif until == UNTIL_RULE:
            if y[3 * n + 4 : 4 * n + 4].min() >= 1.0:
                ended = until
                break
            largest = max(1.0, min(time_to_met(y, n, 2 * n + 4, crit), max(5.0, 0.005 * (t - t0))))
        elif until == UNTIL_LOG10:
            have = y[2 * n + 4 : 3 * n + 4].min()
            if have >= value:
                ended = until
                break
            if have > 0.8 * value:
                largest = max(5.0, 0.005 * (t - t0))
    return t, ended, peak, peak_t, stored
