"""One time step of a one-dimensional piece: TR-BDF2, its error, the water that boils off. Compiled.

TR-BDF2 (Bank et al. 1985; Hosea & Shampine 1996, *Appl. Numer. Math.* 20:21) is L-stable and of second order, with its
own third-order error estimate. A step has a middle, at the share ``GAMMA``, and an end.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ember_core.constants import LATENT_BOILING
from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import inlined, kernel, leaf
from ember_core.heat.solver.line_rates import Line, given_off, rates, taken_of
from ember_core.heat.solver.newton import Work, new_work, newton
from ember_core.heat.solver.oven_air import AIR_WEIGHT_K, air_of, air_rate, room
from ember_core.heat.solver.reservoir import reservoir_of, see_others, warming
from ember_core.heat.solver.surface import FILM
from ember_core.heat.solver.tridiagonal import solve
from ember_core.heat.solver.types import SKIN, Others, Rows, State

GAMMA = 2.0 - np.sqrt(2.0)
D_ = GAMMA / 2.0
W_ = np.sqrt(2.0) / 4.0
IN_A_CRUST = 0.05  # weight of the error in cells that dry: they are thin, and their kinks cost many steps
STORE_WEIGHT = 0.3  # of the error of a store's temperature: the pieces feel a part of it
NEWTON_SHARE = 0.1  # of the step's tolerance
LEAST_WATER = 1e-6  # of a cell's own; with less it is dry
# while a front of boiling runs inwards, it jumps from cell to cell: of the swing that leaves behind so much counts
AT_A_FRONT = 0.15
BEGIN, MIDDLE, END = 0, 1, 2  # of a step: rows of ``skin``, ``heat`` and ``filling``


class Room(NamedTuple):
    """Room for the steps of one stage."""

    rate: Array  # begin, middle, end × cells: rates of the enthalpies, W/m³
    middle: Array  # enthalpies there, J/m³
    end: Array
    base: Array
    error: Array
    before: Array  # temperatures at the step's begin, °C
    work: Work  # its cells are those of the step's end
    skin: Rows  # begin, middle, end × two rows of SKIN
    heat: Array  # coming in at begin, middle and end, W per unit grid area
    air: Rows
    filling: Array  # rate of the share of vapour at begin, middle and end, 1/s
    shed: Array  # what the faces have lost as the middle or the end foresees it, kg/m²
    store: Rows  # one row of RESERVOIR
    warming: Array  # rate of its temperature at begin, middle and end, K/s
    taking: Array  # from it by all pieces, W
    front: Array  # one number, above 0 while a front of boiling runs inwards


@kernel
def new_room(n: int, faces: Rows, share: float, stored: float) -> Room:
    """Room for ``n`` cells; an oven's air begins with the ``share`` of vapour, a medium's store at ``stored`` °C."""
    rows = np.empty((5, n))
    return Room(
        np.empty((3, n)), rows[0], rows[1], rows[2], rows[3], rows[4], new_work(n), np.zeros((3, 2), SKIN), np.zeros(3),
        air_of(faces, share), np.zeros(3), np.empty(2), reservoir_of(faces, stored), np.zeros(3), np.zeros(3),
        np.zeros(1),
    )  # fmt: skip


@inlined
def look(state: State, clock: float, faces: Rows, line: Line, room_: Room) -> None:
    """Find the rates at a step's begin, from the state; ``clock`` s into the stage.

    Parameters
    ----------
    state : State
        Left as it is.
    clock : float
        Into the stage, s.
    faces, line, room_
        What is met; the piece; receives what is found.
    """
    skin = room_.skin[BEGIN]
    room_.heat[BEGIN] = rates(
        state.enthalpy, state.water, state.shed, clock, faces, line, room_.work.cells, room_.rate[BEGIN], skin,
        state.vapour[0], state.medium[0],
    )  # fmt: skip
    for i in range(room_.before.size):
        room_.before[i] = room_.work.cells.temperature[i]


@inlined
def fill(state: State, clock: float, faces: Rows, line: Line, room_: Room, others: Others, t0: float) -> None:
    """Find how fast an oven's air fills at a step's begin, and how fast a medium with a store warms.

    Parameters
    ----------
    state : State
        Its share of vapour and its medium count.
    clock : float
        Into the stage, s.
    faces, line, room_
        What is met; the piece; receives the rate.
    others, t0 : Others, float
        What else lies in a medium with a store; the stage's begin, s.
    """
    air = room_.air
    if air[0].leak > 0.0:
        given, _ = given_off(air, clock, faces, line, room_.skin[BEGIN])
        room_.filling[BEGIN] = air_rate(air, state.vapour[0], given)
    store = room_.store
    if store[0].capacity > 0.0:
        see_others(store, others, t0 + clock)
        room_.taking[BEGIN], _ = taken_of(store, faces, line, room_.skin[BEGIN])
        room_.warming[BEGIN] = warming(store, state.medium[0], room_.taking[BEGIN])


@inlined
def take_step(
    state: State, clock: float, step: float, smooth: bool, faces: Rows, line: Line, tol: float, room_: Room, tally: Rows,
    others: Others, t0: float,
) -> bool:  # fmt: skip
    """Try a step from the state; whether both of its iterations converged.

    Parameters
    ----------
    state : State
        Left as it is.
    clock, step : float
        Into the stage, and the step's length, s.
    smooth : bool
        Whether the middle is guessed by the rates at the begin.
    faces, line, room_, tally
        What is met; the piece; receives the step; counts the work.
    tol : float
        K.
    others, t0 : Others, float
        What else lies in a medium with a store; the stage's begin, s.
    """
    n = line.grid.n
    h, w, air, skin, rate = state.enthalpy, state.water, room_.air, room_.skin, room_.rate
    base, middle, end, shed = room_.base, room_.middle, room_.end, room_.shed
    tol = NEWTON_SHARE * tol
    beta = step * D_
    air[0].share, air[0].base = state.vapour[0], state.vapour[0] + beta * room_.filling[BEGIN]
    store = room_.store
    store[0].t_c, store[0].base = state.medium[0], state.medium[0] + beta * room_.warming[BEGIN]
    for i in range(n):
        base[i] = h[i] + beta * rate[BEGIN, i]
        middle[i] = h[i] + GAMMA * step * rate[BEGIN, i] if smooth else h[i]
    for side in range(2):
        skin[MIDDLE, side] = skin[BEGIN, side]
        shed[side] = state.shed[side] + GAMMA * step * skin[BEGIN, side].evaporation
    see_others(store, others, t0 + clock + GAMMA * step)
    ok, room_.heat[MIDDLE] = newton(
        line, faces, clock + GAMMA * step, w, shed, base, beta, middle, rate[MIDDLE], tol, room_.work, skin[MIDDLE], air, store,
        tally,
    )  # fmt: skip
    if not ok:
        return False
    room_.filling[MIDDLE] = (air[0].share - air[0].base) / beta
    air[0].base = state.vapour[0] + step * W_ * (room_.filling[BEGIN] + room_.filling[MIDDLE])
    room_.warming[MIDDLE], room_.taking[MIDDLE] = (store[0].t_c - store[0].base) / beta, store[0].taken
    store[0].base = state.medium[0] + step * W_ * (room_.warming[BEGIN] + room_.warming[MIDDLE])
    for i in range(n):
        base[i] = h[i] + step * W_ * (rate[BEGIN, i] + rate[MIDDLE, i])
        end[i] = middle[i] + (middle[i] - h[i]) * (1.0 - GAMMA) / GAMMA
    for side in range(2):
        skin[END, side] = skin[MIDDLE, side]
        lost = skin[BEGIN, side].evaporation + skin[MIDDLE, side].evaporation
        shed[side] = state.shed[side] + 0.5 * step * lost
    see_others(store, others, t0 + clock + step)
    ok, room_.heat[END] = newton(
        line, faces, clock + step, w, shed, base, beta, end, rate[END], tol, room_.work, skin[END], air, store, tally
    )
    room_.filling[END] = (air[0].share - air[0].base) / beta
    room_.warming[END], room_.taking[END] = (store[0].t_c - store[0].base) / beta, store[0].taken
    return ok


@inlined
def error_of(water: Array, step: float, line: Line, room_: Room) -> float:
    """Error of the step just taken (s long), K: the largest of any cell, or what the oven's air is off by."""
    rate, error, slope = room_.rate, room_.error, room_.work.cells.slope
    begin, middle, end = (1.0 - 4.0 * W_) / 3.0, 1.0 / 3.0, -2.0 * D_ / 3.0
    for i in range(error.size):
        room_.base[i] = step * (begin * rate[BEGIN, i] + middle * rate[MIDDLE, i] + end * rate[END, i])
    solve(room_.base, room_.work.factors, error)
    size = 0.0
    wet = AT_A_FRONT if room_.front[0] > 0.0 else 1.0
    for i in range(error.size):
        size = max(size, abs(error[i]) * slope[i] * (IN_A_CRUST if water[i] < line.body.water else wet))
    leak = room_.air[0].leak
    if leak > 0.0:
        off = step * (begin * room_.filling[BEGIN] + middle * room_.filling[MIDDLE] + end * room_.filling[END])
        size = max(size, AIR_WEIGHT_K * abs(off) / (1.0 + step * D_ * leak))
    if room_.store[0].capacity > 0.0:
        off = step * (begin * room_.warming[BEGIN] + middle * room_.warming[MIDDLE] + end * room_.warming[END])
        size = max(size, STORE_WEIGHT * abs(off))
    return size


