"""Set a kitchen's clock by hand."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.line.actions._clock import change_clock, lock_clock
from ember_web.line.models import Cook
from ember_web.line.queries import last_event_at
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.clock import machine
from ember_web.tenancy.models import ClockChange, Kitchen

FARTHEST = timedelta(days=2)  # from the machine's clock: a slip of a digit is no time of day


@dataclass(frozen=True)
class SetKitchenTime:
    """What the clock is to show, kitchen time; None: what the machine's shows, from now on."""

    at: datetime | None = None


@action(Rank.CHEF)
def set_kitchen_time(actor: Actor, command: SetKitchenTime) -> Kitchen:
    """Set it by hand.

    Raises
    ------
    InputError
        A time far from the machine's, or before what has happened to a piece that is cooking.
    """
    kitchen = lock_clock(actor)
    at = machine.now() if command.at is None else command.at
    if not kitchen.simulated and abs(at - machine.now()) > FARTHEST:
        raise InputError(
            say("time: the machine's clock is more than two days from this. Set that one first."), path="time"
        )
    last = last_event_at(kitchen)
    if last is not None and at < last:
        titles = Cook.objects.filter(kitchen=kitchen, finished=False).values_list("title", flat=True)
        words = say(
            "Still cooking: {titles}. Their times go by this clock, so it cannot be set back before what happened to them. "
            "Finish them first; when nothing is cooking it goes to the machine's time by itself.",
            titles=", ".join(titles[:5]),
        )
        raise InputError(words, path="time", code="cooking")
    kitchen.clock_by_hand = command.at is not None
    change_clock(actor, at, ClockChange.Why.HAND)
    return kitchen
