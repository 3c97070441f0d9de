"""What the board shows of today's plans that are not on heat yet."""

from __future__ import annotations

from datetime import datetime
from itertools import groupby
from typing import Any

from ember_web.line.models import Cook
from ember_web.plans.public import due_today
from ember_web.tenancy.models import Kitchen


def today_of(kitchen: Kitchen, now: datetime) -> dict[str, Any]:
    """Today's plans that nobody has started, each with how long until it must begin, s, and times on the plate that several share."""
    midnight = now.astimezone(kitchen.tz).replace(hour=0, minute=0, second=0, microsecond=0)
    due = due_today(kitchen, now)
    started = set(
        Cook.objects.filter(
            kitchen=kitchen, plan__public_id__in=[d.id for d in due], created_at__gte=midnight
        ).values_list("plan__public_id", flat=True)
    )
    left = [d for d in due if d.id not in started]
    rows = [{"plan": d, "ahead_s": None if d.start_at is None else (d.start_at - now).total_seconds()} for d in left]
    by_time = groupby(sorted(left, key=lambda d: d.serve_at), key=lambda d: d.serve_at)
    together = [(at, [d.id for d in each]) for at, each in ((at, list(each)) for at, each in by_time) if len(each) > 1]
    return {"rows": rows, "together": together}
