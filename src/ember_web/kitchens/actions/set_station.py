"""Set a station of a kitchen and who works there, or take it away."""

from __future__ import annotations

from dataclasses import dataclass

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.models import Station, StationMember
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import Membership

NAME_LONGEST = 40
MOST_ORDER = 999


@dataclass(frozen=True)
class SetStation:
    """A station, its place in lists, sign-in names of who works there; ``pk`` and ``gone`` to change one or take it away."""

    name: str
    order: int = 0
    people: tuple[str, ...] = ()
    pk: int = 0
    gone: bool = False


@action(Rank.CHEF)
def set_station(actor: Actor, command: SetStation) -> str:
    """Store it; returns its name.

    Raises
    ------
    InputError
        A name that is empty, too long or another station's; somebody who is no member.
    """
    found = Station.objects.filter(kitchen=actor.kitchen, pk=command.pk).first() if command.pk else None
    if command.pk and found is None:
        raise InputError(say("No such station in this kitchen."), path="pk", code="missing")
    if command.gone:
        if found is not None:
            found.delete()
        return "" if found is None else found.name
    name = command.name.strip()
    if not 0 < len(name) <= NAME_LONGEST:
        raise InputError(say("name: write 1 to {most} letters, such as Grill.", most=NAME_LONGEST), path="name")
    if not 0 <= command.order <= MOST_ORDER:
        raise InputError(say("order: give a whole number from 0 to {most}.", most=MOST_ORDER), path="order")
    station = found or Station(kitchen=actor.kitchen)
    if Station.objects.filter(kitchen=actor.kitchen, name__iexact=name).exclude(pk=station.pk).exists():
        raise InputError(say("There is a {name!r} already; give it another name.", name=name), path="name")
    members = {m.user.username: m for m in Membership.objects.filter(kitchen=actor.kitchen).select_related("user")}
    strangers = sorted(set(command.people) - set(members))
    if strangers:
        raise InputError(say("people: {name} is no member here.", name=strangers[0]), path="people")
    station.name, station.order = name, command.order
    station.save()
    StationMember.objects.filter(station=station).delete()
    StationMember.objects.bulk_create(
        StationMember(kitchen=actor.kitchen, station=station, membership=members[n])
        for n in sorted(set(command.people))
    )
    return name
