"""A person's language and units."""

from __future__ import annotations

from dataclasses import dataclass

from django.conf import settings
from django.core.exceptions import PermissionDenied
from django.utils.translation import gettext as _

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import User


@dataclass(frozen=True)
class SetPreferences:
    """What a person reads and writes; see :class:`ember_core.wording.quantities.Units`. No language: the browser's."""

    language: str = ""
    temperature: str = "C"
    length: str = "mm"
    mass: str = "g"
    volume: str = "L"
    clock: str = "24"


@action(Rank.VIEWER)
def set_preferences(actor: Actor, command: SetPreferences) -> User:
    """Set the actor's own.

    Raises
    ------
    PermissionDenied
        An actor that is no person.
    InputError
        A language or unit there is not.
    """
    person = actor.user
    if person is None:
        raise PermissionDenied(_("Only a person has a language and units."))
    allowed = {
        "language": ["", *dict(settings.LANGUAGES)],
        "temperature": User.Temperature.values,
        "length": User.Length.values,
        "mass": User.Mass.values,
        "volume": User.Volume.values,
        "clock": User.Clock.values,
    }
    for name, choices in allowed.items():
        value = getattr(command, name)
        if value not in choices:
            raise InputError(
                say("{name} is {value!r}; choose one of {choices}.", name=name, value=value, choices=choices),
                path=name,
                code="choice",
            )
        setattr(person, name, value)
    person.save(update_fields=list(allowed))
    return person
