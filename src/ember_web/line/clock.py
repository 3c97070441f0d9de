"""The kitchen's time on its line."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.db.models import Max

from ember_web.line.models import Event
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen

LATEST_S = 5.0  # an event may lie this far in the future: clocks of devices differ


def behind(kitchen: Kitchen) -> datetime | None:
    """The last event of a running cook when the kitchen's clock is before it by more than devices differ, else None."""
    slack = timedelta(seconds=LATEST_S * max(kitchen.clock_rate, 1.0))
    rows = Event.objects.filter(kitchen=kitchen, cook__finished=False)
    latest: datetime | None = rows.aggregate(latest=Max("occurred_at"))["latest"]
    return latest if latest is not None and kitchen.now() < latest - slack else None


def kitchen_time(kitchen: Kitchen) -> datetime:
    """The kitchen's time, never before what has already happened on its line; a clock found set back is put right."""
    if behind(kitchen) is not None:
        from ember_web.line.actions.put_clock_right import put_clock_right

        put_clock_right(Actor.setup(kitchen))
    return kitchen.now()
