"""Take what boards send: moves done, notes, undos, finishes."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from django.db import IntegrityError, transaction

from ember_core.errors import InputError
from ember_core.formats.usable import text_fault
from ember_core.line.fold import CHECK, EXTEND, FINISH, HAPPENED, KINDS, MOVE, NOTE, PROBE, START, UNDO
from ember_core.running.history import TAKES
from ember_core.wording.message import say
from ember_web.line.adapters import core_event, moment, state_of
from ember_web.line.check_skill import width_of
from ember_web.line.clock import kitchen_time
from ember_web.line.events import EVENT_KEY, id_taken
from ember_web.line.models import Cook, Event
from ember_web.line.queries import LATEST_S
from ember_web.line.replaying import usable
from ember_web.line.signals import announce, cook_finished
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.keys import constraint_of
from ember_web.tenancy.models import Kitchen

EARLIEST = timedelta(days=2)
OWN = "own"  # the width of whoever checks, learnt
LONGEST_NOTE = 500
LONGEST_S = 86_400.0  # of a door, a basting


def _text(raw: Mapping[str, Any], key: str, most: int) -> str:
    """A text of an event, or a refusal by its name."""
    value = raw.get(key, "")
    if not isinstance(value, str):
        raise InputError(say("{key} must be text.", key=key), path=key)
    fault = text_fault(value, most)
    if fault:
        raise InputError(say("{key} {fault}.", key=key, fault=fault), path=key)
    return value


def _uuid(raw: Mapping[str, Any], key: str) -> uuid.UUID:
    try:
        return uuid.UUID(str(raw.get(key))[:60])
    except ValueError:
        raise InputError(say("{key} must be a UUID.", key=key), path=key) from None


def read_event(raw: Any, kitchen: Kitchen, now: datetime) -> tuple[Event, str]:
    """Check one event of a client; returns an unsaved row and the cook's id. Raises InputError."""
    if not isinstance(raw, Mapping):
        raise InputError(say("An event must be an object."), path="event")
    event_id = _uuid(raw, "id")
    supersedes = _uuid(raw, "supersedes") if raw.get("supersedes") else None
    kind = raw.get("kind")
    if kind not in KINDS or kind == START:
        raise InputError(
            say("kind must be one of {choices}.", choices=", ".join(k for k in KINDS if k != START)), path="kind"
        )
    at = raw.get("occurred_at")
    if not isinstance(at, int | float) or isinstance(at, bool) or not abs(at) < 1e15:
        raise InputError(say("occurred_at must be a time in ms since 1970, kitchen time."), path="occurred_at")
    if at / 1000.0 < (now - EARLIEST).timestamp():
        raise InputError(say("occurred_at lies more than two days back."), path="occurred_at")
    # a device whose clock runs ahead: the server's time is the better one
    late = at / 1000.0 > now.timestamp() + LATEST_S * max(kitchen.clock_rate, 1.0)
    when = now if late else moment(at / 1000.0)
    payload: dict[str, Any] = {}
    if kind == MOVE:
        payload["move"] = _text(raw, "move", 20)
    if kind == EXTEND:
        seconds = raw.get("seconds", 60)
        if not isinstance(seconds, int | float) or isinstance(seconds, bool) or not -3600 <= seconds <= 3600:
            raise InputError(say("seconds must lie between -3600 and 3600."), path="seconds")
        payload["seconds"] = seconds
    if kind == NOTE:
        payload["text"] = _text(raw, "text", LONGEST_NOTE)
    if kind in {CHECK, PROBE} or kind in HAPPENED:
        needed, allowed = TAKES[kind]
        payload |= {k: raw[k] for k in (*needed, *allowed) if raw.get(k) not in (None, "")}
        seconds = payload.get("seconds", 0.0)
        if not isinstance(seconds, int | float) or isinstance(seconds, bool) or not abs(seconds) <= LONGEST_S:
            raise InputError(say("seconds: write a number, such as 30."), path="seconds")
    if kind == UNDO and supersedes is None:
        raise InputError(say("undo needs supersedes, the id of the event it takes back."), path="supersedes")
    row = Event(
        id=event_id,
        kitchen=kitchen,
        kind=kind,
        payload=payload,
        supersedes=supersedes,
        occurred_at=when,
        device=_text(raw, "device", 40),
    )
    return row, _text(raw, "cook", 40)


