"""A computed cook as the checks of how food is kept read it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.heat.cook import Cook
from ember_core.heat.course import StageOutcome
from ember_core.plan.kinds import COOLING_KINDS, HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.stages import SHORT_DIP_S
from ember_core.safety.rules import Profile

COLD_ENOUGH_C = 21.0  # a short dip that ends below it is a chill that keeps the food
COLD_C = 10.0  # a chill that ends above it keeps nothing: its time counts as warm (the come-up's lower end)


class History:
    """The computed cook as the checks read it: times, and the hottest and coldest of all recorded places."""

    def __init__(self, plan: Plan, cook: Cook, rule: Mapping[str, Any], profile: Profile) -> None:
        everywhere = cook.everywhere
        self.plan, self.cook, self.rule = plan, cook, rule
        # a clause for seared pieces is met by the outside; the core is still to be cooked then
        by_outside = rule["clause"] in {e.id for e in profile.exceptions}
        self.cooked_at: float | None = None if by_outside else rule["met_at_s"]
        self.t, self.hottest, self.coldest = cook.t, everywhere.max(axis=1), everywhere.min(axis=1)
        self.heats = [s for s in cook.stages if s.kind in HEAT_KINDS]
        self.end_s = float(self.t[-1])
        self.chills = [s for s in cook.stages if s.kind in COOLING_KINDS and self._chills(s)]
        self.keeps = [s for s in self.chills if self._ends_at(s) <= COLD_C]

    def part(self, begin: float, end: float) -> NDArray[np.bool_]:
        """Samples from ``begin`` to ``end``, s; two or more of them, or none."""
        inside = (self.t >= begin - 1e-6) & (self.t <= end + 1e-6)
        return inside if inside.sum() >= 2 else inside & False

    def _ends_at(self, stage: StageOutcome) -> float:
        return float(self.hottest[np.argmin(np.abs(self.t - stage.end_s))])

    def _chills(self, stage: StageOutcome) -> bool:
        """Whether a chill is meant to cool the food down; a short dip only stops the cooking."""
        return stage.end_s - stage.start_s >= SHORT_DIP_S or self._ends_at(stage) <= COLD_ENOUGH_C

    def heat_before(self, stage: StageOutcome) -> float | None:
        """When the last heat before a stage ended, s; None when there was none."""
        return max((s.end_s for s in self.heats if s.end_s <= stage.start_s + 1e-6), default=None)

    def episodes(self) -> list[tuple[float, float]]:
        """From one chill that keeps the food to the next: begin and end, s, of what lies between."""
        begins = [0.0, *(s.end_s for s in self.keeps)]
        return list(zip(begins, [*(s.start_s for s in self.keeps), self.end_s], strict=True))
