"""A medium with a finite store of heat: a pan, a bath, fat, an oven. What lies in it cools it, its heater brings it back. Compiled.

The unknown is its temperature T, one for the whole medium:
``C dT/dt = P(T) - loss (T - around) - taken``, with P between nothing and all that the heater has, and ``taken`` what flows into
all the pieces that lie in it, by convection, contact and radiation.
"""

from __future__ import annotations

import numpy as np

from ember_core.heat.arrays import Array, Index
from ember_core.heat.solver.compiled import entry, kernel, leaf, plain
from ember_core.heat.solver.surface import radiating
from ember_core.heat.solver.types import RESERVOIR, Others, Rows


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


def store_in(faces: Rows) -> Rows:
    """:func:`reservoir_of` for Python, at what the faces say."""
    stored = faces["medium_c"][faces["capacity"] > 0.0]
    return plain(reservoir_of)(faces, float(stored[0]) if stored.size else 0.0)


@leaf
def coming(store: Rows, t_c: float) -> tuple[float, float]:
    """Heat that comes into a store at ``t_c`` °C, its losses and what else lies in it taken off, W; its derivative, W/K."""
    row = store[0]
    power, slope = row.hold_w + row.gain * (row.set_c - t_c), -row.gain
    if power <= 0.0 or power >= row.heater_w:
        power, slope = min(max(power, 0.0), row.heater_w), 0.0
    lost = row.loss_w_k * (t_c - row.around_c) + row.others * t_c - row.others_at
    return power - lost, slope - row.loss_w_k - row.others


@leaf
def see_others(store: Rows, others: Others, t: float) -> None:
    """Let a store know what else lies in it at ``t`` s from the piece's start."""
    n = others.t.size
    if n == 0 or store[0].capacity <= 0.0:
        return
    low, high = 0, n
    while low < high:
        middle = (low + high) // 2
        if others.t[middle] <= t:
            low = middle + 1
        else:
            high = middle
    i = min(max(low - 1, 0), n - 1)
    j = min(i + 1, n - 1)
    span = others.t[j] - others.t[i]
    part = min(max((t - others.t[i]) / span, 0.0), 1.0) if span > 0.0 else 0.0
    store[0].others = others.by_degree[i] + part * (others.by_degree[j] - others.by_degree[i])
    store[0].others_at = others.at[i] + part * (others.at[j] - others.at[i])


@leaf
def warming(store: Rows, t_c: float, taken: float) -> float:
    """How fast a store's temperature changes, K/s, when ``taken`` W flow into the pieces."""
    if store[0].capacity <= 0.0:
        return 0.0
    return float((coming(store, t_c)[0] - taken) / store[0].capacity)


@leaf
def most_of(others: Others) -> float:
    """The most that others take by degree, W/K."""
    most = 0.0
    for i in range(others.t.size):
        most = max(most, others.by_degree[i])
    return most


@leaf
def fastest_store(
    store: Rows, faces: Rows, s_from: Index, area: Array, hot_c: float, volume: float, others: Others
) -> float:
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
    others : Others
        What else lies in it.
    """
    if store[0].capacity <= 0.0:
        return 0.0
    total = store[0].loss_w_k + store[0].gain + most_of(others)
    many = store[0].pieces_m3 / volume
    for side in range(faces.shape[0]):
        if faces[side].capacity > 0.0:
            by_degree = faces[side].h + radiating(faces[side], hot_c)
            for p in range(s_from[side], s_from[side + 1]):
                total += 2.0 * many * by_degree * area[p]
    return float(total / store[0].capacity)


@entry
def course(store: Rows, t: Array, by_degree: Array, at: Array, medium: Array) -> None:
    """The course of a store by what all that lies in it takes, from ``medium[0]``: the trapezium rule, by Newton.

    Parameters
    ----------
    store : one row of RESERVOIR
    t : ndarray (moments,)
        s, rising.
    by_degree, at : ndarray (moments,)
        All together take ``by_degree`` T - ``at``: W/K, W.
    medium : ndarray (moments,)
        Receives °C.
    """
    for i in range(1, t.size):
        step = t[i] - t[i - 1]
        store[0].others, store[0].others_at = by_degree[i - 1], at[i - 1]
        was = coming(store, medium[i - 1])[0]
        store[0].others, store[0].others_at = by_degree[i], at[i]
        now, per = medium[i - 1], 0.5 * step / store[0].capacity
        for _ in range(8):
            net, slope = coming(store, now)
            move = (now - medium[i - 1] - per * (was + net)) / (1.0 - per * slope)
            now -= move
            if abs(move) < 1e-7:
                break
        medium[i] = now


@entry
def follow(medium: Array, keep: float, body: Array) -> None:
    """The course of something of one temperature that follows a medium, from ``body[0]``.

    Parameters
    ----------
    medium : ndarray (moments,)
        °C, at equal times from each other.
    keep : float
        Share of its difference from the medium that is left after a step, 0 to 1.
    body : ndarray (moments,)
        Receives °C.
    """
    for i in range(1, medium.size):
        body[i] = keep * body[i - 1] + (1.0 - keep) * 0.5 * (medium[i - 1] + medium[i])
