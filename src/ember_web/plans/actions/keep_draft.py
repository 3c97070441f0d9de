"""Keep what a person has changed in a sentence, or forget it."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import parse_qsl, urlencode

from django.core.exceptions import PermissionDenied
from django.utils.translation import gettext as _

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.plans.models import Draft, Plan
from ember_web.tenancy.action import Actor, Rank, action

LONGEST, MOST_PARTS = 4000, 40


@dataclass(frozen=True)
class KeepDraft:
    """The sentence as an address says it, in words, and the public id of the plan it changes; an empty state forgets it."""

    state: str
    words: str = ""
    plan: str = ""


@action(Rank.COOK, trail=False)
def keep_draft(actor: Actor, command: KeepDraft) -> None:
    """One for each person and plan; a person's own, seen by nobody else.

    Raises
    ------
    PermissionDenied
        An actor that is no person.
    InputError
        A plan that is not this kitchen's, or a state that is none.
    """
    if actor.user is None:
        raise PermissionDenied(_("Only a person has drafts."))
    plan = None
    if command.plan:
        plan = Plan.objects.filter(kitchen=actor.kitchen, public_id=command.plan).first()
        if plan is None:
            raise InputError(say("No such plan in this kitchen; save it as a new one."), path="plan", code="missing")
    mine = Draft.objects.filter(kitchen=actor.kitchen, user=actor.user, plan=plan)
    if not command.state:
        mine.delete()
        return
    if len(command.state) > LONGEST:
        raise InputError(say("A draft has at most {most} letters.", most=LONGEST), path="state")
    try:
        state = urlencode(parse_qsl(command.state, keep_blank_values=True, max_num_fields=MOST_PARTS))
    except ValueError:
        raise InputError(say("A draft is a sentence as an address says it."), path="state") from None
    Draft.objects.update_or_create(
        kitchen=actor.kitchen, user=actor.user, plan=plan, defaults={"state": state, "words": command.words[:200]}
    )
