"""The public API: probe hubs post readings; a simulated kitchen asks what is on the line.

A hub signs in with a token that belongs to one kitchen. Readings are stored and forwarded: the hub
numbers them within a boot, keeps them until they are answered, and may send any of them again.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Field, NinjaAPI, Schema
from ninja.errors import ValidationError
from ninja.security import HttpBearer

from ember_web.line.actions.take_readings import BATCH, SentReading, take_readings
from ember_web.line.adapters import state_of
from ember_web.line.models import HubToken, Probe
from ember_web.line.queries import running
from ember_web.line.truth import as_done
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen


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


@api.post("/readings", response=Answers, summary="Post readings")
def post_readings(request: HttpRequest, body: ReadingsIn) -> Any:
    """Take a batch. Doubles are answered ``known``; the order of arrival does not matter."""
    kitchen: Kitchen = request.auth  # type: ignore[attr-defined]
    sent = [SentReading(r.probe, r.boot, r.sequence, r.at, r.core_c) for r in body.readings]
    answers = take_readings(Actor.hub(kitchen), sent)
    return {
        "answers": [Answer(boot=a.boot, sequence=a.sequence, status=a.status, message=a.message) for a in answers],
        "now": kitchen.now(),
        "rate": kitchen.clock_rate,
    }


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
    """Running cooks with a probe: the plan as it really is done, and when each move was."""
    kitchen: Kitchen = request.auth  # type: ignore[attr-defined]
    cooks = []
    for cook in running(kitchen):
        state = state_of(cook)
        if cook.probe is None or state.started is None:
            continue
        plan, moves = as_done(cook.document, state, cook.moves)
        cooks.append(
            {"id": cook.public_id, "probe": cook.probe.name, "plan": plan, "started": state.started, "moves": moves}
        )
    return {"cooks": cooks, "now": kitchen.now().timestamp(), "rate": kitchen.clock_rate}
