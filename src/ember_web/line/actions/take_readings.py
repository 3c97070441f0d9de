"""Take what a hub sends: what probes read in pieces, and thermometers in what heats them."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from django.db import connection, models, transaction

from ember_core.formats.usable import text_fault
from ember_web.kitchens.models import Equipment
from ember_web.line.models import MediumReading, Probe, Reading
from ember_web.line.signals import announce
from ember_web.tenancy.action import Actor, action
from ember_web.tenancy.models import Kitchen

AHEAD = timedelta(minutes=2)
BEHIND = timedelta(days=7)
BATCH = 1000
READINGS_LOCK = 8750  # class of the advisory lock; the kitchen's key is the other half


@dataclass(frozen=True)
class Source:
    """What reads: how it is called in a message and in a reading, where its readings are kept, and what it can read, °C."""

    word: str
    value: str
    store: type[models.Model]
    of: str
    plausible_c: tuple[float, float]

    def named(self, kitchen: Kitchen) -> dict[str, Any]:
        """Those of a kitchen by what its hub calls them."""
        if self.of == "probe":
            return {p.name: p for p in Probe.objects.filter(kitchen=kitchen)}
        return {e.hub_name: e for e in Equipment.objects.filter(kitchen=kitchen).exclude(hub_name="")}


PROBE = Source("probe", "core_c", Reading, "probe", (-60.0, 400.0))
DEVICE = Source("device", "medium_c", MediumReading, "equipment", (-60.0, 450.0))
SOURCES = (PROBE, DEVICE)


@dataclass(frozen=True)
class SentReading:
    """One reading: of a probe in a piece (``core_c``) or of a device (``medium_c``), by its name, with the hub's boot and number within it, when (kitchen time)."""

    probe: str | None
    boot: str
    sequence: int
    at: datetime
    core_c: float | None
    device: str | None = None
    medium_c: float | None = None

    @property
    def source(self) -> Source | None:
        """What it is a reading of; None: that is not said, or said twice."""
        said = [s for s in SOURCES if getattr(self, s.word) is not None or getattr(self, s.value) is not None]
        whole = [s for s in said if getattr(self, s.word) is not None and getattr(self, s.value) is not None]
        return whole[0] if len(said) == len(whole) == 1 else None


@dataclass(frozen=True)
class Taken:
    """What became of one: taken, known (sent before), later (keep it, send it again) or refused, with the reason."""

    boot: str
    sequence: int
    status: str
    message: str = ""


def refusal(reading: SentReading, named: Mapping[str, Mapping[str, Any]], now: datetime) -> tuple[str, str]:
    """Status and reason when a reading cannot be taken: ``refused`` for good, or ``later``; nothing when it can."""
    words = _never(reading, named, now)
    if words:
        return "refused", words
    if reading.at > now + AHEAD:
        return (
            "later",
            "at lies in the future of the kitchen's clock; keep it and send it again, or set the hub's clock.",
        )
    return "", ""


def _never(reading: SentReading, named: Mapping[str, Mapping[str, Any]], now: datetime) -> str:
    source = reading.source
    if source is None:
        return "A reading is of a probe with core_c, or of a device with medium_c; send one of the two."
    name, value = getattr(reading, source.word), getattr(reading, source.value)
    fault = text_fault(name) or text_fault(reading.boot)
    if fault:
        return f"A name {fault}."
    if name not in named[source.word]:
        return f"This kitchen has no {source.word} {name!r}; add it, or check the hub's settings."
    low, high = source.plausible_c
    if not math.isfinite(value) or not low <= value <= high:
        return f"{source.value} {value} is outside {low:g} to {high:g} °C; check the {source.word} and the unit."
    if reading.at.tzinfo is None:
        return "at has no offset from UTC; add Z or +hh:mm."
    if reading.at < now - BEHIND:
        return "at lies more than 7 days back; readings that old are not taken."
    return ""


def _known(source: Source, things: Iterable[Any], sent: Sequence[SentReading]) -> set[tuple[int, str, int]]:
    """Those of a batch that were taken before, by the key of what read them."""
    mine = [r for r in sent if r.source is source and not text_fault(r.boot)]
    if not mine:
        return set()
    rows: Any = source.store._default_manager.filter(
        boot_id__in={r.boot for r in mine},
        sequence__in={r.sequence for r in mine},
        **{f"{source.of}__in": list(things)},
    )
    return set(rows.values_list(f"{source.of}_id", "boot_id", "sequence"))


@action(None, hubs=True, trail=False, atomic=False)
def take_readings(actor: Actor, sent: Sequence[SentReading]) -> list[Taken]:
    """Store readings, each once; answers in the order of the batch."""
    kitchen = actor.kitchen
    now = kitchen.now()
    named = {s.word: s.named(kitchen) for s in SOURCES}
    known = {s.word: _known(s, named[s.word].values(), sent) for s in SOURCES}
    answers: list[Taken] = []
    rows: dict[str, list[Any]] = {s.word: [] for s in SOURCES}
    for r in sent:
        status, reason = refusal(r, named, now)
        source = r.source
        if not status and source is not None:
            thing = named[source.word][getattr(r, source.word)]
            key = (thing.pk, r.boot, r.sequence)
            status = "known" if key in known[source.word] else "taken"
            if status == "taken":
                known[source.word].add(key)
                value = {source.value: getattr(r, source.value), source.of: thing}
                rows[source.word].append(
                    source.store(kitchen=kitchen, boot_id=r.boot, sequence=r.sequence, measured_at=r.at, **value)
                )
        answers.append(Taken(r.boot, r.sequence, status, reason))
    if any(rows.values()):
        with transaction.atomic():
            # one sender of a kitchen after another, so that ids are given in the order of the commits: boards rely on it
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_xact_lock(%s, %s)", [READINGS_LOCK, kitchen.pk])
            for source in SOURCES:
                # a second sender of the same reading may win between the look and the insert: then it is known
                source.store._default_manager.bulk_create(rows[source.word], ignore_conflicts=True)
            announce(kitchen, soon=True)
    return answers
