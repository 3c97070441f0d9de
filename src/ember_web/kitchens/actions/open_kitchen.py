"""Open a kitchen."""

from __future__ import annotations

from dataclasses import dataclass
from zoneinfo import ZoneInfo

from django.core.exceptions import PermissionDenied
from django.db import transaction
from django.utils.translation import gettext as _

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.tenancy.action import Actor, leave_trail
from ember_web.tenancy.actor import Kind, Rank
from ember_web.tenancy.models import Kitchen, Membership, User


@dataclass(frozen=True)
class OpenKitchen:
    """Its name and place: altitude (m), air (°C), IANA time zone."""

    name: str
    altitude_m: float = 0.0
    air_c: float = 22.0
    zone: str = "UTC"
    simulated: bool = False
    public_id: str = ""


def ensure_new(user: User, name: str) -> None:
    """Refuse a second kitchen of one name to one person: a form that is sent twice opens one.

    Raises
    ------
    InputError
    """
    User.objects.select_for_update().get(pk=user.pk)
    if Membership.objects.filter(user=user, kitchen__name__iexact=name.strip()).exists():
        raise InputError(say("You have a kitchen called {name} already.", name=name), path="name", code="double")


@transaction.atomic
def open_kitchen(actor: Actor, command: OpenKitchen) -> Kitchen:
    """Open it; the set-up does, whose actor has no kitchen yet, and the chef of another kitchen, who is its chef then.

    Raises
    ------
    InputError, ValidationError, KeyError, ValueError
        A name or place that cannot be.
    """
    if actor.kind is not Kind.SETUP and actor.rank is not Rank.CHEF:
        raise PermissionDenied(_("Kitchens are opened at the machine, or by the chef of one."))
    ZoneInfo(command.zone)
    if actor.user is not None:
        ensure_new(actor.user, command.name)
    kitchen = Kitchen(
        name=command.name,
        altitude_m=command.altitude_m,
        air_c=command.air_c,
        zone=command.zone,
        simulated=command.simulated,
        **({"public_id": command.public_id} if command.public_id else {}),
    )
    kitchen.full_clean()
    kitchen.save()
    leave_trail(Actor.setup(kitchen, actor.user), "open_kitchen", kitchen)
    if actor.user is not None:
        Membership.objects.create(kitchen=kitchen, user=actor.user, role=Membership.Role.CHEF)
    return kitchen