@inlined
def boil_off(state: State, step: float, line: Line, room_: Room) -> tuple[bool, float]:
    """Take the water out that boiled in a step (s); whether any cell boiled, and how much, kg per unit grid area.

    It dries a face as water that evaporates does: at the faces what was driven off there, of a cell the nearest one.
    """
    grid, body, w, skin, end = line.grid, line.body, state.water, room_.skin, room_.end
    n = grid.n
    boiled, total = False, 0.0
    for side in range(1 if grid.closed_a else 0, 2):
        near, area = (n - 1, grid.area[n]) if side == 1 else (0, grid.area[0])
        steam = step * (W_ * (skin[BEGIN, side].steam + skin[MIDDLE, side].steam) + D_ * skin[END, side].steam)
        state.shed[side] += steam
        total += steam * area
        w[near] = max(w[near] - steam * area * line.per_volume[near], 0.0)
    for i in range(n):
        excess = end[i] - body.boil_h
        if excess > 0.0 and w[i] > 0.0:
            boiled = True
            gone = min(excess / LATENT_BOILING, w[i])
            w[i] -= gone
            end[i] -= gone * LATENT_BOILING
            mass = gone * grid.volume[i] * body.length
            total += mass
            state.heat[1] += mass * LATENT_BOILING
            side, area = (1, grid.area[n]) if grid.closed_a or i >= n // 2 else (0, grid.area[0])
            state.shed[side] += mass / area
            if w[i] < LEAST_WATER * body.water:
                w[i] = 0.0
    return boiled, total


