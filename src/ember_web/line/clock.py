"""The kitchen's time on its line."""

from __future__ import annotations

from datetime import datetime

from ember_web.line.actions.put_clock_right import put_clock_right
from ember_web.line.queries import behind
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen


def kitchen_time(kitchen: Kitchen) -> datetime:
    """The kitchen's time, never before what has already happened on its line; a clock found set back is put right."""
    if behind(kitchen) is not None:
        put_clock_right(Actor.setup(kitchen))
    return kitchen.now()
