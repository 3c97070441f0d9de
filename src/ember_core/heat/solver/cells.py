"""Temperature, heat capacity and conductivity of cells by their enthalpy and water. Compiled."""

from __future__ import annotations

from ember_core.constants import LATENT_BOILING
from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import inlined, leaf
from ember_core.heat.solver.types import Body


@inlined
def capacity_left(w: float, body: Body) -> float:
    """Heat capacity of a cell with ``w`` kg/m³ of its water left, as a share of what it was."""
    return 1.0 - (1.0 - body.c_dry / body.c_wet) * (1.0 - w / body.water) if w < body.water else 1.0


@leaf
def mean_temperature(temp: Array, w: Array, fractions: Array, body: Body) -> float:
    """Mean of the cells' temperatures by volume ``fractions`` and the heat capacity left: where they would even out, °C."""
    total, weights = 0.0, 0.0
    for i in range(temp.size):
        weight = fractions[i] * capacity_left(w[i], body)
        total += weight * temp[i]
        weights += weight
    return total / weights


@leaf
def temperature_at(h: float, w: float, body: Body) -> tuple[float, float, float]:
    """Temperature, dT/dH and conductivity of a cell with enthalpy ``h`` and ``w`` kg/m³ of water left."""
    if h > body.boil_h:
        excess = h - body.boil_h
        latent = w * LATENT_BOILING
        # what has boiled off within the step is gone: so the conductivity knows no jump when it is taken out
        fraction = max(w - excess / LATENT_BOILING, 0.0) / body.water if body.water > 0.0 else 0.0
        top = body.conductivity.size - 1
        row = int((body.boil_h - body.h0) * body.per_dh)
        wet_k = body.conductivity[min(max(row, 0), top)]
        k = body.k_scale * (body.k_dry + (wet_k - body.k_dry) * fraction)
        if excess <= latent:
            return body.boil_c, 0.0, k
        return body.boil_c + (excess - latent) / body.c_dry, 1.0 / body.c_dry, k
    share = 1.0
    if w < body.water:
        share = capacity_left(w, body)
        h = body.boil_h + (h - body.boil_h) / share
    position = (h - body.h0) * body.per_dh
    i = int(position)  # towards zero; below the table it is clipped too
    last = body.temperature.size - 2
    if i < 0:
        i = 0
    elif i > last:
        i = last
    slope = body.temperature[i + 1] - body.temperature[i]
    part = position - i
    k = body.conductivity[i] + min(max(part, 0.0), 1.0) * (body.conductivity[i + 1] - body.conductivity[i])
    if w < body.water:
        k = body.k_dry + (k - body.k_dry) * w / body.water
    return body.temperature[i] + part * slope, slope * body.per_dh / share, k * body.k_scale


@inlined
def looked_up(position: float, table: Array, conductivity: Array) -> tuple[float, float, float]:
    """Temperature (°C), its rise to the next row, and conductivity (W/(m K)) at a ``position`` (rows) within the table.

    For loops over cells that have lost no water and do not boil: as :func:`temperature_at`, without its questions.
    """
    row = max(int(position), 0)
    part = position - row
    low, k = table[row], conductivity[row]
    rise = table[row + 1] - low
    return low + part * rise, rise, k + part * (conductivity[row + 1] - k)


@inlined
def read_cells(y: Array, w: Array, body: Body, temp: Array, slope: Array, kappa: Array) -> bool:
    """:func:`temperature_at` for every cell; most need no call of it, which is several times faster.

    Returns whether any is above its boiling point.

    Parameters
    ----------
    y, w : ndarray (cells,)
        Enthalpies, J/m³; water left, kg/m³.
    body : Body
    temp, slope, kappa : ndarray (cells,)
        Receive °C, dT/dH in K m³/J, and W/(m K).
    """
    table, conductivity = body.temperature, body.conductivity
    h0, per_dh, k_scale = body.h0, body.per_dh, body.k_scale
    boil_h, water = body.boil_h, body.water
    boiling = False
    top = table.size - 1.001
    for i in range(y.size):
        h = y[i]
        position = (h - h0) * per_dh
        if h > boil_h or w[i] < water or not 0.0 <= position < top:
            temp[i], slope[i], kappa[i] = temperature_at(h, w[i], body)
            boiling = boiling or h > boil_h
            continue
        temp[i], rise, k = looked_up(position, table, conductivity)
        slope[i], kappa[i] = rise * per_dh, k * k_scale
    return boiling


@inlined
def move_cells(
    y: Array, move: Array, w: Array, body: Body, temp: Array, slope: Array, kappa: Array
) -> tuple[float, float, bool]:
    """Move all cells and read them anew, see :func:`read_cells`, in one loop.

    Parameters
    ----------
    y : ndarray (cells,)
        Enthalpies, J/m³; changed.
    move : ndarray (cells,)
        By how much, J/m³.
    w, body
        As of :func:`read_cells`.
    temp, slope, kappa : ndarray (cells,)
        Have the cells as they were, receive them as they are.

    Returns
    -------
    tuple
        The largest move, J/m³, not-a-number where one is none; what the temperatures are off from straight lines, K; whether any
        cell is above its boiling point.
    """
    table, conductivity = body.temperature, body.conductivity
    h0, per_dh, k_scale = body.h0, body.per_dh, body.k_scale
    boil_h, water = body.boil_h, body.water
    boiling, largest, off, none = False, 0.0, 0.0, 0.0
    top = table.size - 1.001
    for i in range(y.size):
        by = move[i]
        h = y[i] + by
        y[i] = h
        none += by - by  # nothing, unless the move is no number
        largest = max(largest, abs(by))
        foreseen = temp[i] + slope[i] * by
        position = (h - h0) * per_dh
        if h > boil_h or w[i] < water or not 0.0 <= position < top:
            now, slope[i], kappa[i] = temperature_at(h, w[i], body)
            boiling = boiling or h > boil_h
        else:
            now, rise, k = looked_up(position, table, conductivity)
            slope[i], kappa[i] = rise * per_dh, k * k_scale
        temp[i] = now
        off = max(off, abs(now - foreseen))
    return largest + none, off, boiling
