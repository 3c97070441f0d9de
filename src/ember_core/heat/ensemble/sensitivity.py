"""What one change does to the pull: measured by cooking the plan again with that change alone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from ember_core.heat.cook import Cook
from ember_core.heat.ensemble.coarse import coarse_cook, coarse_setup
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.shapes import BY_MASS
from ember_core.wording.message import Message, say

TOLERANCE_K = 0.02


@dataclass(frozen=True)
class Sensitivity:
    """One change and what it does: pull later (s, negative: earlier), or the peak when no pull is solved (K)."""

    change: Message
    pull_later_s: float | None
    peak_higher_c: float


def sensitivities(plan: Plan, cook: Cook) -> tuple[Sensitivity, ...]:
    """Cook the plan again a little thicker, colder, hotter and with better contact.

    Parameters
    ----------
    plan : Plan
    cook : Cook
        Its nominal cook, for the stage that is the pull.

    Returns
    -------
    tuple of Sensitivity
        2 mm (or 10 %) thicker, 3 °C colder at the start, the heat 5 % of its height over the piece
        hotter, better pan contact (20 %). Differences to the same plan on the same coarse grid.
    """

    def cooked(changed: Plan, *, hotter: float = 0.0, better: float = 1.0) -> tuple[float | None, float]:
        s = coarse_setup(changed)
        for i, stage in enumerate(changed.stages):
            if stage.kind in HEAT_KINDS:
                s.schedule.faces["medium_c"][i] += hotter
                s.schedule.faces["set_c"][i] += hotter
                s.schedule.faces["h"][i] *= better
                s.schedule.faces["emissivity"][i] *= better
        found = coarse_cook(changed, made=s, tol=TOLERANCE_K)
        return found.pull_s, found.peak_core_c

    pull, peak = cooked(plan)
    shape, words = _thicker(plan.shape)
    heat = max((f.medium_c or 0.0 for s in plan.stages for f in (s.face_a, s.face_b)), default=0.0)
    hotter = max(0.05 * (heat - plan.start_c), 0.5)
    hotter = float(round(hotter)) if hotter > 2.0 else round(hotter, 1)
    cases: list[tuple[Message, tuple[float | None, float]]] = [
        (words, cooked(replace(plan, shape=shape))),
        (
            say("{by_k:rise} colder at the start", by_k=3.0),
            cooked(replace(plan, start_c=max(plan.start_c - 3.0, -40.0))),
        ),
        (say("{by_k:rise} more heat", by_k=hotter), cooked(plan, hotter=hotter)),
        (say("better pan contact (20 %)"), cooked(plan, better=1.2)),
    ]
    solved = any(s.until for s in plan.stages) and pull is not None and cook.pull_stage is not None
    return tuple(
        Sensitivity(name, None if not solved or p is None else p - (pull or 0.0), top - peak)
        for name, (p, top) in cases
    )


def _thicker(shape: Mapping[str, Any]) -> tuple[dict[str, Any], Message]:
    """The shape 2 mm thicker (an egg or a bird a tenth heavier), and the words for it."""
    if shape["kind"] in BY_MASS:
        return {**shape, "mass_g": shape["mass_g"] * 1.1}, say("10 % heavier")
    key = "thickness_mm" if "thickness_mm" in shape else "diameter_mm"
    return {**shape, key: shape[key] + 2.0}, say("{by_mm:length} thicker", by_mm=2.0)
