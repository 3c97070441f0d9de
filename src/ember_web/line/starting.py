"""Putting plans on the line: first what they need set out, then the start."""

from __future__ import annotations

import uuid
from math import isfinite, nan
from typing import Any

from django.contrib import messages
from django.http import Http404, HttpResponse, QueryDict
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST, require_safe

from ember_core.entry.shared_pieces import each_piece
from ember_core.errors import EmberError, InputError
from ember_core.line.set_out import Item, items
from ember_core.running.media import tolerance
from ember_core.wording.message import say
from ember_web.kitchens.models import GEAR_OF, Equipment
from ember_web.line.actions.start_cook import StartCook, start_cook
from ember_web.line.media import gear_of
from ember_web.line.models import MediumReading
from ember_web.plans.models import Plan
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current

FRESH_S = 120.0  # so old may a reading be that says that an oven is at its heat
MOST = 40  # plans at once
PASSED = ("plan", "station", "probe", "second", "into", "event")  # what the page hands on


def _plans(kitchen: Kitchen, asked: QueryDict) -> list[Plan]:
    ids = [i.replace("\x00", "") for i in asked.getlist("plan")][:MOST]
    found = {p.public_id: p for p in Plan.objects.filter(kitchen=kitchen, public_id__in=ids)}
    if not ids or len(found) < len(set(ids)):
        raise Http404
    return [found[i] for i in dict.fromkeys(ids)]


def _needed(plans: list[Plan]) -> dict[str, Item]:
    """What all of them need, each thing once."""
    out: dict[str, Item] = {}
    for plan in plans:
        for item in items(plan.document):
            out.setdefault(item.id, item)
    return out


def _reads(kitchen: Kitchen, plan: Plan, item: Item, into: list[str]) -> dict[str, Any] | None:
    """What the thermometer of the gear that an item is about read last, and whether that is the heat it should be at."""
    if item.medium_c is None or item.kind not in GEAR_OF:
        return None
    try:
        key = gear_of(kitchen, plan.document, into).get(GEAR_OF[item.kind])
    except InputError:
        return None
    if key is None:
        return None
    last = MediumReading.objects.filter(kitchen=kitchen, equipment=key).order_by("-measured_at", "-id").first()
    if last is None or (kitchen.now() - last.measured_at).total_seconds() > FRESH_S * max(kitchen.clock_rate, 1.0):
        return None
    gear = Equipment.objects.get(pk=key)
    real = last.medium_c + gear.true_offset_c
    return {"name": gear.name, "c": real, "there": abs(real - item.medium_c) <= tolerance(item.kind)}


def _page(request: KitchenRequest, asked: QueryDict, why: str = "", status: int = 200) -> HttpResponse:
    kitchen = request.kitchen
    plans = _plans(kitchen, asked)
    needed = _needed(plans).values()
    reads = {item.id: _reads(kitchen, plans[0], item, [n for n in asked.getlist("into") if n]) for item in needed}
    there = set(asked.getlist("there"))
    rows = [
        {"item": item, "reads": reads[item.id], "there": item.id in there or bool((reads[item.id] or {}).get("there"))}
        for item in needed
    ]
    context = {
        "plans": plans,
        "rows": rows,
        "passed": [(name, value) for name in PASSED for value in asked.getlist(name)],
        "reason": asked.get("reason", ""),
        "since": asked.get("since", ""),
        "why": why,
    }
    return render(request, "line/set_out.html", context, status=status)


@in_kitchen(read="cook")
@require_safe
def set_out(request: KitchenRequest) -> HttpResponse:
    """What plans need set out before they go on heat."""
    return _page(request, request.GET)


@in_kitchen(read="cook")
@require_POST
def start(request: KitchenRequest) -> HttpResponse:
    """Start saved plans; what is not there needs a reason, and what was ticked is not lost."""
    kitchen, post = request.kitchen, request.POST
    plans = _plans(kitchen, post)
    try:
        event = uuid.UUID(post["event"]) if post.get("event") else None
    except ValueError:
        event = None
    station, probe, second = (post.get(k, "")[:40].replace("\x00", "") for k in ("station", "probe", "second"))
    gear = tuple(name[:60].replace("\x00", "") for name in post.getlist("into") if name)
    there = tuple(_needed(plans)) if post.get("all") else tuple(post.getlist("there"))
    reason = post.get("reason", "").replace("\x00", "")
    try:
        since_min = _minutes(post.get("since", ""))
        every = [(plan, k) for plan in plans for k in range(len(each_piece(plan.document)))]
        for i, (plan, piece) in enumerate(every):
            own: dict[str, Any] = {"probe": probe, "second": second, "event": event} if i == 0 else {}
            if i and event is not None:  # a double tap starts none of them twice
                own["event"] = uuid.uuid5(event, f"{plan.public_id}/{piece}")
            lies = gear if plan is plans[0] else ()
            command = StartCook(
                plan.public_id, station, there=there, reason=reason, gear=lies, piece=piece, since_min=since_min, **own
            )
            start_cook(Actor.of_request(request), command)
    except InputError as error:
        if error.code in {"set-out", "stop"} or error.path in {"reason", "since"}:
            return _page(request, post, current().say(error.message), 422)
        return _back(request, plans[0], error)
    except EmberError as error:
        return _back(request, plans[0], error)
    return redirect("line", kitchen=kitchen.public_id)


def _minutes(text: str) -> float:
    """Minutes as they were written; nothing is 0.

    Raises
    ------
    InputError
    """
    try:
        found = float(text.strip().replace(",", ".") or 0.0)
    except ValueError:
        found = nan
    if not isfinite(found):
        raise InputError(say("already on heat: give minutes, such as 3."), path="since", code="number")
    return found


def _back(request: KitchenRequest, plan: Plan, error: EmberError) -> HttpResponse:
    messages.error(request, current().say(error.message))
    return redirect("plan-saved", kitchen=request.kitchen.public_id, plan=plan.public_id)
