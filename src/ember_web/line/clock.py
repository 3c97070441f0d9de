"""The kitchen's time on its line, and how its clock stands against the machine's."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from ember_web.line.actions.carry_clock_over_restart import carry_clock_over_restart
from ember_web.line.actions.follow_machine_clock import follow_machine_clock
from ember_web.line.models import Cook
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.clock import machine
from ember_web.tenancy.models import ClockChange, Kitchen

FOLLOWED_S = 2.0  # a clock that is off by less is right
SAID_S = 60.0  # and by less than this it is not worth a sentence


def tend_clock(kitchen: Kitchen) -> None:
    """Anchor it after a restart of the machine; let it follow the machine's clock when nothing cooks."""
    if kitchen.clock_boot != machine.boot_id:
        carry_clock_over_restart(Actor.setup(kitchen))
    elif (
        not kitchen.simulated
        and not kitchen.clock_by_hand
        and abs(kitchen.ahead_s()) > FOLLOWED_S
        and machine.is_settled()
        and not Cook.objects.filter(kitchen=kitchen, finished=False).exists()
    ):
        follow_machine_clock(Actor.setup(kitchen))


def kitchen_time(kitchen: Kitchen) -> datetime:
    """The kitchen's time, never before what has already happened on its line."""
    tend_clock(kitchen)
    return kitchen.now()


@dataclass(frozen=True)
class ClockState:
    """How a kitchen's clock stands: how far ahead of the machine's, s, and what is cooking by it; the last times it was set."""

    ahead_s: float
    by_hand: bool
    cooking: list[str]
    changes: list[ClockChange]

    @property
    def behind_s(self) -> float:
        """How far behind, s."""
        return -self.ahead_s

    @property
    def wrong(self) -> bool:
        """Whether it must be spoken of."""
        return abs(self.ahead_s) > SAID_S


def clock_state(kitchen: Kitchen) -> ClockState:
    """For the Kitchen page and Line."""
    tend_clock(kitchen)
    running = Cook.objects.filter(kitchen=kitchen, finished=False).values_list("title", flat=True)
    changes = list(ClockChange.objects.filter(kitchen=kitchen).select_related("actor")[:5])
    return ClockState(kitchen.ahead_s(), kitchen.clock_by_hand, list(running[:5]), changes)
