"""What changes the line: starting a cook, taking events, finishing into the log."""

from __future__ import annotations

import os
import uuid
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from django.db import IntegrityError, connection, transaction
from django.db.models import Max

from ember_core import __version__
from ember_core.data.loader import data_version
from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.formats.usable import text_fault
from ember_core.line.fold import EXTEND, FINISH, KINDS, MOVE, NOTE, START, UNDO
from ember_core.planning.compute import compute
from ember_core.planning.moves import moves
from ember_web.kitchens.models import Kitchen, User
from ember_web.line.adapters import moment
from ember_web.line.freshness import changed
from ember_web.line.models import Cook, Event, Probe
from ember_web.plans.adapters import thin_trace
from ember_web.plans.models import Plan

CHANNEL = "ember_line"
LATEST_S = 5.0  # an event may lie this far in the future: clocks of devices differ
EARLIEST = timedelta(days=2)
LONGEST_NOTE = 500


def announce(kitchen: Kitchen, *, soon: bool = False) -> None:
    """Tell every open board, after the transaction stands; ``soon`` for readings, which may be told a moment later."""
    word = f"{kitchen.public_id} {'soon' if soon else 'now'} {os.getpid()}"

    def send() -> None:
        changed(kitchen.public_id, soon=soon)
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_notify(%s, %s)", [CHANNEL, word])

    transaction.on_commit(send)


def kitchen_time(kitchen: Kitchen) -> datetime:
    """The kitchen's time, never before what has already happened on its line.

    When the machine started with its clock set back, the kitchen's goes on from the last event, and
    every running cook gets a note of it, which stands in its record.
    """
    slack = timedelta(seconds=LATEST_S * max(kitchen.clock_rate, 1.0))

    def behind() -> datetime | None:
        rows = Event.objects.filter(kitchen=kitchen, cook__finished=False)
        latest: datetime | None = rows.aggregate(latest=Max("occurred_at"))["latest"]
        return latest if latest is not None and kitchen.now() < latest - slack else None

    if behind() is None:
        return kitchen.now()
    with transaction.atomic():
        Kitchen.objects.select_for_update().get(pk=kitchen.pk)
        kitchen.refresh_from_db(fields=["clock_real", "clock_kitchen", "clock_rate"])
        latest = behind()  # another request may have put it right meanwhile
        if latest is not None:
            minutes = (latest - kitchen.now()).total_seconds() / 60.0
            text = f"The kitchen's clock was found set back by {minutes:.0f} min; times go on from the last event."
            kitchen.set_forward(latest)
            for cook in Cook.objects.filter(kitchen=kitchen, finished=False):
                Event.objects.create(kitchen=kitchen, cook=cook, kind=NOTE, payload={"text": text}, occurred_at=latest)
            announce(kitchen)
    return kitchen.now()


def start_cook(
    kitchen: Kitchen, user: User, plan: Plan, *, station: str, probe: Probe | None, event_id: uuid.UUID | None = None
) -> Cook:
    """Put a plan's piece on the line now.

    Raises
    ------
    InputError
        When the probe is already in another piece.
    """
    if event_id is not None:
        known = Event.objects.filter(id=event_id, kitchen=kitchen).select_related("cook").first()
        if known is not None:
            return known.cook
    checked = parse(plan.document)
    outcome = compute(checked, with_forecast=False)
    now = kitchen_time(kitchen)
    try:
        with transaction.atomic():
            cook = Cook.objects.create(
                kitchen=kitchen,
                plan=plan,
                title=plan.title,
                station=station or "Grill",
                document=plan.document,
                result={k: v for k, v in outcome.result.items() if k != "samples"},
                trace=thin_trace(outcome),
                moves=[m.as_dict() for m in moves(checked, outcome.cook)],
                probe=probe,
                created_at=now,
                core_version=__version__,
                data_version=data_version(),
            )
            Event.objects.create(
                id=event_id or uuid.uuid4(), kitchen=kitchen, cook=cook, kind=START, occurred_at=now, actor=user
            )
            announce(kitchen)
    except IntegrityError:
        raise InputError(
            f"{probe} is already in another piece; choose another probe or finish that cook.",
            path="probe",
            code="probe-busy",
        ) from None
    return cook


def _text(raw: Mapping[str, Any], key: str, most: int) -> str:
    """A text of an event, or a refusal by its name."""
    value = raw.get(key, "")
    if not isinstance(value, str):
        raise InputError(f"{key} must be text.", path=key)
    fault = text_fault(value, most)
    if fault:
        raise InputError(f"{key} {fault}.", path=key)
    return value