@inlined
def accept(
    state: State, clock: float, step: float, faces: Rows, line: Line, room_: Room, others: Others, t0: float
) -> bool:
    """Make the step just taken the state, from ``clock`` s into the stage; temperatures before and after stay in the room.

    Returns whether anything boiled.

    Parameters
    ----------
    state : State
        Receives it.
    clock, step : float
        Into the stage at the step's begin, and its length, s.
    faces, line, room_
        What is met; the piece; the step.
    others, t0 : Others, float
        What else lies in a medium with a store; the stage's begin, s.
    """
    skin, cells, air = room_.skin, room_.work.cells, room_.air
    for side in range(2):
        lost = W_ * (skin[BEGIN, side].evaporation + skin[MIDDLE, side].evaporation) + D_ * skin[END, side].evaporation
        state.shed[side] = max(state.shed[side] + step * lost, -FILM)
    state.heat[0] += step * (W_ * (room_.heat[BEGIN] + room_.heat[MIDDLE]) + D_ * room_.heat[END])
    boiled, boiled_off = False, 0.0
    if line.body.water > 0.0:
        boiled, boiled_off = boil_off(state, step, line, room_)
    for i in range(room_.end.size):
        state.enthalpy[i] = room_.end[i]
        room_.rate[BEGIN, i] = room_.rate[END, i]
        room_.base[i] = room_.before[i]
        room_.before[i] = cells.temperature[i]
    for side in range(2):
        skin[BEGIN, side] = skin[END, side]
    room_.heat[BEGIN] = room_.heat[END]
    if air[0].leak > 0.0:
        share = air[0].share
        # what boils comes step by step: the air takes it in over the next one
        air[0].steam = room(air, clock + step, faces) * boiled_off * line.per_piece / step
        state.vapour[0] = share
    if room_.store[0].capacity > 0.0:
        state.medium[0] = room_.store[0].t_c
        state.heat[2] += step * (W_ * (room_.taking[BEGIN] + room_.taking[MIDDLE]) + D_ * room_.taking[END])
    # what boils inside is known to the step itself, what a face gives off as steam is not
    if skin[END, 0].steam > 0.0 or skin[END, 1].steam > 0.0:
        boiled = True
        look(state, clock + step, faces, line, room_)
    fill(state, clock + step, faces, line, room_, others, t0)
    return boiled


@leaf
def dry_in(state: State, line: Line, room_: Room) -> float:
    """In how many seconds the next cell that boils will have lost its water, at the rate it does now; infinity without one."""
    grid, body, skin = line.grid, line.body, room_.skin[BEGIN]
    n = grid.n
    soonest = np.inf
    for i in range(n):
        if state.water[i] > 0.0 and state.enthalpy[i] >= body.boil_h:
            going = room_.rate[BEGIN, i] / LATENT_BOILING
            if going > 0.0:
                soonest = min(soonest, state.water[i] / going)
    for side in range(1 if grid.closed_a else 0, 2):
        near, area = (n - 1, grid.area[n]) if side == 1 else (0, grid.area[0])
        going = skin[side].steam * area * line.per_volume[near]
        if going > 0.0 and state.water[near] > 0.0:
            soonest = min(soonest, state.water[near] / going)
    return soonest
