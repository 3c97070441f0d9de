"""Add a piece of equipment, or change it, or take it away."""

from __future__ import annotations

import re
from dataclasses import asdict, dataclass

from django.core.exceptions import ValidationError
from django.db import transaction
from django.db.models import ProtectedError

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.models import Equipment, Station
from ember_web.kitchens.rows import name_it, row_of
from ember_web.tenancy.action import Actor, Rank, action

HUB_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._:-]{0,39}")


@dataclass(frozen=True)
class AddEquipment:
    """An oven, bath, pan and so on; ``pk`` of one that is changed, ``gone`` to take it away.

    ``true_offset_c`` is what it really is less what it shows, as measured, K; ``station`` the name of one; ``hub_name`` what the
    hub calls the thermometer in it.
    """

    kind: str
    name: str
    litres: float | None = None
    watts: float | None = None
    places: int | None = None
    true_offset_c: float = 0.0
    into_oven: bool = False
    mass_kg: float | None = None
    material: str = ""
    hub_name: str = ""
    station: str = ""
    pk: int = 0
    gone: bool = False


@action(Rank.CHEF)
def add_equipment(actor: Actor, command: AddEquipment) -> str:
    """Store it; returns its name.

    Raises
    ------
    InputError
        A kind, name or number that it cannot have, by its field.
    """
    thing = row_of(Equipment, actor.kitchen, command.pk)
    if command.gone:
        if thing.pk:
            try:
                with transaction.atomic():
                    thing.delete()
            except ProtectedError:
                raise InputError(
                    say("{name} has readings, which stay; rename it instead.", name=thing.name),
                    path="name",
                    code="in-use",
                ) from None
        return thing.name
    for field, value in asdict(command).items():
        if field not in {"pk", "gone", "station", "name"}:
            setattr(thing, field, value)
    thing.station = Station.objects.filter(kitchen=actor.kitchen, name=command.station).first()
    if command.station and thing.station is None:
        raise InputError(
            say("station: there is no {name!r} here; choose one from the list.", name=command.station), path="station"
        )
    if command.hub_name and not HUB_NAME.fullmatch(command.hub_name):
        raise InputError(
            say("hub name: write what the hub calls it, 1 to 40 letters, digits or . _ : - without spaces."),
            path="hub_name",
        )
    same = Equipment.objects.filter(kitchen=actor.kitchen, hub_name=command.hub_name).exclude(pk=thing.pk)
    if command.hub_name and same.exists():
        raise InputError(
            say("hub name: {name} has it already; give it another.", name=str(same.get())), path="hub_name"
        )
    name_it(thing, command.name)
    try:
        thing.clean_fields(exclude=["kitchen", "station"])
    except ValidationError as error:
        field, told = next(iter(error.message_dict.items()))
        raise InputError(say("{field}: {why}", field=field.replace("_", " "), why=told[0]), path=field) from None
    thing.save()
    return thing.name
