"""Anchor a kitchen's clock after the machine was started anew."""

from __future__ import annotations

from ember_web.line.actions._clock import change_clock, lock_clock
from ember_web.line.queries import last_event_at
from ember_web.tenancy.action import Actor, action
from ember_web.tenancy.clock import machine
from ember_web.tenancy.models import ClockChange, Kitchen


@action(None, trail=False)
def carry_clock_over_restart(actor: Actor) -> Kitchen:
    """Anchor it in this run of the machine; where the machine's clock was set back meanwhile, at the last event of what cooks."""
    kitchen = lock_clock(actor)
    if kitchen.clock_boot != machine.boot_id:  # else another request has done it
        last, now = last_event_at(kitchen), kitchen.now()
        change_clock(actor, now if last is None else max(now, last), ClockChange.Why.RESTART)
    return kitchen
