"""Admit a person to a kitchen."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.password_validation import validate_password

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.people import ensure_chef_left, ensure_name_stands_out
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import Kitchen, Membership, User


@dataclass(frozen=True)
class AdmitMember:
    """Sign-in name and role; a person who is not known yet needs a password."""

    username: str
    role: str
    password: str = ""
    checked: bool = True  # whether the password must be a good one; the demo's is printed


@action(Rank.CHEF)
def admit_member(actor: Actor, command: AdmitMember) -> Membership:
    """Make the person a member, or change their role; the account is made when there is none.

    Raises
    ------
    InputError
        A name like a member's, a password for somebody who has one, or the last chef's role.
    ValidationError
        A name or a password that cannot be used.
    """
    Kitchen.objects.select_for_update().get(pk=actor.kitchen.pk)  # one after another: names are compared
    role = Membership.Role(command.role)
    user = User.objects.filter(username=command.username).first()
    if user is not None and command.password and command.checked:
        words = say(
            "{name} has an account, whose password stays as it is. Leave the password empty; for a new one choose "
            "New password link at the name.",
            name=command.username,
        )
        raise InputError(words, path="password", code="has-account")
    ensure_name_stands_out(actor.kitchen, command.username)
    if user is None:
        user = User(username=command.username)
        user.full_clean(exclude=["password"])
        if command.checked:
            validate_password(command.password, user)
        user.set_password(command.password)
        user.save()
    known = Membership.objects.filter(kitchen=actor.kitchen, user=user).first()
    if known is not None and role != Membership.Role.CHEF:
        ensure_chef_left(known)
    membership, _ = Membership.objects.update_or_create(kitchen=actor.kitchen, user=user, defaults={"role": role})
    return membership
