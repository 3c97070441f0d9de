"""The public API: probe hubs post readings; a simulated kitchen asks what is on the line.

A hub signs in with a token that belongs to one kitchen. Readings are stored and forwarded: the hub
numbers them within a boot, keeps them until they are answered, and may send any of them again.
"""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import NinjaAPI
from ninja.errors import ValidationError
from ninja.security import HttpBearer

from ember_web.api.schemas import Answer, Answers, Devices, LineNow, Probes, ReadingsIn, Refused
from ember_web.kitchens.models import Equipment
from ember_web.line.actions.take_readings import SentReading, take_readings
from ember_web.line.models import HubToken, Probe, SimulatedFault
from ember_web.line.public import as_done, parts_as_cooked, running, second_part, state_of, turned_to
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen


class TokenAuth(HttpBearer):
    """``Authorization: Bearer <token>``; the answer to a wrong one is 401."""

    def authenticate(self, request: HttpRequest, token: str) -> Kitchen | None:
        """The token's kitchen."""
        row = HubToken.objects.select_related("kitchen").filter(digest=HubToken.digest_of(token)).first()
        return row.kitchen if row else None


api = NinjaAPI(title="Open Ember", version="1", docs_url=None, urls_namespace="api-1", auth=TokenAuth())


@api.exception_handler(ValidationError)
def invalid(request: HttpRequest, error: ValidationError) -> Any:
    """A body that is not what the schema asks for: where, and what to do."""
    first = error.errors[0]
    path = "/" + "/".join(str(p) for p in first["loc"][2:])
    body = {"error": {"code": "format", "message": f"{path}: {first['msg']}. See /api/v1/openapi.json.", "path": path}}
    return api.create_response(request, body, status=422)


@api.post("/readings", response={200: Answers, 422: Refused}, summary="Post readings")
def post_readings(request: HttpRequest, body: ReadingsIn) -> Any:
    """Take a batch. Doubles are answered ``known``; the order of arrival does not matter."""
    kitchen: Kitchen = request.auth  # type: ignore[attr-defined]
    sent = [SentReading(r.probe, r.boot, r.sequence, r.at, r.core_c, r.device, r.medium_c) for r in body.readings]
    answers = take_readings(Actor.hub(kitchen), sent)
    return {
        "answers": [Answer(boot=a.boot, sequence=a.sequence, status=a.status, message=a.message) for a in answers],
        "now": kitchen.now(),
        "rate": kitchen.clock_rate,
    }


@api.get("/probes", response=Probes, summary="Probes of the kitchen")
def list_probes(request: HttpRequest) -> Any:
    """Names and labels, and the kitchen's time."""
    kitchen: Kitchen = request.auth  # type: ignore[attr-defined]
    probes = Probe.objects.filter(kitchen=kitchen)
    return {
        "probes": [{"name": p.name, "label": p.label} for p in probes],
        "now": kitchen.now(),
        "rate": kitchen.clock_rate,
    }


@api.get("/devices", response=Devices, summary="What heats, with a thermometer that the hub reads")
def list_devices(request: HttpRequest) -> Any:
    """Names, kinds and labels of the kitchen's ovens, baths and so on, and its time."""
    kitchen: Kitchen = request.auth  # type: ignore[attr-defined]
    found = Equipment.objects.filter(kitchen=kitchen).exclude(hub_name="")
    return {
        "devices": [{"name": e.hub_name, "kind": e.kind, "label": e.name} for e in found],
        "now": kitchen.now(),
        "rate": kitchen.clock_rate,
    }


@api.get("/line", response=LineNow, summary="What is on the line, for a simulated kitchen")
def on_the_line(request: HttpRequest) -> Any:
    """Running cooks: the plan as it really is done, when each move was, the probe in it and the devices it goes into. Of
    devices what they are turned to and, in a simulated kitchen, what is to go wrong."""
    kitchen: Kitchen = request.auth  # type: ignore[attr-defined]
    on_heat = [(cook, state) for cook in running(kitchen) if (state := state_of(cook)).started is not None]
    gear = {e.pk: e for e in Equipment.objects.filter(kitchen=kitchen).exclude(hub_name="")}
    cooks = []
    for cook, state in on_heat:
        plan, moves = as_done(cook.document, state, cook.moves)
        cooks.append(
            {
                "id": cook.public_id,
                "probe": None if cook.probe is None else cook.probe.name,
                "plan": plan,
                "started": state.started,
                "moves": moves,
                "second": None
                if cook.second_probe is None
                else {"probe": cook.second_probe.name, "part": second_part(cook.result)},
                "parts": parts_as_cooked(cook),
                "devices": {gear[pk].kind: gear[pk].hub_name for pk in cook.gear.values() if pk in gear},
            }
        )
    faults: dict[str, list[dict[str, Any]]] = {}
    for fault in SimulatedFault.objects.filter(kitchen=kitchen) if kitchen.simulated else ():
        faults.setdefault(fault.name, []).append({"kind": fault.kind, "since": fault.since.timestamp()})
    dials = turned_to(on_heat)
    devices = [
        {
            "name": e.hub_name,
            "kind": e.kind,
            "litres": e.litres,
            "watts": e.watts,
            "mass_kg": e.mass_kg,
            "material": e.material,
            "off_k": e.true_offset_c,
            "dial_c": None if pk not in dials else dials[pk] - e.true_offset_c,
            "faults": faults.get(e.hub_name, []),
        }
        for pk, e in gear.items()
    ]
    probes = [{"name": p.name, "faults": faults.get(p.name, [])} for p in Probe.objects.filter(kitchen=kitchen)]
    return {
        "cooks": cooks,
        "devices": devices,
        "probes": probes,
        "now": kitchen.now().timestamp(),
        "rate": kitchen.clock_rate,
    }
