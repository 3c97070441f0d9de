"""Open a kitchen."""

from __future__ import annotations

from dataclasses import dataclass
from zoneinfo import ZoneInfo

from django.core.exceptions import PermissionDenied
from django.db import transaction

from ember_web.tenancy.action import Actor, leave_trail
from ember_web.tenancy.actor import Kind
from ember_web.tenancy.models import Kitchen


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
    """Open it; only the set-up does, and its actor has no kitchen yet.

    Raises
    ------
    ValidationError, KeyError, ValueError
        A name or place that cannot be.
    """
    if actor.kind is not Kind.SETUP:
        raise PermissionDenied("Kitchens are opened at the machine.")
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
        leave_trail(Actor.setup(kitchen), "open_kitchen", kitchen)
    return kitchen
