"""What a list shows of a plan: how long from the pull to the plate, how it stands, a strip of its inside."""

from __future__ import annotations

from typing import Any

from ember_core.planning.compute import Outcome
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import standing
from ember_core.wording.message import N_
from ember_web.ui.drawing import ramp_of, slab_picture

STATES = {
    "met": N_("met"),
    "read": N_("met when it is measured"),
    "advisory": N_("served with advisory"),
    "short": N_("short"),
    "stop": N_("stop: do not serve"),
    "open": N_("not yet known"),
}


def summary_of(outcome: Outcome) -> dict[str, Any]:
    """Of a computed plan: seconds, state of the verdict, and a small picture as an address."""
    plan, cook, rule = outcome.plan, outcome.cook, outcome.result["rule"]
    state = ""
    if rule is not None:
        profile = profile_of(plan.rules or "", plan.house)
        state = standing(rule, plan.required, plan.guests, profile, outcome.findings).state
    return {
        "total_s": round(cook.stages[-1].end_s, 1),
        "pull_s": None if cook.pull_s is None else round(cook.pull_s, 1),
        "state": state,
        "picture": slab_picture(cook, ramp_of(plan), small=True),
    }
