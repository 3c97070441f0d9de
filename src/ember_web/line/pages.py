"""Other views of the line than a station's board: the pass, the wall, and what is handed over at the change of shift."""

from __future__ import annotations

import json
from datetime import datetime
from pathlib import Path
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_safe

from ember_core.line.fold import START
from ember_web.line.adapters import moment
from ember_web.line.live import line_text
from ember_web.line.models import Cook, Event
from ember_web.line.today import today_of
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.voice import current

NOTE = "note"
WORKER = Path(__file__).parent / "static" / "line" / "worker.js"


def line_context(request: KitchenRequest) -> dict[str, Any]:
    """What every view of the line is drawn from."""
    state = json.loads(line_text(request.kitchen, current()))
    coming = [None if c["next"] is None else c["moves"][c["next"]] for c in state["cooks"]]
    return {
        "state": state,
        "cooks": [
            cook | {"coming": move, "coming_at": None if move is None else _time(move["due"])}
            for cook, move in zip(state["cooks"], coming, strict=True)
        ],
        "theme": "night",
    }


def _screen(request: KitchenRequest, view: str, heading: str) -> HttpResponse:
    drawn = {"view": view, "heading": heading, "script": f"line/{view}.js"}
    return render(request, "line/screen.html", line_context(request) | drawn)


@in_kitchen()
@require_safe
def pass_view(request: KitchenRequest) -> HttpResponse:
    """All stations by time: what lands next, what is late, what waits and for how long it may."""
    return _screen(request, "pass", _("Pass"))


@in_kitchen()
@require_safe
def wall(request: KitchenRequest) -> HttpResponse:
    """The next moves, to be read from across the kitchen."""
    return _screen(request, "wall", _("Wall"))


@in_kitchen()
@require_safe
def worker(_request: KitchenRequest) -> HttpResponse:
    """What opens the line's pages without a network; its place is what it may answer for."""
    return HttpResponse(WORKER.read_text(encoding="utf-8"), content_type="text/javascript")


@in_kitchen()
@require_safe
def handover(request: KitchenRequest) -> HttpResponse:
    """What is on, since when, whose, what is next and what was promised; to be read out, or printed."""
    context = line_context(request)
    cooks = {
        c.public_id: c
        for c in Cook.objects.filter(
            kitchen=request.kitchen, public_id__in=[c["id"] for c in context["state"]["cooks"]]
        )
        .select_related("probe")
        .defer("result", "trace")
    }
    events = Event.objects.filter(kitchen=request.kitchen, cook__in=cooks.values()).select_related("actor")
    by_cook: dict[int, list[Event]] = {}
    for event in events:
        by_cook.setdefault(event.cook_id, []).append(event)
    rows = [handed_over(s, cooks[s["id"]], by_cook.get(cooks[s["id"]].pk, [])) for s in context["state"]["cooks"]]
    now = request.kitchen.now()
    return render(
        request,
        "line/handover.html",
        context | {"rows": rows, "today": today_of(request.kitchen, now), "theme": "day", "printed_at": now},
    )


def handed_over(state: dict[str, Any], cook: Cook, events: list[Event]) -> dict[str, Any]:
    """One piece, as the next shift must know it; of its state document and its events."""
    undone = {e.supersedes for e in events if e.supersedes}
    standing = [e for e in events if e.id not in undone]
    starts = [e for e in standing if e.kind == START]
    done = [m for m in state["moves"] if m["done"] is not None]
    coming = None if state["next"] is None else state["moves"][state["next"]]
    after = (state["truth"] or {}).get("after") or {}
    return {
        "id": cook.public_id,
        "title": cook.title,
        "count": state["count"],
        "station": cook.station,
        "since": _time(state["started"]),
        "whose": starts[0].actor if starts else None,
        "probe": cook.probe,
        "last": None if not done else {"verb": done[-1]["verb"], "at": _time(done[-1]["done"])},
        "next": None if coming is None else {"verb": coming["verb"], "at": _time(coming["due"])},
        "promised": promised_at(cook),
        "notes": [e.payload["text"] for e in standing if e.kind == NOTE and e.payload.get("text")],
        "open": [w for w in (state["probeFault"], (state["medium"] or {}).get("ask"), *_said(state)) if w],
        "waits": [{"at": _time(w["at"]), "why": w["why"]} for w in after.values() if w],
    }


def promised_at(cook: Cook) -> datetime | None:
    """When its plan has it on the plate; None where it has no time."""
    try:
        at = datetime.fromisoformat(cook.document.get("serve_at") or "")
    except ValueError:
        return None
    return at if at.tzinfo else at.replace(tzinfo=cook.kitchen.tz)


def _said(state: dict[str, Any]) -> list[str]:
    return list((state["truth"] or {}).get("said") or [])


def _time(ms: float) -> datetime:
    return moment(ms / 1000.0)
