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
    """Public id of a plan, and the number of one of its revisions."""

    plan: str
    number: int


@action(Rank.COOK, trail=False)
def restore_plan(actor: Actor, command: RestorePlan) -> Plan:
    """Save the revision again as the newest; none is lost.

    Raises
    ------
    InputError
        A revision that is not this kitchen's.
    """
    found = PlanRevision.objects.filter(
        kitchen=actor.kitchen, plan__public_id=command.plan, number=command.number
    ).first()
    if found is None:
        raise InputError(say("There is no such version of a plan here."), path="number", code="missing")
    document = {**found.document, "title": found.title}
    return save_plan(actor, SavePlan(document, command.plan, entered=found.entered))
