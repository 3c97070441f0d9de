"""What setting a kitchen's clock does, however it comes about."""

from __future__ import annotations

from datetime import datetime, timedelta

from ember_core.line.fold import NOTE
from ember_web.line.models import Cook, Event
from ember_web.line.signals import announce
from ember_web.tenancy.action import Actor
from ember_web.tenancy.models import CLOCK_FIELDS, ClockChange, Kitchen

WORTH_SAYING = timedelta(seconds=5)


def lock_clock(actor: Actor) -> Kitchen:
    """The kitchen's row as it is now, held until the end of the transaction."""
    Kitchen.objects.select_for_update().get(pk=actor.kitchen.pk)
    actor.kitchen.refresh_from_db(fields=CLOCK_FIELDS)
    return actor.kitchen


def change_clock(actor: Actor, at: datetime, why: ClockChange.Why) -> None:
    """Set it, and say so in what is cooking when it is more than clocks differ by anyway; for actions, in their transaction."""
    kitchen = actor.kitchen
    before = kitchen.now()
    kitchen.anchor(at)
    kitchen.save(update_fields=CLOCK_FIELDS)
    if abs(at - before) <= WORTH_SAYING:
        return
    ClockChange.objects.create(kitchen=kitchen, before=before, after=at, why=why, actor=actor.user)
    minutes = (at - before).total_seconds() / 60.0
    if why is ClockChange.Why.RESTART:
        text = f"The kitchen's clock was found set back by {abs(minutes):.0f} min; times go on from the last event."
    else:
        text = f"The kitchen's clock was set by {abs(minutes):.0f} min {'ahead' if minutes > 0 else 'back'}."
    text += " Cooking, cooling and holding times count across it: check them by another clock."
    for cook in Cook.objects.filter(kitchen=kitchen, finished=False).only("id"):
        Event.objects.create(
            kitchen=kitchen, cook=cook, kind=NOTE, payload={"text": text}, occurred_at=at, actor=actor.user
        )
    announce(kitchen)
