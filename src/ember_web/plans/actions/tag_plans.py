"""Give plans a tag, or take one away."""

from __future__ import annotations

from dataclasses import dataclass

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.plans.models import Plan
from ember_web.tenancy.action import Actor, Rank, action

MOST_TAGS, LONGEST = 12, 30


@dataclass(frozen=True)
class TagPlans:
    """Public ids of plans of the kitchen, and a word; ``off`` takes it away."""

    plans: tuple[str, ...]
    tag: str
    off: bool = False


@action(Rank.COOK)
def tag_plans(actor: Actor, command: TagPlans) -> str:
    """Tag them. Returns how many.

    Raises
    ------
    InputError
        An empty or long tag, or one too many on a plan.
    """
    tag = " ".join(command.tag.split()).lower()
    if not 0 < len(tag) <= LONGEST:
        raise InputError(say("A tag is a word of at most {most} letters.", most=LONGEST), path="tag")
    done = 0
    for plan in Plan.objects.select_for_update().filter(kitchen=actor.kitchen, public_id__in=command.plans):
        tags = [t for t in plan.tags if t != tag] + ([] if command.off else [tag])
        if len(tags) > MOST_TAGS:
            raise InputError(
                say("{title} has {most} tags; remove one first.", title=plan.title, most=MOST_TAGS), path="tag"
            )
        plan.tags = tags
        plan.save(update_fields=["tags"])
        done += 1
    return str(done)
