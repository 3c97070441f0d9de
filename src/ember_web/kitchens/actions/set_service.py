"""Set a kitchen's service, or take it away."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import time

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.models import ServiceTime
from ember_web.tenancy.action import Actor, Rank, action

NAME_LONGEST = 40


@dataclass(frozen=True)
class SetService:
    """A service and its clock times; ``pk`` of one that is changed, ``gone`` to take it away."""

    name: str
    begins: time
    ends: time
    pk: int = 0
    gone: bool = False


@action(Rank.CHEF)
def set_service(actor: Actor, command: SetService) -> str:
    """Store it; returns its name.

    Raises
    ------
    InputError
        A name that is empty, too long or another service's; two times that are the same.
    """
    found = ServiceTime.objects.filter(kitchen=actor.kitchen, pk=command.pk).first() if command.pk else None
    if command.pk and found is None:
        raise InputError(say("No such service in this kitchen."), path="pk", code="missing")
    if command.gone:
        if found is not None:
            found.delete()
        return "" if found is None else found.name
    name = command.name.strip()
    if not 0 < len(name) <= NAME_LONGEST:
        raise InputError(say("name: write 1 to {most} letters, such as dinner.", most=NAME_LONGEST), path="name")
    if command.begins == command.ends:
        raise InputError(say("ends: give another time than it begins at."), path="ends")
    service = found or ServiceTime(kitchen=actor.kitchen)
    same = ServiceTime.objects.filter(kitchen=actor.kitchen, name__iexact=name).exclude(pk=service.pk)
    if same.exists():
        raise InputError(say("There is a {name!r} already; give it another name.", name=name), path="name")
    service.name, service.begins, service.ends = name, command.begins, command.ends
    service.save()
    return name
