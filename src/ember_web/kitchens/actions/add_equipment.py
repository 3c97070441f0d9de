"""Add a piece of equipment, or change it, or take it away."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from django.core.exceptions import ValidationError

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.models import Equipment, Station
from ember_web.tenancy.action import Actor, Rank, action

NAME_LONGEST = 60


@dataclass(frozen=True)
class AddEquipment:
    """An oven, bath, pan and so on; ``pk`` of one that is changed, ``gone`` to take it away.

    ``true_offset_c`` is what it really is less what it shows, as measured, K; ``station`` the name of one.
    """

    kind: str
    name: str
    litres: float | None = None
    watts: float | None = None
    places: int | None = None
    true_offset_c: float = 0.0
    into_oven: bool = False
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
    thing = Equipment(kitchen=actor.kitchen)
    if command.pk:
        found = Equipment.objects.filter(kitchen=actor.kitchen, pk=command.pk).first()
        if found is None:
            raise InputError(say("No such equipment in this kitchen."), path="pk", code="missing")
        thing = found
    if command.gone:
        name = thing.name
        if thing.pk:
            thing.delete()
        return name
    for field, value in asdict(command).items():
        if field not in {"pk", "gone", "station"}:
            setattr(thing, field, value)
    thing.station = Station.objects.filter(kitchen=actor.kitchen, name=command.station).first()
    if command.station and thing.station is None:
        raise InputError(
            say("station: there is no {name!r} here; choose one from the list.", name=command.station), path="station"
        )
    thing.name = command.name.strip()[:NAME_LONGEST]
    same = Equipment.objects.filter(kitchen=actor.kitchen, name__iexact=thing.name).exclude(pk=thing.pk)
    if same.exists():
        raise InputError(
            say("There is a {name!r} already; give it another name.", name=thing.name), path="name", code="double"
        )
    try:
        thing.clean_fields(exclude=["kitchen", "station"])
    except ValidationError as error:
        field, told = next(iter(error.message_dict.items()))
        raise InputError(say("{field}: {why}", field=field.replace("_", " "), why=told[0]), path=field) from None
    thing.save()
    return thing.name
