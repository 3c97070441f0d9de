"""The rule's statement on a computed plan, with everything that takes *met* away."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.heat.cook import Cook
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan
from ember_core.safety.advice import advice
from ember_core.safety.clocks import conclude, judge, judge_all, met_times
from ember_core.safety.conditions import InForce, breaks_of, in_force
from ember_core.safety.rules import Profile, Seared, profile_of
from ember_core.wording.message import joined, say

Array = NDArray[np.float64]


def state_rule(plan: Plan, cook: Cook) -> tuple[dict[str, Any] | None, list[Finding]]:
    """The ``rule`` object of a result, and the findings that go with it.

    *Met* is true only when every form's clause is met with its conditions and no finding is a stop; it is null when the
    profile has no number, or when the plan does not say whether a condition is kept.
    """
    if plan.rules is None:
        return None, []
    profile = profile_of(plan.rules, plan.house)
    force = in_force(plan, cook.stages, profile)
    rule = _judged(plan, cook, profile, force)
    findings = force.findings + advice(plan, cook, rule, profile)
    return conclude(rule, findings), findings


def _judged(plan: Plan, cook: Cook, profile: Profile, force: InForce) -> dict[str, Any]:
    breaks = breaks_of(force, cook.stages, cook.t)

    def of_all(with_open: bool) -> dict[str, Any]:
        said = []
        for form, clauses in force.by_form.items():
            more = [c for c, _ in force.open[form]] if with_open else []
            said.append(judge(profile, form, cook.t, cook.everywhere, breaks=breaks, clauses=[*clauses, *more]))
        return judge_all(said)

    rule = of_all(False)
    if not rule["met"]:
        for seared in profile.exceptions:
            at = _seared_at(plan, cook, seared)
            if at is not None:
                return rule | {
                    "clause": seared.id, "met": True, "met_at_s": round(at, 3), "remaining_s": 0.0, "needs": joined([say("Met."), say(seared.note)])
                }  # fmt: skip
    missing = [words for pairs in force.open.values() for _, words in pairs]
    if not rule["met"] and missing:
        loose = of_all(True)
        if loose["met"]:
            return loose | {"met": None, "met_at_s": None, "remaining_s": None, "needs": missing[0]}
        return loose
    return rule


def _seared_at(plan: Plan, cook: Cook, seared: Seared) -> float | None:
    """When an intact piece's outside has met the rows of a clause for it, s; None when that clause does not hold."""
    required = plan.required
    if not required.whole or required.form not in seared.forms or required.species not in seared.species:
        return None
    if plan.guests == "susceptible" or plan.cut_at is not None:  # cut faces were inside when the outside was seared
        return None
    outside = [cook.surface_a] if cook.closed and not cook.elsewhere.size else [cook.surface_a, cook.surface_b]
    field = np.column_stack(outside)
    if not seared.top_and_bottom and cook.elsewhere.size:
        field = np.hstack([field, cook.elsewhere])
    met, _ = met_times(cook.t, field, seared.rows, interpolate=True)
    at = float(met.min(axis=0).max())
    return at if np.isfinite(at) else None
