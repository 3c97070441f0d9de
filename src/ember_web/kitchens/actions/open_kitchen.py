"""Open a kitchen."""

from __future__ import annotations

from dataclasses import dataclass
from zoneinfo import ZoneInfo

from django.core.exceptions import PermissionDenied
from django.db import transaction

from ember_web.tenancy.action import Actor, leave_trail
from ember_web.tenancy.actor import Kind, Rank
from ember_web.tenancy.models import Kitchen, Membership


@dataclass(frozen=True)
class OpenKitchen:
    """Its name and place: altitude (m), air (°C), IANA time zone."""

    name: str
    altitude_m: float = 0.0
    air_c: float = 22.0
    zone: str = "UTC"
    simulated: bool = False
    public_id: str = ""


def open_kitchen(actor: Actor, command: OpenKitchen) -> Kitchen:
    """Open it; the set-up does, whose actor has no kitchen yet, and the chef of another kitchen, who is its chef then.

    Raises
    ------
    ValidationError, KeyError, ValueError
        A name or place that cannot be.
    """
    if actor.kind is not Kind.SETUP and actor.rank is not Rank.CHEF:
        raise PermissionDenied("Kitchens are opened at the machine, or by the chef of one.")
    ZoneInfo(command.zone)
    kitchen = Kitchen(
        name=command.name,
        altitude_m=command.altitude_m,
        air_c=command.air_c,
        zone=command.zone,
        simulated=command.simulated,
        **({"public_id": command.public_id} if command.public_id else {}),
    )
    kitchen.full_clean()
    with transaction.atomic():
        kitchen.save()
        leave_trail(Actor.setup(kitchen, actor.user), "open_kitchen", kitchen)
        if actor.user is not None:
            Membership.objects.create(kitchen=kitchen, user=actor.user, role=Membership.Role.CHEF)
    return kitchen
