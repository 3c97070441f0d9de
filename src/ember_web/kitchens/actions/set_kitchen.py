"""Set a kitchen's name, place, air, time zone and usual rules."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from zoneinfo import ZoneInfo

from django.core.exceptions import ValidationError

from ember_core.errors import InputError
from ember_core.safety.rules import profiles
from ember_core.wording.message import say
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import Kitchen


@dataclass(frozen=True)
class SetKitchen:
    """Altitude in m, air in °C, an IANA time zone, the id of a rule profile."""

    name: str
    altitude_m: float
    air_c: float
    zone: str
    rules: str


@action(Rank.CHEF)
def set_kitchen(actor: Actor, command: SetKitchen) -> Kitchen:
    """Store it; plans that are saved already keep what they were made with.

    Raises
    ------
    InputError
        By the field, with what it may be.
    """
    kitchen = actor.kitchen
    if command.rules not in profiles():
        raise InputError(say("rules: choose one of {choices}.", choices=", ".join(profiles())), path="rules")
    try:
        ZoneInfo(command.zone)
    except (KeyError, ValueError, OSError):
        raise InputError(say("zone: write a time zone such as America/Denver."), path="zone") from None
    for field, value in asdict(command).items():
        setattr(kitchen, field, value)
    kitchen.name = command.name.strip()
    try:
        kitchen.clean_fields()
    except ValidationError as error:
        field, told = next(iter(error.message_dict.items()))
        raise InputError(say("{field}: {why}", field=field.replace("_", " "), why=told[0]), path=field) from None
    kitchen.save(update_fields=["name", "altitude_m", "air_c", "zone", "rules"])
    return kitchen
