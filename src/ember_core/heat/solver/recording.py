"""What is recorded of a step, the same for both steppers. Compiled."""

from __future__ import annotations

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import inlined, leaf
from ember_core.heat.solver.types import Record


@inlined
def keep_row(record: Record, t: float, core: float, mean: float, surface_a: float, surface_b: float) -> int:
    """Append a moment (s) with its temperatures (°C); returns its row, or -1 when the record is full.

    Parameters
    ----------
    record : Record
        Receives it.
    t : float
        s.
    core, mean, surface_a, surface_b : float
        °C.
    """
    row = record.tally[0].rows
    if row >= record.t.size:
        record.tally[0].lost += 1
        return -1
    record.t[row] = t
    record.core[row] = core
    record.mean[row] = mean
    record.surface_a[row] = surface_a
    record.surface_b[row] = surface_b
    record.tally[0].rows = row + 1
    return int(row)


@inlined
def keep_store(record: Record, row: int, t_c: float, taken: float, capacity: float) -> None:
    """Record in a ``row`` the temperature (°C) of a medium with a store, and what is taken from it (W); without one no number.

    Parameters
    ----------
    record : Record
        Receives it.
    row : int
        -1: the record is full.
    t_c, taken, capacity : float
        °C, W, J/K; 0: there is no store.
    """
    if row >= 0:
        record.medium[row] = t_c if capacity > 0.0 else np.nan
        record.taken[row] = taken if capacity > 0.0 else 0.0


@leaf
def shed_by(shed: Array, area: Array) -> float:
    """Water that faces or patches have lost in all, kg (by the unit of ``area``); what has condensed on them is none.

    Parameters
    ----------
    shed, area : ndarray (patches,)
        kg/m²; m², or by the grid's unit.
    """
    lost = 0.0
    for p in range(shed.size):
        lost += max(shed[p], 0.0) * area[p]
    return lost
