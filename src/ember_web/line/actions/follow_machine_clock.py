"""Let a kitchen's clock follow the machine's."""

from __future__ import annotations

from ember_web.line.actions._clock import change_clock, lock_clock
from ember_web.line.models import Cook
from ember_web.tenancy.action import Actor, action
from ember_web.tenancy.clock import machine
from ember_web.tenancy.models import ClockChange, Kitchen


@action(None)
def follow_machine_clock(actor: Actor) -> Kitchen:
    """Set it to the machine's, when nothing is cooking and nobody set it otherwise."""
    kitchen = lock_clock(actor)
    if not kitchen.clock_by_hand and not Cook.objects.filter(kitchen=kitchen, finished=False).exists():
        change_clock(actor, machine.now(), ClockChange.Why.FOLLOW)
    return kitchen
