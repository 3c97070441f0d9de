"""A medium with a finite store of heat: a pan, a bath, fat, an oven. What lies in it cools it, its heater brings it back. Compiled.

The unknown is its temperature T, one for the whole medium:
``C dT/dt = P(T) - loss (T - around) - taken``, with P between nothing and all that the heater has, and ``taken`` what flows into
all the pieces that lie in it, by convection, contact and radiation.
"""

from __future__ import annotations

import numpy as np

from ember_core.heat.arrays import Array, Index
from ember_core.heat.solver.compiled import kernel, leaf
from ember_core.heat.solver.surface import radiating
from ember_core.heat.solver.types import RESERVOIR, Rows


@kernel
def reservoir_of(faces: Rows, t_c: float) -> Rows:
    """The store that a stage's faces share, one row of ``RESERVOIR`` at ``t_c`` °C; capacity 0: there is none."""
    out = np.zeros(1, RESERVOIR)
    out[0].t_c = t_c
    for side in range(faces.shape[0]):
        face = faces[side]
        if face.capacity > 0.0:
            out[0].capacity, out[0].pieces_m3 = face.capacity, face.pieces_m3
            out[0].heater_w, out[0].hold_w, out[0].gain, out[0].set_c = (
                face.heater_w,
                face.hold_w,
                face.gain,
                face.set_c,
            )
            out[0].loss_w_k, out[0].around_c = face.loss_w_k, face.around_c
            break
    return out


@leaf
def coming(store: Rows, t_c: float) -> tuple[float, float]:
    """Heat that comes into a store at ``t_c`` °C, its losses taken off, W; and its derivative, W/K."""
    row = store[0]
    power, slope = row.hold_w + row.gain * (row.set_c - t_c), -row.gain
    if power <= 0.0 or power >= row.heater_w:
        power, slope = min(max(power, 0.0), row.heater_w), 0.0
    return power - row.loss_w_k * (t_c - row.around_c), slope - row.loss_w_k


@leaf
def warming(store: Rows, t_c: float, taken: float) -> float:
    """How fast a store's temperature changes, K/s, when ``taken`` W flow into the pieces."""
    if store[0].capacity <= 0.0:
        return 0.0
    return float((coming(store, t_c)[0] - taken) / store[0].capacity)


@leaf
def fastest_store(store: Rows, faces: Rows, s_from: Index, area: Array, hot_c: float, volume: float) -> float:
    """Bound of the rate with which a store follows the pieces on a mesh that lie in it, 1/s; 0 for none.

    Parameters
    ----------
    store, faces : rows of RESERVOIR and FACE
    s_from : ndarray (5,)
        Where each face's patches begin.
    area : ndarray (patches,)
        m².
    hot_c : float
        The hottest that the medium may become, °C.
    volume : float
        Of the piece, m³.
    """
    if store[0].capacity <= 0.0:
        return 0.0
    total = store[0].loss_w_k + store[0].gain
    many = store[0].pieces_m3 / volume
    for side in range(faces.shape[0]):
        if faces[side].capacity > 0.0:
            by_degree = faces[side].h + radiating(faces[side], hot_c)
            for p in range(s_from[side], s_from[side + 1]):
                total += 2.0 * many * by_degree * area[p]
    return float(total / store[0].capacity)
