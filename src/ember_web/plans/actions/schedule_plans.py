"""Give plans one time on the plate."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime

from ember_core.wording.message import join_sentences, say
from ember_web.plans.actions.save_plan import ChangedMeanwhile, SavePlan, newest_of, save_plan
from ember_web.plans.models import Plan
from ember_web.tenancy.action import Actor, Rank, action


@dataclass(frozen=True)
class SchedulePlans:
    """Public ids of plans of the kitchen, when they are served, and the newest revision of each that was seen (none: not asked)."""

    plans: tuple[str, ...]
    serve_at: datetime
    seen: Mapping[str, int] = field(default_factory=dict)


@action(Rank.COOK, trail=False)
def schedule_plans(actor: Actor, command: SchedulePlans) -> list[tuple[str, int]]:
    """Save each with that time, all or none; the public id of each and the number of the revision before.

    Raises
    ------
    ChangedMeanwhile
        Names the plans that somebody saved since they were seen.
    InputError
        What of a plan cannot be used any more.
    """
    rows = Plan.objects.select_for_update().filter(kitchen=actor.kitchen, public_id__in=command.plans).order_by("pk")
    newest = {plan: newest_of(plan) for plan in rows}
    changed = [p.title for p, number in newest.items() if number > command.seen.get(p.public_id, number)]
    if changed:
        words = say(
            "Somebody saved {titles} since this list was shown. Nothing was changed: look at the list again.",
            titles=join_sentences([say("{title}", title=title) for title in changed], ", "),
        )
        raise ChangedMeanwhile(words, path="plan", code="changed")
    for plan in newest:
        document = {**plan.document, "serve_at": command.serve_at.isoformat(timespec="minutes")}
        save_plan(actor, SavePlan(document, plan.public_id, entered=plan.entered, summary=plan.summary))
    return [(p.public_id, number) for p, number in newest.items()]
