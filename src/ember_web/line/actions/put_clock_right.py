"""Let a kitchen's clock that was set back go on from the last event."""

from __future__ import annotations

from ember_core.line.fold import NOTE
from ember_web.line.models import Cook, Event
from ember_web.line.queries import behind
from ember_web.line.signals import announce
from ember_web.tenancy.action import Actor, action
from ember_web.tenancy.clock import steady
from ember_web.tenancy.models import Kitchen


@action(None)
def put_clock_right(actor: Actor) -> Kitchen:
    """When the machine started with its clock set back, the kitchen's goes on from the last event.

    Every running cook gets a note of it, which stands in its record.
    """
    kitchen = actor.kitchen
    Kitchen.objects.select_for_update().get(pk=kitchen.pk)
    kitchen.refresh_from_db(fields=["clock_real", "clock_kitchen", "clock_rate"])
    latest = behind(kitchen)  # another request may have put it right meanwhile
    if latest is not None:
        minutes = (latest - kitchen.now()).total_seconds() / 60.0
        text = f"The kitchen's clock was found set back by {minutes:.0f} min; times go on from the last event."
        kitchen.clock_real, kitchen.clock_kitchen = steady.now(), latest
        kitchen.save(update_fields=["clock_real", "clock_kitchen"])
        for cook in Cook.objects.filter(kitchen=kitchen, finished=False):
            Event.objects.create(kitchen=kitchen, cook=cook, kind=NOTE, payload={"text": text}, occurred_at=latest)
        announce(kitchen)
    return kitchen
