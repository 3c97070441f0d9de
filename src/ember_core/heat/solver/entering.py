"""A piece as it enters a stage: fresh ovens, baths that it cools, stages that go on. Compiled."""

from __future__ import annotations

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.by_shape import outermost
from ember_core.heat.solver.cells import temperature_at
from ember_core.heat.solver.compiled import kernel, leaf
from ember_core.heat.solver.types import Body, Case, Rows

BEYOND_J_M3 = 1e9  # an enthalpy is looked for so far below, and four times as far above, the table


@leaf
def mean_enthalpy(y: Array, share: Array) -> float:
    """Mean of a state's enthalpies, J/m³, by volume fractions."""
    total = 0.0
    for i in range(share.size):
        total += share[i] * y[i]
    return total


@leaf
def enthalpy_at(t_c: float, body: Body) -> float:
    """Enthalpy (J/m³) of a moist place at ``t_c`` °C: the table read the other way, by halving."""
    low, high = body.h0 - BEYOND_J_M3, body.h0 + body.dh * body.temperature.size + 4.0 * BEYOND_J_M3
    for _ in range(60):
        middle = 0.5 * (low + high)
        if temperature_at(middle, body.water, body)[0] < t_c:
            low = middle
        else:
            high = middle
    return 0.5 * (low + high)


@kernel
def entered(y: Array, stage: Rows, case: Case) -> Rows:
    """The faces of a stage as a piece with the flat state ``y`` enters it; an oven's vapour begins in ``y``'s last place.

    Fresh ovens hold the kitchen's vapour. Cold pieces cool their bath by what they lack, latent heat included: the heat
    they would take up from it, taken from its water at once.
    """
    faces = stage.copy()
    cools = False
    for side in range(faces.shape[0]):
        if faces[side].leak > 0.0 and faces[side].carries == 0.0:
            y[y.size - 1] = faces[side].vapour_pa / faces[side].pressure_pa
        cools = cools or faces[side].cold > 0.0
    if cools:
        outer = outermost(case.body)
        mean = mean_enthalpy(y, case.grid.mean)
        even = temperature_at(mean, outer.water, outer)[0]
        for side in range(faces.shape[0]):
            if faces[side].cold > 0.0:
                medium = faces[side].medium_c
                lack = (enthalpy_at(medium, outer) - mean) / outer.c_wet
                drop = min(max(faces[side].cold * lack, 0.0), max(medium - even, 0.0))
                faces[side].off_k = -drop
                faces[side].settle_s = max(drop * faces[side].rise_s, 1.0)
    return faces


@kernel
def stage_from(faces: Rows, elapsed: float) -> Rows:
    """The faces of a stage that has already run for ``elapsed`` seconds."""
    moved = faces.copy()
    for side in range(moved.shape[0]):
        if moved[side].off_k != 0.0:
            moved[side].off_k = moved[side].off_k * np.exp(-elapsed / moved[side].settle_s)
    return moved


@leaf
def goes_on(before: Rows, after: Rows) -> bool:
    """Whether a stage's faces meet what they met in the stage before, with nothing that begins anew."""
    for side in range(before.shape[0]):
        a, b = before[side], after[side]
        if a.off_k != 0.0 or b.off_k != 0.0 or b.cold > 0.0:
            return False
        if a.h != b.h or a.emissivity != b.emissivity or a.medium_c != b.medium_c or a.settle_s != b.settle_s:
            return False
        if a.wet != b.wet or a.vapour_pa != b.vapour_pa or a.pressure_pa != b.pressure_pa:
            return False
        if a.leak != b.leak or a.food_m3 != b.food_m3 or a.cold != b.cold or a.rise_s != b.rise_s:
            return False
    return True
