"""Change one's own password."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.password_validation import validate_password

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import User


@dataclass(frozen=True)
class ChangePassword:
    """The one so far, and the new one."""

    old: str
    new: str


@action(Rank.VIEWER)
def change_password(actor: Actor, command: ChangePassword) -> User:
    """Store it; every other device of theirs is signed out by it.

    Raises
    ------
    InputError
        The one so far is wrong.
    ValidationError
        The new one cannot be used.
    """
    assert actor.user is not None
    user = User.objects.select_for_update().get(pk=actor.user.pk)
    if not user.check_password(command.old):
        raise InputError(
            say("That is not your current password; nothing was changed."), path="old", code="wrong-password"
        )
    validate_password(command.new, user)
    user.set_password(command.new)
    user.save(update_fields=["password"])
    return user
