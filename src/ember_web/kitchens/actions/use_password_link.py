"""Set a password by a link that was given for it."""

from __future__ import annotations

from dataclasses import dataclass

from axes.utils import reset
from django.contrib.auth.password_validation import validate_password

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.models import PasswordLink
from ember_web.tenancy.action import Actor, action
from ember_web.tenancy.clock import machine
from ember_web.tenancy.models import User


@dataclass(frozen=True)
class UsePasswordLink:
    """The link's token, and the new password."""

    token: str
    password: str


@action(None)
def use_password_link(actor: Actor, command: UsePasswordLink) -> User:
    """Store the password; the link ends, every device is signed out, and a lock of wrong guesses is opened.

    The actor is the set-up, in the name of whoever has the link.

    Raises
    ------
    InputError
        A link that was used, has expired or never was.
    ValidationError
        A password that cannot be used; the link stays.
    """
    links = PasswordLink.objects.select_for_update().select_related("user")
    link = links.filter(kitchen=actor.kitchen, digest=PasswordLink.digest_of(command.token)).first()
    if link is None or not link.is_open:
        raise InputError(say("This link is used up or too old. Ask a chef for a new one."), path="token", code="used")
    validate_password(command.password, link.user)
    link.used_at = machine.now()
    link.save(update_fields=["used_at"])
    user: User = link.user
    user.set_password(command.password)
    user.save(update_fields=["password"])
    reset(username=user.username)
    return user