@action(Rank.COOK, trail=False, atomic=False)
def take_events(actor: Actor, raw_events: Any) -> list[dict[str, str]]:
    """Append events; one answer an event: ``taken``, ``known`` or ``refused`` with the reason. Each stands alone.

    Raises
    ------
    InputError
        When it is no list, or too long.
    """
    kitchen = actor.kitchen
    if not isinstance(raw_events, list) or len(raw_events) > 200:
        raise InputError(say("events must be a list of at most 200."), path="events")
    answers = []
    now = kitchen_time(kitchen)
    for raw in raw_events:
        try:
            row, cook_id = read_event(raw, kitchen, now)
            answers.append({"id": str(row.id), "status": _append(actor, row, cook_id)})
        except IntegrityError as error:
            if constraint_of(error) != EVENT_KEY:
                raise
            answers.append(_refused(raw, id_taken("id")))
        except InputError as error:
            answers.append(_refused(raw, error))
    return answers


def _refused(raw: Any, error: InputError) -> dict[str, str]:
    sent = raw.get("id", "") if isinstance(raw, Mapping) else ""
    return {
        "id": sent if isinstance(sent, str) else "",
        "status": "refused",
        "message": error.message,
        "path": error.path,
    }


def _append(actor: Actor, row: Event, cook_id: str) -> str:
    """Append one event once; of a finish the others are told, within its transaction."""
    kitchen = actor.kitchen
    with transaction.atomic():
        rows = Cook.objects.select_for_update().defer("document", "result", "trace")  # few events need them
        cook = rows.filter(kitchen=kitchen, public_id=cook_id).first()
        if cook is None:
            raise InputError(say("No such cook in this kitchen."), path="cook")
        # the lock on the cook orders all its events; the primary key makes a repeat harmless
        known = Event.objects.filter(kitchen=kitchen, id=row.id).first()
        if known is not None:
            if known.cook_id != cook.id:
                raise id_taken("id")
            return "known"
        if cook.finished:
            raise InputError(say("This cook is finished; its record is in the log."), path="cook", code="finished")
        if row.kind == MOVE and row.payload["move"] not in {m["id"] for m in cook.moves}:
            raise InputError(say("No such move in this cook."), path="move")
        if row.supersedes and not cook.events.filter(id=row.supersedes).exclude(kind=START).exists():
            raise InputError(say("The event to take back is not one of this cook's."), path="supersedes")
        begun = cook.events.filter(kind=START).order_by("occurred_at").first()
        if begun is not None and row.occurred_at < begun.occurred_at:
            row.occurred_at = begun.occurred_at  # within a cook nothing lies before its start
        if row.kind in {CHECK, PROBE} or row.kind in HAPPENED:
            if row.payload.get("width") == OWN:  # as this person has been, as far as that is known
                row.payload["width"] = width_of(kitchen, actor.user, str(row.payload.get("check"))) or "untrained"
            _usable(cook, row)
        row.cook, row.actor = cook, actor.user
        row.save(force_insert=True)
        if row.kind == FINISH:
            cook.finished = True
            cook.save(update_fields=["finished"])
            cook_finished.send(Cook, actor=actor, cook=cook)
        announce(kitchen)
    return "taken"


def _usable(cook: Cook, row: Event) -> None:
    """Whether what happened can be part of this cook's history; errors name the part that was sent."""
    state = state_of(cook)
    sent = core_event(row.id, row.kind, row.payload, None, row.occurred_at)
    try:
        usable(cook.document, state, sent)
    except InputError as error:
        error.path = error.path.split("/", 3)[-1] if error.path.startswith("/events/") else error.path
        raise
