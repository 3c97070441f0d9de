"""A one-dimensional piece through one stage, with what may end it. Compiled."""

from __future__ import annotations

from typing import Any

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.cells import mean_temperature, read_cells
from ember_core.heat.solver.compiled import Stepper, inlined, leaf
from ember_core.heat.solver.ending import (
    FAILED,
    GOES_ON,
    MOST_TRIES,
    SPENT,
    UNTIL_MEAN,
    UNTIL_SURFACE,
    UNTIL_SURFACE_B,
    UNTIL_TIME,
    aim,
    already,
    end_of,
    needs_clocks,
    stepped_over,
    watched_face,
)
from ember_core.heat.solver.line_rates import Line, core_of, line_of
from ember_core.heat.solver.line_step import BEGIN, END, Room, accept, dry_in, error_of, fill, look, new_room, take_step
from ember_core.heat.solver.recording import keep_row, keep_store
from ember_core.heat.solver.stepping import (
    CLOCK_NS,
    LEAST_ERROR,
    ROW_NS,
    SAME_S,
    SHORTEST_S,
    accumulate,
    highest,
    keep_state,
    next_step,
    next_stop,
)
from ember_core.heat.solver.types import Case, Record, Rows, State, view

# the error grows with the step's third power; the next one aims so far within the tolerance, and changes so much at most
WITHIN, MOST_CUT, MOST_GROWTH = 0.9, 0.2, 4.0
# a step ends so far past the moment at which a cell has lost its water, and is not shorter than that for it, s; the next one is so many
# first steps long: the front of boiling jumps to the next cell then
PAST, AFTER_A_JUMP, LEAST_S = 1.02, 8.0, 1e-4
DIFFUSIVITY = 1.5e-7  # m²/s, of food, about: for the first step


@inlined
def wanted_of(until: int, surface: float, water: Array, temp: Array, line: Line) -> float:
    """The temperature (°C) that a stage waits for, the core's if for none.

    Parameters
    ----------
    until : int
        What is waited for.
    surface : float
        Of the face that is watched, °C.
    water, temp : ndarray (cells,)
        Left, kg/m³; °C.
    line : Line
    """
    if until == UNTIL_SURFACE or until == UNTIL_SURFACE_B:
        return float(surface)
    if until == UNTIL_MEAN:
        return mean_temperature(temp, water, line.grid.mean, line.body)
    return core_of(temp, line.grid)


@leaf
def first_step(line: Line) -> float:
    """Length of the first step, s, by the thickness of the outermost cells."""
    grid = line.grid
    n = grid.n
    thin = min(grid.volume[0] / max(grid.area[0], 1e-9), grid.volume[n - 1] / grid.area[n]) * line.body.length
    return float(max(0.1 * thin * thin / DIFFUSIVITY, 1e-4))


@inlined
def core_rate(slope: Array, rate: Array, line: Line) -> float:
    """How fast the core changes, K/s, by dT/dH (K m³/J) and rates (W/m³) of the cells."""
    grid = line.grid
    total = 0.0
    for i in range(grid.core_lo, grid.core_hi):
        total += grid.core[i] * slope[i] * rate[i]
    return total


@inlined
def look_from_inside(enthalpy: Array, water: Array, line: Line, room: Room) -> None:
    """Set the faces' temperatures (°C) to where the two nearest cells point, from enthalpies (J/m³) and water left (kg/m³)."""
    n = line.grid.n
    cells = room.work.cells
    read_cells(enthalpy, water, line.body, cells.temperature, cells.slope, cells.kappa)
    temp = cells.temperature
    room.skin[BEGIN, 0].t_c = 1.5 * temp[0] - 0.5 * temp[1]
    room.skin[BEGIN, 1].t_c = 1.5 * temp[n - 1] - 0.5 * temp[n - 2]


@inlined
def record_step(record: Record, t: float, core: float, state: State, line: Line, room: Room) -> None:
    """Record the state at ``t`` s.

    Parameters
    ----------
    record : Record
        Receives it.
    t, core : float
        s, °C.
    state, line, room : State, Line, Room
        The piece and its temperatures.
    """
    mean = mean_temperature(room.before, state.water, line.grid.mean, line.body)
    row = keep_row(record, t, core, mean, room.skin[BEGIN, 0].t_c, room.skin[BEGIN, 1].t_c)
    keep_store(record, row, room.store[0].t_c, room.taking[BEGIN], room.store[0].capacity)
    if row >= 0:
        first = 0.0 if line.grid.closed_a else line.grid.area[0]
        last = line.grid.area[line.grid.n]
        record.shed[row] = max(state.shed[0], 0.0) * first + max(state.shed[1], 0.0) * last
    if row >= 0 and record.field.shape[1] == line.grid.n:
        for i in range(line.grid.n):
            record.field[row, i] = room.before[i]


