"""Bring an earlier revision of a plan back."""

from __future__ import annotations

from dataclasses import dataclass

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.plans.actions.save_plan import SavePlan, save_plan
from ember_web.plans.models import Plan, PlanRevision
from ember_web.tenancy.action import Actor, Rank, action


@dataclass(frozen=True)
class RestorePlan:
    """Public id of a plan, the number of one of its revisions, and that of the newest that was seen (0: not asked)."""

    plan: str
    number: int
    seen: int = 0


@action(Rank.COOK, trail=False)
def restore_plan(actor: Actor, command: RestorePlan) -> Plan:
    """Save the revision again as the newest; none is lost.

    Raises
    ------
    InputError
        A revision that is not this kitchen's, or a plan that somebody saved since.
    """
    found = PlanRevision.objects.filter(
        kitchen=actor.kitchen, plan__public_id=command.plan, number=command.number
    ).first()
    if found is None:
        raise InputError(say("There is no such version of a plan here."), path="number", code="missing")
    document = {**found.document, "title": found.title}
    return save_plan(actor, SavePlan(document, command.plan, command.seen, entered=found.entered))
