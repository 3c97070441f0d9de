"""Other pieces in the same pan, fat, water or bath as a piece, by plans of their own."""

from __future__ import annotations

from functools import reduce
from math import isinf
from operator import or_

from django.db.models import Exists, OuterRef, Q

from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.line.fold import FINISH, CookState
from ember_core.plan.finding import Finding
from ember_core.plan.kinds import CONTACT_KINDS
from ember_core.running.history import running
from ember_core.running.judging import piece_until
from ember_core.safety.premise import Basis, Premise
from ember_core.safety.whole_plan import raw_neighbour
from ember_core.wording.message import say
from ember_web.line.adapters import moment, state_of
from ember_web.line.media import MediumUse, begun_uses
from ember_web.line.models import Cook, Event
from ember_web.line.replaying import cook_document


def uses_in_contact(cook: Cook, state: CookState) -> list[MediumUse]:
    """Its stages in gear that the kitchen knows, in which one piece leaves something for another."""
    uses = begun_uses(cook.document, cook.result, cook.moves, state, cook.gear)
    return [u for u in uses if u.gear is not None and u.kind in CONTACT_KINDS]


def raw_neighbour_of(cook: Cook, state: CookState, end: float) -> tuple[Premise | None, list[Finding]]:
    """Whether another cook's piece left the same medium raw, as a premise of this one's rule with what is said of it.

    One that still lies there is taken as its plan foresees it.

    Parameters
    ----------
    cook : Cook
        Its plan names rules.
    state : CookState
    end : float
        Until when it is asked, s since 1970.
    """
    mine = uses_in_contact(cook, state)
    if not mine or not cook.document.get("rules"):
        return None, []
    begun = moment(min(u.start for u in mine))
    same_gear = reduce(or_, (Q(gear__contains={kind: key}) for kind, key in cook.gear.items()))
    over_since = Event.objects.filter(cook=OuterRef("pk"), kind=FINISH, occurred_at__gte=begun)
    not_over = Q(finished=False) | Exists(over_since)
    others = Cook.objects.filter(same_gear, not_over, kitchen=cook.kitchen_id, created_at__lte=moment(end))
    beside = []
    for other in others.exclude(pk=cook.pk).defer("trace").prefetch_related("events"):
        its = state_of(other)
        met = [u for u in uses_in_contact(other, its) if any(_overlap(u, m) for m in mine)]
        if not met or its.started is None:
            continue
        left = None if isinf(met[-1].end) else met[-1].end - its.started
        try:
            beside.append(piece_until(running(cook_document(other.document, its, end)), left))
        except EmberError as error:
            words = say(
                "{title} was in the same pan, fat, water or bath, and its state is not known: {why}",
                title=other.title, why=error.message,
            )  # fmt: skip
            return Premise("neighbours", Basis.UNKNOWN, say("the board"), words), []
    return raw_neighbour(parse(cook.document), beside)


def _overlap(one: MediumUse, other: MediumUse) -> bool:
    return one.gear == other.gear and one.start < other.end and other.start < one.end