def run_stage(
    y: Array,
    t0: float,
    duration: float,
    faces: Rows,
    case: Case,
    until: int,
    value: float,
    longest: float,
    record: Record,
    stops: Array,
    store: Array,
    store_t: Array,
) -> tuple[float, int, float, float, int]:
    """Advance a piece through one stage, in place.

    Parameters
    ----------
    y : ndarray
        The flat state.
    t0, duration : float
        Begin and longest duration of the stage, s.
    faces : two rows of FACE or more
        What faces a and b meet.
    case : Case
    until, value : int, float
        What may end the stage earlier, see :mod:`ember_core.heat.solver.ending`.
    longest : float
        The longest step to record, s; 0 records nothing, and below it steps are no longer than that but not recorded.
    record : Record
    stops : ndarray
        Absolute times, s, to be met exactly.
    store, store_t : ndarray
        Keep the state after each step when they have rows.

    Returns
    -------
    tuple
        End time (s), what ended it, the highest core met (°C) with its time (s), and how many states were stored.
    """
    crit, tol = case.criterion, case.tolerance_k
    grid: Any = case.grid  # a Grid
    body: Any = case.body  # a Body
    rows = crit.row_c.size
    line = line_of(grid, body)
    state = view(y, grid.n, 2, rows)
    tracking = needs_clocks(until, crit)
    room = new_room(grid.n, faces, state.vapour[0], state.medium[0])
    temp, slope, tally = room.work.cells.temperature, room.work.cells.slope, record.tally
    look_from_inside(state.enthalpy, state.water, line, room)
    look(state, 0.0, faces, line, room)
    fill(state, 0.0, faces, line, room, case.others, t0)
    t, end = t0, t0 + duration
    core, rate = core_of(room.before, grid), core_rate(slope, room.rate[BEGIN], line)
    peak, peak_t = core, t0
    stored = keep_state(y, t, store, store_t, 0)
    wanted = wanted_of(until, room.skin[BEGIN, watched_face(until)].t_c, state.water, room.before, line)
    below = wanted < value
    if already(until, value, wanted, state):
        return t, until, peak, peak_t, stored
    dt = min(first_step(line), duration)
    restart, drying = AFTER_A_JUMP * dt, np.inf
    largest = abs(longest) if longest != 0.0 else duration
    allowed = largest
    stop_i = next_stop(stops, 0, t)
    aimed, tries = -1.0, 0  # a step towards a wanted moment, and how many were tried
    smooth = 0  # steps taken in a row without a rejection: then an explicit guess is a good one
    while t < end - SAME_S:
        step, clipped = next_step(t, min(dt, allowed, max(PAST * drying, LEAST_S)), end, stops, stop_i, aimed)
        clock = t - t0
        tally[0].steps += 1
        if tally[0].work > tally[0].limit:
            return t, SPENT, peak, peak_t, stored
        if not take_step(state, clock, step, smooth >= 3, faces, line, tol, room, tally, case.others, t0):
            dt, aimed, smooth = 0.25 * step, -1.0, 0
            if dt < SHORTEST_S:
                return t, FAILED, peak, peak_t, stored
            continue
        size = max(error_of(state.water, step, line, room) / tol, LEAST_ERROR)
        factor = WITHIN * size ** (-1.0 / 3.0)
        if size > 1.0 and step > 1e-7:
            dt, aimed, smooth = step * max(factor, MOST_CUT), -1.0, 0
            continue
        core1, rate1 = core_of(temp, grid), core_rate(slope, room.rate[END], line)
        wanted1 = wanted_of(until, room.skin[END, watched_face(until)].t_c, state.water, temp, line)
        if stepped_over(until, value, below, wanted1) and tries < MOST_TRIES:
            tries += 1
            aimed = aim(until, value, tries, step, wanted, rate, wanted1, rate1)
            continue
        smooth += 1
        if not clipped and aimed < 0.0:
            dt = step * min(factor, MOST_GROWTH)
        elif factor < 1.0:
            dt = step * factor
        aimed, tries = -1.0, 0
        peak, peak_t = highest(peak, peak_t, t, step, core, rate, core1, rate1)
        boiled = accept(state, clock, step, faces, line, room, case.others, t0)
        if step >= drying:
            dt = min(dt, restart)
        drying = dry_in(state, line, room) if boiled else np.inf
        room.front[0] = 1.0 if boiled else 0.0
        t += step
        core, rate, wanted = core1, rate1, wanted1
        if tracking:  # with the temperatures that are recorded, so that a judge of the record agrees
            accumulate(state, room.base, room.before, step, crit)
            tally[0].work += grid.n * (CLOCK_NS + ROW_NS * rows)
        if longest > 0.0:
            record_step(record, t, core, state, line, room)
        stored = keep_state(y, t, store, store_t, stored)
        stop_i = next_stop(stops, stop_i, t)
        ended, short = end_of(until, value, below, wanted, rate, t - t0, state, crit)
        if ended != GOES_ON:
            return t, ended, peak, peak_t, stored
        allowed = min(largest, short)
    return t, UNTIL_TIME, peak, peak_t, stored


LINE_STAGE = Stepper(run_stage)
