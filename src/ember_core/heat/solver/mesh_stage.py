"""A piece on a mesh through one stage, with what may end it. Compiled."""

from __future__ import annotations

from typing import Any

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.chebyshev import longest_stable
from ember_core.heat.solver.compiled import Stepper, leaf
from ember_core.heat.solver.ending import (
    FAILED,
    GOES_ON,
    MOST_TRIES,
    SPENT,
    UNTIL_LOG10,
    UNTIL_MEAN,
    UNTIL_RULE,
    UNTIL_SURFACE,
    UNTIL_SURFACE_B,
    UNTIL_TIME,
    aim,
    already,
    end_of,
    needs_clocks,
    stepped_over,
)
from ember_core.heat.solver.mesh_bounds import change_to, to_go
from ember_core.heat.solver.mesh_coupling import Solid, new_coupling, solid_of
from ember_core.heat.solver.mesh_rates import Rates
from ember_core.heat.solver.mesh_samples import Passed, keep_samples
from ember_core.heat.solver.mesh_step import (
    Room,
    accept,
    begin_stage,
    boil,
    error_of,
    new_room,
    prepare,
    take_step,
    work_of,
)
from ember_core.heat.solver.recording import shed_by
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
from ember_core.heat.solver.surface import FILM
from ember_core.heat.solver.types import Case, Record, Rows, State, view

# so far from rest the whole tolerance is used, nearer a share of it, and at least so much; by measuring
FAR_K, CLOSEST = 27.0, 0.015
CRUST_SHARE = 0.5  # of the tolerance is used while anything is dry; by measuring
# a stage has so many steps at least while anything is dry: the damped estimate says too little there
WITH_A_CRUST = 10.0
AT_REST_K = 1e-3  # a piece that would change by less to the end of its stage is at rest
# the error grows with the step's third power; the next one aims so far within the tolerance, and changes so much at most
WITHIN, MOST_CUT, MOST_GROWTH = 0.8, 0.1, 8.0
STABLE, QUICKLY = 0.65, 0.5  # shares of the longest stable step, by the stage's fastest rate and by the step's


@leaf
def mean_now(temp: Array, weight: Array) -> float:
    """The mean, °C, by the nodes' weights."""
    total = 0.0
    for i in range(temp.size):
        total += weight[i] * temp[i]
    return total


@leaf
def wanted_of(until: int, at: Rates, skin: Array, weight: Array, solid: Solid) -> float:
    """The temperature (°C) that a stage waits for, the core's if for none; ``skin`` (patches,) is in °C.

    Parameters
    ----------
    until : int
        What is waited for.
    at : Rates
        Its temperatures count.
    skin, weight : ndarray (patches,), (nodes,)
        °C; shares in the mean.
    solid : Solid
    """
    if until == UNTIL_SURFACE:
        return float(skin[solid.mesh.patch_a])
    if until == UNTIL_SURFACE_B:
        return float(skin[solid.mesh.patch_b])
    if until == UNTIL_MEAN:
        return mean_now(at.temperature, weight)
    return float(at.temperature[solid.mesh.core])


@leaf
def rest_of_stage(state: State, left: float, room: Room) -> None:
    """Let the faces go on to lose what they do for the ``left`` seconds of a stage; nothing else moves any more."""
    for p in range(state.shed.size):
        state.shed[p] = max(state.shed[p] + left * room.end.evaporation[p], -FILM)
    for i in range(room.begin.f.size):
        room.begin.f[i] = 0.0


