"""Running cooks, their readings, and the clock strip of every page."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from django.db.models import Max, OuterRef, Q, QuerySet, Subquery

from ember_web.line.adapters import moment, state_of
from ember_web.line.models import Cook, Event, Probe, Reading
from ember_web.tenancy.models import Kitchen
from ember_web.ui.templatetags.ember import span

LATEST_S = 5.0  # an event may lie this far in the future: clocks of devices differ
NUMBER_WIDE = 2.3  # %, of the strip's width at 1280 px
STRIP_S = 90 * 60


def running(kitchen: Kitchen) -> list[Cook]:
    """Cooks on the line, in their fixed order."""
    return list(_running(kitchen).select_related("probe", "second_probe"))


def _running(kitchen: Kitchen) -> QuerySet[Cook]:
    return Cook.objects.filter(kitchen=kitchen, finished=False).prefetch_related("events")


def readings_of(cook: Cook, *, second: bool = False) -> list[Reading]:
    """Readings of the cook's probe since it started, or of its second one, in order of time."""
    probe = cook.second_probe_id if second else cook.probe_id
    if probe is None:
        return []
    state = state_of(cook)
    rows = Reading.objects.filter(
        probe_id=probe,
        kitchen_id=cook.kitchen_id,
        measured_at__gte=moment(state.started or cook.created_at.timestamp()),
    )
    if state.finished is not None:
        rows = rows.filter(measured_at__lte=moment(state.finished))
    return list(rows.order_by("measured_at", "id"))


def last_event_at(kitchen: Kitchen) -> datetime | None:
    """When the last thing happened to a cook that is running; None: nothing is cooking."""
    rows = Event.objects.filter(kitchen=kitchen, cook__finished=False)
    latest: datetime | None = rows.aggregate(latest=Max("occurred_at"))["latest"]
    return latest


def free_probes(kitchen: Kitchen) -> Iterable[Probe]:
    """Probes that are in no running piece."""
    return Probe.objects.filter(kitchen=kitchen).exclude(cooks__finished=False).exclude(second_cooks__finished=False)


def probes_of(kitchen: Kitchen) -> list[dict[str, Any]]:
    """All probes: the name of the hub, the kitchen's own, what each read last and when, and the piece it is in."""
    newest = Reading.objects.filter(probe=OuterRef("pk")).order_by("-measured_at", "-id")
    in_it = Cook.objects.filter(
        Q(probe=OuterRef("pk")) | Q(second_probe=OuterRef("pk")), kitchen=kitchen, finished=False
    )
    rows = Probe.objects.filter(kitchen=kitchen).annotate(
        last_c=Subquery(newest.values("core_c")[:1]),
        last_at=Subquery(newest.values("measured_at")[:1]),
        cook_title=Subquery(in_it.values("title")[:1]),
    )
    return list(rows.values("name", "label", "last_c", "last_at", "cook_title"))


def strip_marks(kitchen: Kitchen, now: datetime) -> dict[str, Any]:
    """Marks of the clock strip: coming moves of every running cook within 90 minutes."""
    marks: list[dict[str, Any]] = []
    earlier = later = 0
    for cook in _running(kitchen).defer("document", "result", "trace"):
        state = state_of(cook)
        for move, raw in zip(state.moves, cook.moves, strict=True):
            if move.done is not None:
                continue
            ahead = move.due - now.timestamp()
            if ahead > STRIP_S:
                later += 1
                continue
            if ahead < 0:
                earlier += 1
            marks.append(
                {
                    "ahead": ahead,
                    "left": round(4 + 92 * max(ahead, 0) / STRIP_S, 2),
                    "verb": raw["verb"],
                    "cook": cook.title,
                    "id": cook.public_id,
                    "at": moment(move.due),
                    "in": span(ahead),
                    "station": cook.station,
                }
            )
    marks.sort(key=lambda m: m["ahead"])
    free = -1.0  # where the last word ends, in % of the width
    for i, mark in enumerate(marks):
        mark["named"] = i < 3 and mark["left"] >= free
        mark["until"] = mark["left"] + (2 + 0.75 * len(mark["verb"] + " 00:00") if mark["named"] else 0.4)
        if mark["named"]:
            free = mark["until"]
    hours: list[dict[str, Any]] = [
        {"left": round(4 + 92 * m / 90, 2), "label": f"{m}"} for m in (15, 30, 45, 60, 75, 90)
    ]
    return {
        "marks": marks,
        "earlier": earlier,
        "later": later,
        # a number that a mark or its word would stand on is left out
        "hours": [
            h for h in hours if not any(m["left"] < h["left"] and m["until"] > h["left"] - NUMBER_WIDE for m in marks)
        ],
    }
