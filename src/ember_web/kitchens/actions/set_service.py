"""Set a kitchen's service, or take it away."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import time

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.models import ServiceTime
from ember_web.kitchens.rows import name_it, row_of
from ember_web.tenancy.action import Actor, Rank, action


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
    service = row_of(ServiceTime, actor.kitchen, command.pk)
    if command.gone:
        if service.pk:
            service.delete()
        return service.name
    name_it(service, command.name)
    if command.begins == command.ends:
        raise InputError(say("ends: give another time than it begins at."), path="ends")
    service.begins, service.ends = command.begins, command.ends
    service.save()
    return service.name