def run_mesh_stage(
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
    """Advance a piece on a mesh through one stage, in place.

    Parameters and what is returned are those of :func:`ember_core.heat.solver.line_stage.run_stage`; ``faces`` has four
    rows.
    """
    crit, tol = case.criterion, case.tolerance_k
    mesh: Any = case.grid  # a Mesh
    layers: Any = case.body  # Layers
    rows, patches = crit.row_c.size, mesh.s_node.size
    solid = solid_of(mesh, layers)
    state = view(y, mesh.n, patches, rows)
    room, coupling, tally = new_room(mesh, faces, state.vapour[0], state.medium[0]), new_coupling(mesh), record.tally
    tracking = needs_clocks(until, crit)
    begin_stage(state, faces, solid, coupling, room, case.others)
    at, temp, weight = room.step, room.begin.temperature, room.weight
    t, end = t0, t0 + duration
    core = temp[mesh.core]
    rate = room.slope[mesh.core] * room.begin.f[mesh.core]
    peak, peak_t = core, t0
    stored = keep_state(y, t, store, store_t, 0)
    wanted = wanted_of(until, room.begin, room.skin, weight, solid)
    below = wanted < value
    if already(until, value, wanted, state):
        return t, until, peak, peak_t, stored
    dt = min(0.5 / at[0].fastest, duration)
    cap = longest_stable(STABLE, at[0].fastest)
    recording = longest > 0.0
    largest = min(longest, cap) if recording and tracking else cap
    crusted = min(largest, duration / WITH_A_CRUST)
    allowed = largest
    unstopped = np.empty(0)  # no step is cut for a sample
    skin_was = (room.skin[mesh.patch_a], room.skin[mesh.patch_b])
    capacity, stored_was, taking_was = room.store[0].capacity, state.medium[0], 0.0
    mean_was, shed_was = mean_now(temp, weight), shed_by(state.shed, solid.area)
    stop_i = next_stop(stops, 0, t)
    aimed, tries = -1.0, 0  # a step towards a wanted moment, and how many were tried
    while t < end - SAME_S:
        dried = coupling.found[0].dried > 0
        most = min(crusted if dried else allowed, longest_stable(QUICKLY, at[0].quickest))
        step, clipped = next_step(t, min(dt, most), end, unstopped, 0, aimed)
        clock = t - t0
        near = tol * min(max(to_go(temp, weight, clock, faces, mesh, state.medium[0]) / FAR_K, CLOSEST), 1.0)
        if dried:
            near *= CRUST_SHARE
        tally[0].steps += 1
        if tally[0].work > tally[0].limit:
            return t, SPENT, peak, peak_t, stored
        prepare(state, step, faces, solid, coupling, room)
        tally[0].work += work_of(coupling.found[0].exact, mesh.n, at[0].stages)
        if tracking:
            tally[0].work += mesh.n * (CLOCK_NS + ROW_NS * rows)
        take_step(state, clock, step, faces, solid, coupling, room, case.others, t0)
        error = error_of(state, step, solid, coupling, room)
        if np.isnan(error):
            dt, aimed = 0.1 * step, -1.0
            if dt < SHORTEST_S:
                return t, FAILED, peak, peak_t, stored
            continue
        size = max(error / near, LEAST_ERROR)
        factor = WITHIN * size ** (-1.0 / 3.0)
        if size > 1.0 and step > 1e-7:
            dt, aimed = step * max(factor, MOST_CUT), -1.0
            continue
        core1 = room.end.temperature[mesh.core]
        rate1 = room.slope[mesh.core] * room.end.f[mesh.core]
        wanted1 = wanted_of(until, room.end, room.skin, weight, solid)
        if stepped_over(until, value, below, wanted1) and tries < MOST_TRIES:
            tries += 1
            aimed = aim(until, value, tries, step, wanted, rate, wanted1, rate1)
            continue
        if not boil(state, step, solid, coupling, room):
            dt, aimed, tries = 0.3 * step, -1.0, 0
            continue
        if not clipped and aimed < 0.0:
            dt = step * min(factor, MOST_GROWTH)
        elif factor < 1.0:
            dt = step * factor
        aimed, tries = -1.0, 0
        peak, peak_t = highest(peak, peak_t, t, step, core, rate, core1, rate1)
        accept(state, clock, step, faces, solid, room)
        t += step
        core, rate, wanted = core1, rate1, wanted1
        if tracking:
            accumulate(state, room.before, temp, step, crit)
        if recording:
            skin_now = (room.skin[mesh.patch_a], room.skin[mesh.patch_b])
            shed_now = shed_by(state.shed, solid.area)
            passed = Passed(
                t - step, step, room.before, temp, room.begin.f, room.end.f, coupling.slope, skin_was, skin_now,
                mean_was, coupling.found[0].dried > 0, capacity, (stored_was, taking_was), (state.medium[0], at[0].taking),
                shed_was, shed_now,
            )  # fmt: skip
            stored_was, taking_was = state.medium[0], at[0].taking
            stop_i, mean_was = keep_samples(record, passed, longest, stops, stop_i, state.water, weight, solid)
            skin_was, shed_was = skin_now, shed_now
        stored = keep_state(y, t, store, store_t, stored)
        ended, short = end_of(until, value, below, wanted, rate, t - t0, state, crit)
        if ended != GOES_ON:
            return t, ended, peak, peak_t, stored
        allowed = min(largest, short)
        left = end - t
        moving = at[0].boiled > 0 or until == UNTIL_RULE or until == UNTIL_LOG10 or room.air[0].leak > 0.0
        moving = moving or room.store[0].capacity > 0.0
        if left > SAME_S and not moving and change_to(room.slope, room.end.f, t - t0, left, faces) < AT_REST_K:
            rest_of_stage(state, left, room)  # the rest of the stage is one step
            if tracking:
                accumulate(state, temp, temp, left, crit)
            if recording:
                passed = Passed(
                    t, left, temp, temp, room.begin.f, room.begin.f, room.slope, skin_was, skin_was, mean_was, True,
                    0.0, (0.0, 0.0), (0.0, 0.0), shed_was, shed_by(state.shed, solid.area),
                )  # fmt: skip
                keep_samples(record, passed, longest, stops, stop_i, state.water, weight, solid)
            t = end
            stored = keep_state(y, t, store, store_t, stored)
    return t, UNTIL_TIME, peak, peak_t, stored


MESH_STAGE = Stepper(run_mesh_stage)
