"""The air of an oven that fills with the vapour of what cooks in it, and leaks. Compiled.

The unknown is the vapour's share x of the air (of its molecules, hence of its pressure), one for the whole oven:
``dx/dt = leak (fresh - x) + s (1 - x)``, where s (1/s) is the vapour's volume that the food gives off by the air's
volume: at constant pressure what comes in drives out as much air as it needs room. In density it is
``V d rho/dt = evaporation - leakage``. Each kilogram of food in the oven is taken to give off what this piece does.
"""

from __future__ import annotations

import numpy as np

from ember_core.constants import CELSIUS_ZERO, LEWIS_AIR, VAPOUR_GAS_CONSTANT
from ember_core.heat.arrays import Array, Index
from ember_core.heat.solver.compiled import kernel, leaf
from ember_core.heat.solver.surface import medium_at
from ember_core.heat.solver.types import AIR, Rows

AIR_K = 60.0  # K: so much does a wet surface follow the share of vapour, at most
# what errors of the share weigh in a step, K: they stay, as a closed oven forgets little; by measuring
AIR_WEIGHT_K = 400.0


@kernel
def air_of(faces: Rows, share: float) -> Rows:
    """The air that a stage's faces share, one row of ``AIR``, with ``share`` of vapour; leak 0: none to compute."""
    air = np.zeros(1, AIR)
    air[0].share = share
    for side in range(faces.shape[0]):
        face = faces[side]
        if face.leak > 0.0:
            air[0].leak = face.leak
            air[0].fresh = face.vapour_pa / face.pressure_pa
            air[0].food = face.food_m3
            air[0].face = side
            break
    return air


@leaf
def room(air: Rows, t: float, faces: Rows) -> float:
    """Share of the oven's air that a kg of vapour from each m³ of the piece takes up, m³/kg, ``t`` s into the stage."""
    face = faces[air[0].face]
    medium = medium_at(face, t)
    return float(air[0].food * VAPOUR_GAS_CONSTANT * (medium + CELSIUS_ZERO) / face.pressure_pa)


@leaf
def air_rate(air: Rows, share: float, given: float) -> float:
    """dx/dt (1/s) at a share of vapour, when the food gives off ``given`` (1/s, its vapour's volume by the air's)."""
    return float(air[0].leak * (air[0].fresh - share) + (given + air[0].steam) * (1.0 - share))


@leaf
def settle(air: Rows, beta: float, given: float, less: float) -> None:
    """Solve x = base + beta dx/dt(x) for the share, what is given off following it by a straight line."""
    x = air[0].share
    at_none = given + less * x
    for _ in range(20):
        here = at_none - less * x
        off = x - air[0].base - beta * air_rate(air, x, here)
        slope = 1.0 + beta * (air[0].leak + here + air[0].steam + less * (1.0 - x))
        move = off / slope if slope > 0.1 else off
        x = min(max(x - move, 0.0), 1.0)
        if abs(move) < 1e-9:
            break
    air[0].share = x


@leaf
def fastest_air(air: Rows, faces: Rows, s_from: Index, area: Array, volume: float) -> float:
    """Bound of the rate with which an oven's air settles about a piece on a mesh, 1/s; 0 for none.

    Parameters
    ----------
    air, faces : rows of AIR and FACE
    s_from : ndarray (5,)
        Where each face's patches begin.
    area : ndarray (patches,)
        m².
    volume : float
        Of the piece, m³.
    """
    if air[0].leak <= 0.0:
        return 0.0
    total = air[0].leak + max(air[0].steam, 0.0)
    for side in range(faces.shape[0]):
        face = faces[side]
        if face.leak > 0.0:
            transfer = face.wet * face.h * LEWIS_AIR * air[0].food / volume
            for p in range(s_from[side], s_from[side + 1]):
                total += 2.0 * transfer * area[p]
    return float(total)
