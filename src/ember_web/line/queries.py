"""Running cooks and their readings."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from django.db.models import Max, OuterRef, Q, QuerySet, Subquery

from ember_web.line.adapters import moment, state_of
from ember_web.line.models import Cook, Event, Probe, Reading
from ember_web.tenancy.models import Kitchen

LATEST_S = 5.0  # an event may lie this far in the future: clocks of devices differ


def running(kitchen: Kitchen) -> list[Cook]:
    """Cooks on the line, in their fixed order."""
    return list(with_events(kitchen).select_related("probe", "second_probe"))


def with_events(kitchen: Kitchen) -> QuerySet[Cook]:
    """Cooks on the line with what happened to them."""
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
