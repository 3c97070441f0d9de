"""How sure a person's checks are, learnt from those that a probe confirmed."""

from __future__ import annotations

from datetime import timedelta

from ember_core.line.fold import CHECK, UNDO
from ember_core.running.checks import CORE, THERMOMETER, checks, learnt_width
from ember_web.line.models import Event, Reading
from ember_web.tenancy.models import Kitchen, User

NEAR_S = 20.0  # of kitchen time between a check and the reading that confirms it
MIN_CONFIRMED = 8  # confirmed checks of a kind, before they tell anything
MAX_CONFIRMED = 100  # the latest of them


def confirmed(kitchen: Kitchen, person: User, check: str) -> list[tuple[float, str]]:
    """Checks of one kind by a person in pieces with a probe: what it read nearest to them, °C, and the answer."""
    rows = Event.objects.filter(
        kitchen=kitchen, actor=person, kind=CHECK, payload__check=check, cook__probe__isnull=False
    )
    taken_back = set(
        Event.objects.filter(kitchen=kitchen, kind=UNDO, actor=person).values_list("supersedes", flat=True)
    )
    out = []
    for row in rows.select_related("cook__probe").order_by("-occurred_at")[:MAX_CONFIRMED]:
        if row.id in taken_back or "answer" not in row.payload:
            continue
        around = timedelta(seconds=NEAR_S)
        near = Reading.objects.filter(
            kitchen=kitchen, probe=row.cook.probe, measured_at__gte=row.occurred_at - around, measured_at__lte=row.occurred_at + around
        )  # fmt: skip
        found = min(near, key=lambda r: abs((r.measured_at - row.occurred_at).total_seconds()), default=None)
        if found is not None:
            out.append((found.core_c, str(row.payload["answer"])))
    return out


def width_of(kitchen: Kitchen, person: User | None, check: str) -> float | None:
    """A person's own width of a kind of check, K; None until enough of them were confirmed."""
    kind = checks().get(check)
    if kind is None or person is None or check == THERMOMETER or kind.of != CORE:  # a core confirms no other
        return None
    found = confirmed(kitchen, person, check)
    if len(found) < MIN_CONFIRMED:
        return None
    return round(learnt_width(kind, [c for c, _ in found], [a for _, a in found])[0], 2)
