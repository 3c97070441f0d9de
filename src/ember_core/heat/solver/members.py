"""The members of an ensemble, one after the other. Compiled."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.by_shape import innermost, outermost, patches, with_outer
from ember_core.heat.solver.compiled import entry, kernel, least
from ember_core.heat.solver.entering import entered
from ember_core.heat.solver.pull import run_to_pull
from ember_core.heat.solver.schedule import run_cook
from ember_core.heat.solver.types import Body, Case, Record, Rows, Schedule, view

MEMBER_SAMPLES, AHEAD_SAMPLES = 12.0, 5.0  # a stage; of what lies ahead only the highest core and the course count


class Members(NamedTuple):
    """In what the members differ, a row each."""

    states: Array  # members × numbers, flat states at the start
    length: Array  # m, or the stretch of a mesh
    k_scale: Array  # factors of conductivity and heat capacity
    c_scale: Array
    m0: Array  # kg/m², the drying scale
    faces: Rows  # members × stages × 4


class Told(NamedTuple):
    """What is told of each member: stage ends, highest core, core and mean at the wanted times, the least lethality."""

    end_s: Array  # members × stages, s
    peak: Array  # °C; not-a-number when the member gave up
    wanted: Array  # s
    core: Array  # members × wanted, °C
    mean: Array
    least: Array  # log10


@kernel
def varied(body: Body, members: Members, m: int) -> Body:
    """Member ``m``'s body: the nominal one with another size, conductivity, heat capacity and drying."""
    c_scale = members.c_scale[m]
    return Body(
        members.length[m],
        body.h0 * c_scale,
        body.dh * c_scale,
        body.per_dh / c_scale,
        body.temperature,
        body.conductivity,
        members.k_scale[m],
        body.boil_c,
        body.boil_h * c_scale,
        body.water,
        body.k_dry,
        body.c_dry * c_scale,
        body.c_wet * c_scale,
        members.m0[m],
        body.linear,
    )


@kernel
def case_of(nominal: Case, members: Members, m: int) -> Case:
    """Member ``m``'s case: the nominal one with a body of its own."""
    body = with_outer(
        nominal.body, varied(outermost(nominal.body), members, m), varied(innermost(nominal.body), members, m)
    )
    return Case(
        nominal.stepper, nominal.grid, body, nominal.criterion, nominal.tolerance_k, nominal.close_k, nominal.others
    )


@kernel
def read_record(record: Record, told: Told, m: int) -> None:
    """Member ``m``'s curves at the wanted times, straight between what was recorded."""
    row = 0
    for j in range(told.wanted.size):
        while row < record.tally[0].rows - 1 and record.t[row] < told.wanted[j]:
            row += 1
        if row == 0:
            told.core[m, j] = record.core[0]
            told.mean[m, j] = record.mean[0]
        else:
            t0, t1 = record.t[row - 1], record.t[row]
            part = min(max((told.wanted[j] - t0) / max(t1 - t0, 1e-9), 0.0), 1.0)
            told.core[m, j] = record.core[row - 1] + part * (record.core[row] - record.core[row - 1])
            told.mean[m, j] = record.mean[row - 1] + part * (record.mean[row] - record.mean[row - 1])


@entry
def run_members(
    members: Members, schedule: Schedule, nominal: Case, record: Record, told: Told, first: int, last: int, after: Array,
    samples: float,
) -> None:  # fmt: skip
    """Run the members from ``first`` to before ``last``.

    Parameters
    ----------
    members : Members
    schedule : Schedule
        Whose faces are replaced by each member's.
    nominal : Case
        Whose body is replaced by each member's.
    record : Record
        Room for one member.
    told : Told
        Receives what is told of them.
    first, last : int
    after : ndarray (members, numbers)
        Receives the flat states at the end, if it has rows.
    samples : float
        Of a stage, at least.
    """
    count = schedule.duration.size
    rows = nominal.criterion.row_c.size
    ended = np.zeros(count, dtype=np.int64)
    stops = np.empty(0)
    for m in range(first, last):
        case = case_of(nominal, members, m)
        own = Schedule(schedule.duration, members.faces[m], schedule.until, schedule.value)
        record.tally[0].rows, record.tally[0].work = 0, 0
        y = members.states[m].copy()
        top, _, status = run_cook(y, own, case, samples, record, stops, told.end_s[m], ended)
        if status < 0:
            told.peak[m] = np.nan
            continue
        told.peak[m] = top
        told.least[m] = least(view(y, case.grid.n, patches(case.grid), rows).lethality)
        read_record(record, told, m)
        if after.shape[0] > 0:
            after[m] = y


@entry
def pull_members(
    members: Members,
    schedule: Schedule,
    nominal: Case,
    record: Record,
    pull_s: Array,
    first: int,
    last: int,
    gains: float,
) -> None:
    """The pulls of the members from ``first`` to before ``last``, which lie in the first stage of a schedule and wait for a peak.

    Parameters
    ----------
    members, schedule, nominal, record, first, last
        As of :func:`run_members`.
    pull_s : ndarray (members,)
        Receives s from the begin of the schedule; not-a-number of a member that gave up.
    gains : float
        What the nominal piece gains after its pull, K, see :func:`ember_core.heat.solver.pull.run_to_pull`.
    """
    stops = np.empty(0)
    for m in range(first, last):
        record.tally[0].rows, record.tally[0].work = 0, 0
        y = members.states[m].copy()
        own = Schedule(schedule.duration, members.faces[m], schedule.until, schedule.value)
        met = entered(y, own.faces[0])
        case = case_of(nominal, members, m)
        end, status, _, _, _ = run_to_pull(y, 0.0, 0, met, own, case, 0.0, record, stops, gains)
        pull_s[m] = end if status >= 0 else np.nan
