"""Put a plan's piece on the line."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db import IntegrityError, transaction
from django.db.models import Q

from ember_core import __version__
from ember_core.book.book import Book, shipped
from ember_core.data.loader import data_version
from ember_core.entry.shared_pieces import each_piece
from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.formats.usable import text_fault
from ember_core.line.fold import START
from ember_core.line.set_out import items
from ember_core.planning.compute import Outcome, compute, spreads_of
from ember_core.planning.moves import moves
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import STOP, standing
from ember_core.wording.message import say
from ember_web.book.public import book_of
from ember_web.jobs.waiting import solver
from ember_web.line.clock import kitchen_time
from ember_web.line.events import EVENT_KEY, id_taken
from ember_web.line.media import gear_of
from ember_web.line.models import Cook, Event, Probe
from ember_web.line.second_probe import second_part
from ember_web.line.signals import announce
from ember_web.plans.models import Plan
from ember_web.plans.public import thin_trace
from ember_web.tenancy.action import Actor, Rank, action, leave_trail
from ember_web.tenancy.keys import constraint_of
from ember_web.tenancy.models import Kitchen

LONGEST_REASON = 200
LONGEST_SINCE_MIN = 720.0


@dataclass(frozen=True)
class StartCook:
    """Which plan (public id), at which station, with which probe (name; none when empty).

    ``second`` is a second probe, of a bird; ``piece`` which of those that lie together, 0 the plan's own. ``gear`` names what it goes into, where there are several. ``there`` are the items of its set-out check that are there (None: nobody was
    asked); what is missing needs a ``reason``. ``event`` is the id of its start, made by the client: started twice with the same it is one.
    """

    plan: str
    station: str = ""
    probe: str = ""
    event: uuid.UUID | None = None
    gear: tuple[str, ...] = ()
    there: tuple[str, ...] | None = None
    reason: str = ""
    second: str = ""
    piece: int = 0
    since_min: float = 0.0


def checked_out(document: Mapping[str, Any], command: StartCook) -> dict[str, Any]:
    """What the set-out check of a start amounts to; empty where nobody was asked.

    Raises
    ------
    InputError
        Something is missing and no reason is given, or the reason cannot be kept.
    """
    if command.there is None:
        return {}
    missing = [item.words for item in items(document) if item.id not in command.there]
    reason = command.reason.strip()
    fault = text_fault(reason, LONGEST_REASON)
    if fault:
        raise InputError(say("reason {fault}.", fault=fault), path="reason")
    if missing and not reason:
        raise InputError(
            say("Not everything is set out: tick what is there, or give a reason to start without it."),
            path="reason",
            code="set-out",
        )
    return {"missing": missing, "reason": reason if missing else ""}


def asked_of_a_stop(outcome: Outcome, command: StartCook) -> dict[str, str]:
    """What is kept of a plan that stands as *stop* and goes on heat anyway; empty where it does not, or nobody was asked.

    Raises
    ------
    InputError
        It is a stop, and no reason is given.
    """
    rule, plan = outcome.result["rule"], outcome.plan
    if command.there is None or rule is None:
        return {}
    profile = profile_of(plan.rules or "", plan.house, species=plan.required.species)
    found = standing(rule, plan.required, plan.guests, profile, outcome.findings)
    if found.state != STOP:
        return {}
    if not command.reason.strip():
        words = say(
            "This plan is a stop: {detail} Change the plan, or give a reason to start anyway.",
            detail=found.detail,
        )
        raise InputError(words, path="reason", code="stop")
    return {"stop": found.detail}


def named_by(book: Book, document: Mapping[str, Any]) -> dict[str, Any]:
    """The kitchen's own doneness names for a piece, as a cook carries them; empty where they are the food's."""
    piece = document["piece"]
    names = book.doneness_names(piece.get("food", ""), piece.get("cut", ""))
    return (
        {}
        if not names or names == shipped().doneness_names(piece.get("food", ""))
        else {"x-doneness": [list(n) for n in names]}
    )


def _busy(probe: Probe | None) -> InputError:
    words = say("{probe} is already in another piece; choose another probe or finish that cook.", probe=str(probe))
    return InputError(words, path="probe", code="probe-busy")


def _free(kitchen: Kitchen, *probes: Probe | None) -> None:
    """That none of the probes is in a running piece, first or second; they stay locked until this one is.

    Raises
    ------
    InputError
        One is.
    """
    wanted = [p.pk for p in probes if p is not None]
    for probe in Probe.objects.select_for_update().filter(kitchen=kitchen, pk__in=wanted).order_by("pk"):
        if Cook.objects.filter(Q(probe=probe) | Q(second_probe=probe), kitchen=kitchen, finished=False).exists():
            raise _busy(probe)


@action(Rank.COOK, trail=False, atomic=False)
def start_cook(actor: Actor, command: StartCook) -> Cook:
    """Compute it, and put it on the line now.

    Raises
    ------
    InputError
        Something missing without a reason; a plan, probe or piece of gear that is not this kitchen's, a probe that is already in another piece.
    Busy
        Too much is computed at once.
    """
    kitchen = actor.kitchen
    if command.event is not None:
        known = Event.objects.filter(id=command.event, kitchen=kitchen).select_related("cook").first()
        if known is not None:
            return known.cook
    plan = Plan.objects.filter(kitchen=kitchen, public_id=command.plan).first()
    if plan is None:
        raise InputError(say("No such plan in this kitchen."), path="plan", code="missing")
    probe = Probe.objects.filter(kitchen=kitchen, name=command.probe).first() if command.probe else None
    if command.probe and probe is None:
        raise InputError(
            say("That probe is not in this kitchen; choose one from the list."), path="probe", code="missing"
        )
    second = Probe.objects.filter(kitchen=kitchen, name=command.second).first() if command.second else None
    if command.second and (second is None or second == probe):
        words = say("second probe: choose another one from the list.")
        raise InputError(words, path="second", code="missing")
    pieces = each_piece(plan.document)
    if not 0 <= command.piece < len(pieces):
        raise InputError(
            say("piece: this plan has {n}; choose one of them.", n=len(pieces)), path="piece", code="choice"
        )
    if not 0.0 <= command.since_min <= LONGEST_SINCE_MIN:
        words = say("already on heat: give 0 to {most} minutes.", most=f"{LONGEST_SINCE_MIN:.0f}")
        raise InputError(words, path="since", code="range")
    document = pieces[command.piece]
    checked = parse(document)
    set_out = checked_out(document, command)
    lies_in = gear_of(kitchen, document, command.gear)
    book = book_of(kitchen)
    outcome = solver.run(compute, checked, with_forecast=False, book=book)
    stop = asked_of_a_stop(outcome, command)
    set_out |= {**stop, "reason": command.reason.strip()} if stop else {}
    if second is not None and second_part(outcome.result) is None:
        raise InputError(say("second probe: only a bird takes two; leave it out."), path="second", code="no-bird")
    # a cook on the line stands for itself: what it knows of its doubt goes along in the plan
    spreads = spreads_of(document, book)
    more = {"forecast": {**(document.get("forecast") or {}), "spreads": spreads}} if spreads else {}
    more |= named_by(book, document)
    now = kitchen_time(kitchen)
    try:
        with transaction.atomic():
            _free(kitchen, probe, second)
            cook = Cook.objects.create(
                kitchen=kitchen,
                plan=plan,
                title=plan.title if command.piece == 0 else document["title"] or plan.title,
                station=command.station or "Grill",
                document={**document, **more},
                result={k: v for k, v in outcome.result.items() if k != "samples"},
                trace=thin_trace(outcome),
                moves=[m.as_dict() for m in moves(checked, outcome.cook)],
                probe=probe,
                second_probe=second,
                gear=lies_in,
                set_out=set_out,
                created_at=now,
                core_version=__version__,
                data_version=data_version(),
            )
            Event.objects.create(
                id=command.event or uuid.uuid4(),
                kitchen=kitchen,
                cook=cook,
                kind=START,
                occurred_at=now - timedelta(minutes=command.since_min),
                actor=actor.user,
                device=actor.device[:40],
            )
            leave_trail(actor, "start_cook", cook)
            announce(kitchen)
    except IntegrityError as error:
        broken = constraint_of(error)
        if broken in {"probe_in_one_running_cook", "second_probe_in_one_running_cook"}:
            raise _busy(probe if broken.startswith("probe") else second) from None
        if broken == EVENT_KEY:
            raise id_taken("event") from None
        raise
    return cook
