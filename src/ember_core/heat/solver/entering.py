"""A piece as it enters a stage: fresh ovens, media with a store, stages that go on. Compiled."""

from __future__ import annotations

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.solver.compiled import kernel, leaf
from ember_core.heat.solver.types import Rows


@kernel
def entered(y: Array, stage: Rows) -> Rows:
    """The faces of a stage as a piece with the flat state ``y`` enters it, and in ``y`` what its medium begins with.

    A fresh oven holds the kitchen's vapour; a medium with a store is as hot as the stage says, unless it goes on.
    """
    faces = stage.copy()
    for side in range(faces.shape[0]):
        if faces[side].leak > 0.0 and faces[side].carries == 0.0:
            y[y.size - 2] = faces[side].vapour_pa / faces[side].pressure_pa
        if faces[side].capacity > 0.0 and faces[side].holds == 0.0:
            y[y.size - 1] = faces[side].medium_c
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
        if a.off_k != 0.0 or b.off_k != 0.0 or a.capacity > 0.0 or b.capacity > 0.0:
            return False
        if a.h != b.h or a.emissivity != b.emissivity or a.medium_c != b.medium_c or a.settle_s != b.settle_s:
            return False
        if a.wet != b.wet or a.vapour_pa != b.vapour_pa or a.pressure_pa != b.pressure_pa:
            return False
        if a.leak != b.leak or a.food_m3 != b.food_m3:
            return False
    return True


def going_on(faces: Rows, gone_s: float) -> Rows:
    """Faces of (members ×) stages × 4 of which the first stage has run for so long, s: its media are what they have become."""
    out = faces.copy()
    first = out[..., 0, :]
    first["carries"] = first["holds"] = 1.0
    drifts = first["off_k"] != 0.0
    first["off_k"][drifts] *= np.exp(-gone_s / first["settle_s"][drifts])
    return out