def _uuid(raw: Mapping[str, Any], key: str) -> uuid.UUID:
    try:
        return uuid.UUID(str(raw.get(key))[:60])
    except ValueError:
        raise InputError(f"{key} must be a UUID.", path=key) from None


def read_event(raw: Any, kitchen: Kitchen, now: datetime) -> tuple[Event, str]:
    """Check one event of a client; returns an unsaved row and the cook's id. Raises InputError."""
    if not isinstance(raw, Mapping):
        raise InputError("An event must be an object.", path="event")
    event_id = _uuid(raw, "id")
    supersedes = _uuid(raw, "supersedes") if raw.get("supersedes") else None
    kind = raw.get("kind")
    if kind not in KINDS or kind == START:
        raise InputError(f"kind must be one of {', '.join(k for k in KINDS if k != START)}.", path="kind")
    at = raw.get("occurred_at")
    if not isinstance(at, int | float) or isinstance(at, bool) or not abs(at) < 1e15:
        raise InputError("occurred_at must be a time in ms since 1970, kitchen time.", path="occurred_at")
    if at / 1000.0 < (now - EARLIEST).timestamp():
        raise InputError("occurred_at lies more than two days back.", path="occurred_at")
    # a device whose clock runs ahead: the server's time is the better one
    late = at / 1000.0 > now.timestamp() + LATEST_S * max(kitchen.clock_rate, 1.0)
    when = now if late else moment(at / 1000.0)
    payload: dict[str, Any] = {}
    if kind == MOVE:
        payload["move"] = _text(raw, "move", 20)
    if kind == EXTEND:
        seconds = raw.get("seconds", 60)
        if not isinstance(seconds, int | float) or isinstance(seconds, bool) or not -3600 <= seconds <= 3600:
            raise InputError("seconds must lie between -3600 and 3600.", path="seconds")
        payload["seconds"] = seconds
    if kind == NOTE:
        payload["text"] = _text(raw, "text", LONGEST_NOTE)
    if kind == UNDO and supersedes is None:
        raise InputError("undo needs supersedes, the id of the event it takes back.", path="supersedes")
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


def take_events(kitchen: Kitchen, user: User, raw_events: Any) -> list[dict[str, str]]:
    """Append events; one answer an event: ``taken``, ``known`` or ``refused`` with the reason."""
    if not isinstance(raw_events, list) or len(raw_events) > 200:
        raise InputError("events must be a list of at most 200.", path="events")
    answers = []
    now = kitchen_time(kitchen)
    for raw in raw_events:
        try:
            row, cook_id = read_event(raw, kitchen, now)
            answers.append({"id": str(row.id), "status": append(kitchen, user, row, cook_id)})
        except IntegrityError:
            answers.append({"id": str(row.id), "status": "refused", "path": "id",
                            "message": "This id is another event's; send it with a new one."})  # fmt: skip
        except InputError as error:
            sent = raw.get("id", "") if isinstance(raw, Mapping) else ""
            answers.append(
                {
                    "id": sent if isinstance(sent, str) else "",
                    "status": "refused",
                    "message": error.message,
                    "path": error.path,
                }
            )
    return answers


def append(kitchen: Kitchen, user: User, row: Event, cook_id: str) -> str:
    """Append one event once; a finish also writes the record."""
    from ember_web.logbook.services import write_record

    with transaction.atomic():
        rows = Cook.objects.select_for_update().defer("document", "result", "trace")  # only a finish needs them
        cook = rows.filter(kitchen=kitchen, public_id=cook_id).first()
        if cook is None:
            raise InputError("No such cook in this kitchen.", path="cook")
        # the lock on the cook orders all its events; the primary key makes a repeat harmless
        known = Event.objects.filter(id=row.id).first()
        if known is not None:
            if known.cook_id != cook.id:
                raise InputError("This id is another event's; send it with a new one.", path="id", code="id-taken")
            return "known"
        if cook.finished:
            raise InputError("This cook is finished; its record is in the log.", path="cook", code="finished")
        if row.kind == MOVE and row.payload["move"] not in {m["id"] for m in cook.moves}:
            raise InputError("No such move in this cook.", path="move")
        if row.supersedes and not cook.events.filter(id=row.supersedes).exclude(kind=START).exists():
            raise InputError("The event to take back is not one of this cook's.", path="supersedes")
        begun = cook.events.filter(kind=START).order_by("occurred_at").first()
        if begun is not None and row.occurred_at < begun.occurred_at:
            row.occurred_at = begun.occurred_at  # within a cook nothing lies before its start
        row.cook, row.actor = cook, user
        row.save(force_insert=True)
        if row.kind == FINISH:
            cook.finished = True
            cook.save(update_fields=["finished"])
            write_record(cook)
        announce(kitchen)
    return "taken"
