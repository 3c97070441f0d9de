"""The air of an oven that fills with the vapour of what cooks in it, and leaks. Compiled.

The unknown is the vapour's share x of the air (of its molecules, hence of its pressure), one for the whole oven:
``dx/dt = leak (fresh - x) + s (1 - x)``, where s (1/s) is the vapour's volume that the food gives off by the air's
volume: at constant pressure what comes in drives out as much air as it needs room. In density it is
``V d rho/dt = evaporation - leakage``. Each kilogram of food in the oven is taken to give off what this piece does.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from ember_core.heat.kernel import (
    A_BASE,
    A_FACE,
    A_FOOD,
    A_FRESH,
    A_LEAK,
    A_SHARE,
    A_STEAM,
    F_FOOD,
    F_H,
    F_LEAK,
    F_PRESSURE,
    F_PV,
    F_WET,
    LEWIS_AIR,
    N_AIR,
    S_EVAPORATION,
    S_TRANSFER,
    VAPOUR_GAS_CONSTANT,
    Array,
    Grid,
    leaf,
    medium_at,
)


@njit(cache=True, nogil=True)
def air_of(faces: Array, share: float) -> Array:
    """The air that a stage's faces (rows of a face's parameters) share, with ``share`` of vapour; leak 0: none to compute."""
    air = np.zeros(N_AIR)
    air[A_SHARE] = share
    for side in range(faces.shape[0]):
        if faces[side, F_LEAK] > 0.0:
            air[A_LEAK] = faces[side, F_LEAK]
            air[A_FRESH] = faces[side, F_PV] / faces[side, F_PRESSURE]
            air[A_FOOD] = faces[side, F_FOOD]
            air[A_FACE] = side
            break
    return air


@leaf
def room(air: Array, t: float, faces: Array) -> float:
    """Share of the oven's air that a kg of vapour from each m³ of the piece takes up, m³/kg, ``t`` s into the stage."""
    face = faces[int(air[A_FACE])]
    medium = medium_at(face, t)
    return float(air[A_FOOD] * VAPOUR_GAS_CONSTANT * (medium + 273.15) / face[F_PRESSURE])


@leaf
def air_rate(air: Array, share: float, given: float) -> float:
    """dx/dt (1/s) at a share of vapour, when the food gives off ``given`` (1/s, its vapour's volume by the air's)."""
    return float(air[A_LEAK] * (air[A_FRESH] - share) + (given + air[A_STEAM]) * (1.0 - share))


@leaf
def given_off(air: Array, t: float, faces: Array, grid: Grid, skin: Array, per_volume: float) -> tuple[float, float]:
    """What a one-dimensional piece gives off at the present share (1/s), and by how much less for a share of one more.

    ``per_volume`` is 1 over the piece's volume on the unit grid, 1/m.
    """
    n = grid.n
    size = room(air, t, faces) * per_volume
    given, less = 0.0, 0.0
    for side in range(1 if grid.closed_a else 0, 2):
        face = faces[side]
        if face[F_LEAK] > 0.0:
            area = grid.area[n] if side == 1 else grid.area[0]
            dense = face[F_PRESSURE] / (VAPOUR_GAS_CONSTANT * (medium_at(face, t) + 273.15))
            given += size * area * skin[side, S_EVAPORATION]
            less += size * area * skin[side, S_TRANSFER] * dense
    return given, less


@leaf
def settle(air: Array, beta: float, given: float, less: float) -> None:
    """Solve x = base + beta dx/dt(x) for the share, what is given off following it by a straight line."""
    x = air[A_SHARE]
    at_none = given + less * x
    for _ in range(20):
        here = at_none - less * x
        off = x - air[A_BASE] - beta * air_rate(air, x, here)
        slope = 1.0 + beta * (air[A_LEAK] + here + air[A_STEAM] + less * (1.0 - x))
        move = off / slope if slope > 0.1 else off
        x = min(max(x - move, 0.0), 1.0)
        if abs(move) < 1e-9:
            break
    air[A_SHARE] = x


@leaf
def fastest_air(air: Array, faces: Array, s_from: Array, area: Array, volume: float) -> float:
    """Bound of the rate with which an oven's air settles about a piece on a mesh (``volume`` m³), 1/s; 0 for none."""
    if air[A_LEAK] <= 0.0:
        return 0.0
    total = air[A_LEAK] + max(air[A_STEAM], 0.0)
    for side in range(faces.shape[0]):
        if faces[side, F_LEAK] > 0.0:
            transfer = faces[side, F_WET] * faces[side, F_H] * LEWIS_AIR * air[A_FOOD] / volume
            for p in range(s_from[side], s_from[side + 1]):
                total += 2.0 * transfer * area[p]
    return float(total)
