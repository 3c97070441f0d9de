"""Where a way heats from one side the pull is solved for the place that stays coldest, not for the middle."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.plan.kinds import HEAT_KINDS

NEAR_K = 0.05  # so near the target the coldest place lands
WORTH_IT_K = 0.6  # a place that stays less below the target is the middle to any thermometer
LARGEST_LEAD_K = (
    12.0  # a middle so far past the target is no longer the dish: the plan then says that a place stays cold
)
MAX_TRIALS = 6
DEPENDS_ON = ("format", "piece", "target", "kitchen", "stages")


def lead_core(document: dict[str, Any]) -> None:
    """Let the core of a plan peak higher than its target, so that no place between its faces stays below it.

    Changes ``until.peak_core_c`` of the stage that is solved, rounded up to 0.1 K. Plans that heat from both sides alike, wait for
    something else, or cook other pieces in the same medium are left as they are; so is one whose coldest place would need a core
    more than :data:`LARGEST_LEAD_K` past the target.

    Parameters
    ----------
    document : dict
        A plan, complete; its target is ``target.core_c``.
    """
    solved = next((s for s in document["stages"] if "peak_core_c" in s.get("until", {})), None)
    if solved is None or any("also" in s for s in document["stages"]) or not _may_differ(document):
        return
    asked = {k: document[k] for k in DEPENDS_ON if k in document}
    solved["until"]["peak_core_c"] = _core_for_coldest(json.dumps(asked, sort_keys=True))


def _may_differ(document: Mapping[str, Any]) -> bool:
    """Whether a slab or a block meets something else on one face than on the other while it heats."""
    if document["piece"]["shape"]["kind"] not in {"slab", "box"}:
        return False
    return any("faces" in s or s["kind"] == "oven" for s in document["stages"] if s["kind"] in HEAT_KINDS)


@lru_cache(maxsize=1024)
def _core_for_coldest(document: str) -> float:
    """The core's peak, °C, with which the coldest place peaks at the target."""
    from ember_core.heat.ensemble.coarse import compared_cook  # heavy; only where a face is heated less

    plan = parse(json.loads(document))
    target = plan.core_goal_c
    assert target is not None  # a stage is solved for it

    def coldest(core_c: float) -> float | None:
        try:
            return compared_cook(plan.with_core_goal(core_c)).coldest[0]
        except EmberError:
            return None

    core_c, reached = target, coldest(target)
    if reached is None or reached >= target - WORTH_IT_K:
        return target
    slope = 1.0
    for _ in range(MAX_TRIALS):
        if reached is None or core_c > target + LARGEST_LEAD_K:
            return target
        if reached >= target - NEAR_K:
            return core_c
        following = math.ceil(10.0 * (core_c + (target - reached) / slope) - 1e-6) / 10.0
        then = coldest(following)
        if then is not None and then > reached:
            slope = max((then - reached) / (following - core_c), 0.2)
        core_c, reached = following, then
    return target
