"""Set a station of a kitchen and who works there, or take it away."""

from __future__ import annotations

from dataclasses import dataclass

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.models import Station, StationMember
from ember_web.kitchens.rows import name_it, row_of
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import Membership

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
    station = row_of(Station, actor.kitchen, command.pk)
    if command.gone:
        if station.pk:
            station.delete()
        return station.name
    name_it(station, command.name)
    if not 0 <= command.order <= MOST_ORDER:
        raise InputError(say("order: give a whole number from 0 to {most}.", most=MOST_ORDER), path="order")
    members = {m.user.username: m for m in Membership.objects.filter(kitchen=actor.kitchen).select_related("user")}
    people = sorted(set(command.people))
    strangers = [n for n in people if n not in members]
    if strangers:
        raise InputError(say("people: {name} is no member here.", name=strangers[0]), path="people")
    station.order = command.order
    station.save()
    StationMember.objects.filter(station=station).delete()
    StationMember.objects.bulk_create(
        StationMember(kitchen=actor.kitchen, station=station, membership=members[n]) for n in people
    )
    return station.name
