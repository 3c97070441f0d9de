"""Duplicate plans."""

from __future__ import annotations

from dataclasses import dataclass

from ember_web.plans.actions.save_plan import SavePlan, save_plan
from ember_web.plans.models import Plan
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.voice import tell

MAX_TITLE = 200


@dataclass(frozen=True)
class DuplicatePlans:
    """Public ids of plans of the kitchen."""

    plans: tuple[str, ...]


@action(Rank.COOK, trail=False)
def duplicate_plans(actor: Actor, command: DuplicatePlans) -> list[str]:
    """Save each once more under a title of its own, all or none; the public ids of the new ones, in that order.

    Raises
    ------
    InputError
        What of a plan cannot be used any more.
    """
    found = {p.public_id: p for p in Plan.objects.filter(kitchen=actor.kitchen, public_id__in=command.plans)}
    made = []
    for plan in (found[i] for i in command.plans if i in found):
        title = tell("{title}, copy", title=plan.title)[:MAX_TITLE]
        copy = SavePlan({**plan.document, "title": title}, "", entered=plan.entered, summary=plan.summary)
        made.append(save_plan(actor, copy).public_id)
    return made
