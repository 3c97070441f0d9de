"""The public API: probe hubs post readings; a simulated kitchen asks what is on the line.

A hub signs in with a token that belongs to one kitchen. Readings are stored and forwarded: the hub
numbers them within a boot, keeps them until they are answered, and may send any of them again.
"""

from __future__ import annotations

import math
from datetime import datetime, timedelta
from typing import Any

from django.db import connection, transaction
from django.http import HttpRequest
from ninja import Field, NinjaAPI, Schema
from ninja.errors import ValidationError
from ninja.security import HttpBearer

from ember_core.formats.usable import text_fault
from ember_web.kitchens.models import Kitchen
from ember_web.line.adapters import state_of
from ember_web.line.models import HubToken, Probe, Reading
from ember_web.line.queries import running
from ember_web.line.services import announce

PLAUSIBLE_C = (-60.0, 400.0)
AHEAD = timedelta(minutes=2)
BEHIND = timedelta(days=7)
BATCH = 1000
READINGS_LOCK = 8750  # class of the advisory lock; the kitchen's key is the other half


class TokenAuth(HttpBearer):
    """``Authorization: Bearer <token>``; the answer to a wrong one is 401."""

    def authenticate(self, request: HttpRequest, token: str) -> Kitchen | None:
        """The token's kitchen."""
        row = HubToken.objects.select_related("kitchen").filter(digest=HubToken.digest_of(token)).first()
        return row.kitchen if row else None


api = NinjaAPI(title="Open Ember", version="1", docs_url=None, urls_namespace="api-1", auth=TokenAuth())


class ReadingIn(Schema):
    """One reading; times are the kitchen's (see ``now`` in every answer)."""

    probe: str = Field(max_length=40)
    boot: str = Field(min_length=1, max_length=40, description="Changes whenever the hub starts anew.")
    sequence: int = Field(ge=0, lt=2**62)
    at: datetime
    core_c: float


class ReadingsIn(Schema):
    """A batch."""

    readings: list[ReadingIn] = Field(max_length=BATCH)


class Answer(Schema):
    """What became of one reading: taken, known (sent before), later (keep it, send it again) or refused, with the reason."""

    boot: str
    sequence: int
    status: str
    message: str = ""


class Answers(Schema):
    """Answers in the order of the batch, and the kitchen's time."""

    answers: list[Answer]
    now: datetime
    rate: float


@api.exception_handler(ValidationError)
def invalid(request: HttpRequest, error: ValidationError) -> Any:
    """A body that is not what the schema asks for: where, and what to do."""
    first = error.errors[0]
    path = "/" + "/".join(str(p) for p in first["loc"][2:])
    body = {"error": {"code": "format", "message": f"{path}: {first['msg']}. See /api/v1/openapi.json.", "path": path}}
    return api.create_response(request, body, status=422)


def refusal(reading: ReadingIn, probe: Probe | None, now: datetime) -> tuple[str, str]:
    """Status and reason when a reading cannot be taken: ``refused`` for good, or ``later``; nothing when it can."""
    words = _never(reading, probe, now)
    if words:
        return "refused", words
    if reading.at > now + AHEAD:
        return (
            "later",
            "at lies in the future of the kitchen's clock; keep it and send it again, or set the hub's clock.",
        )
    return "", ""


def _never(reading: ReadingIn, probe: Probe | None, now: datetime) -> str:
    fault = text_fault(reading.probe) or text_fault(reading.boot)
    if fault:
        return f"A name {fault}."
    if probe is None:
        return f"This kitchen has no probe {reading.probe!r}; add it, or check the hub's settings."
    if not math.isfinite(reading.core_c) or not PLAUSIBLE_C[0] <= reading.core_c <= PLAUSIBLE_C[1]:
        return f"core_c {reading.core_c} is outside {PLAUSIBLE_C[0]:g} to {PLAUSIBLE_C[1]:g} °C; check the probe and the unit."
    if reading.at.tzinfo is None:
        return "at has no offset from UTC; add Z or +hh:mm."
    if reading.at < now - BEHIND:
        return "at lies more than 7 days back; readings that old are not taken."
    return ""


@api.post("/readings", response=Answers, summary="Post readings")
def post_readings(request: HttpRequest, body: ReadingsIn) -> Any:
    """Take a batch. Doubles are answered ``known``; the order of arrival does not matter."""
    kitchen: Kitchen = request.auth  # type: ignore[attr-defined]
    now = kitchen.now()
    probes = {p.name: p for p in Probe.objects.filter(kitchen=kitchen)}
    answers: list[Answer] = []
    rows: list[Reading] = []
    keys: set[tuple[str, str, int]] = set()
    wanted = {(r.probe, r.boot, r.sequence) for r in body.readings if not text_fault(r.boot)}
    known = set(
        Reading.objects.filter(
            probe__in=probes.values(), boot_id__in={b for _, b, _ in wanted}, sequence__in={s for _, _, s in wanted}
        ).values_list("probe__name", "boot_id", "sequence")
    )
    for r in body.readings:
        refused, reason = refusal(r, probes.get(r.probe), now)
        key = (r.probe, r.boot, r.sequence)
        status = refused or ("known" if key in known or key in keys else "taken")
        if status == "taken":
            keys.add(key)
            rows.append(
                Reading(
                    kitchen=kitchen,
                    probe=probes[r.probe],
                    boot_id=r.boot,
                    sequence=r.sequence,
                    measured_at=r.at,
                    core_c=r.core_c,
                )
            )
        answers.append(Answer(boot=r.boot, sequence=r.sequence, status=status, message=reason))
    if rows:
        with transaction.atomic():
            # one sender of a kitchen after another, so that ids are given in the order of the commits: boards rely on it
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_xact_lock(%s, %s)", [READINGS_LOCK, kitchen.pk])
            # a second sender of the same reading may win between the look and the insert: then it is known
            Reading.objects.bulk_create(rows, ignore_conflicts=True)
            announce(kitchen, soon=True)
    return {"answers": answers, "now": now, "rate": kitchen.clock_rate}


@api.get("/probes", summary="Probes of the kitchen")
def list_probes(request: HttpRequest) -> Any:
    """Names and labels, and the kitchen's time."""
    kitchen: Kitchen = request.auth  # type: ignore[attr-defined]
    probes = Probe.objects.filter(kitchen=kitchen)
    return {
        "probes": [{"name": p.name, "label": p.label} for p in probes],
        "now": kitchen.now(),
        "rate": kitchen.clock_rate,
    }


@api.get("/line", summary="What is on the line, for a simulated kitchen")
def on_the_line(request: HttpRequest) -> Any:
    """Running cooks with a probe: the plan, and when each move was really done."""
    kitchen: Kitchen = request.auth  # type: ignore[attr-defined]
    cooks = []
    for cook in running(kitchen):
        state = state_of(cook)
        if cook.probe is None or state.started is None:
            continue
        cooks.append(
            {
                "id": cook.public_id,
                "probe": cook.probe.name,
                "plan": cook.document,
                "started": state.started,
                "moves": [
                    {"stage": raw["stage"], "offset_s": m.offset_s, "done": m.done}
                    for m, raw in zip(state.moves, cook.moves, strict=True)
                ],
            }
        )
    return {"cooks": cooks, "now": kitchen.now().timestamp(), "rate": kitchen.clock_rate}
