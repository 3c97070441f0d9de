"""Take what a probe hub sends."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import connection, transaction

from ember_core.formats.usable import text_fault
from ember_web.line.models import Probe, Reading
from ember_web.line.signals import announce
from ember_web.tenancy.action import Actor, action

PLAUSIBLE_C = (-60.0, 400.0)
AHEAD = timedelta(minutes=2)
BEHIND = timedelta(days=7)
BATCH = 1000
READINGS_LOCK = 8750  # class of the advisory lock; the kitchen's key is the other half


@dataclass(frozen=True)
class SentReading:
    """One reading: the probe's name, the hub's boot and number within it, when (kitchen time), and °C."""

    probe: str
    boot: str
    sequence: int
    at: datetime
    core_c: float


@dataclass(frozen=True)
class Taken:
    """What became of one: taken, known (sent before), later (keep it, send it again) or refused, with the reason."""

    boot: str
    sequence: int
    status: str
    message: str = ""


def refusal(reading: SentReading, probe: Probe | None, now: datetime) -> tuple[str, str]:
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


def _never(reading: SentReading, probe: Probe | None, now: datetime) -> str:
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


@action(None, hubs=True, trail=False, atomic=False)
def take_readings(actor: Actor, sent: Sequence[SentReading]) -> list[Taken]:
    """Store readings, each once; answers in the order of the batch."""
    kitchen = actor.kitchen
    now = kitchen.now()
    probes = {p.name: p for p in Probe.objects.filter(kitchen=kitchen)}
    answers: list[Taken] = []
    rows: list[Reading] = []
    keys: set[tuple[str, str, int]] = set()
    wanted = {(r.probe, r.boot, r.sequence) for r in sent if not text_fault(r.boot)}
    known = set(
        Reading.objects.filter(
            kitchen=kitchen,
            probe__in=probes.values(),
            boot_id__in={b for _, b, _ in wanted},
            sequence__in={s for _, _, s in wanted},
        ).values_list("probe__name", "boot_id", "sequence")
    )
    for r in sent:
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
        answers.append(Taken(r.boot, r.sequence, status, reason))
    if rows:
        with transaction.atomic():
            # one sender of a kitchen after another, so that ids are given in the order of the commits: boards rely on it
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_xact_lock(%s, %s)", [READINGS_LOCK, kitchen.pk])
            # a second sender of the same reading may win between the look and the insert: then it is known
            Reading.objects.bulk_create(rows, ignore_conflicts=True)
            announce(kitchen, soon=True)
    return answers
