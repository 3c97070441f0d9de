"""Admit a person to a kitchen."""

from __future__ import annotations

from dataclasses import dataclass

from django.contrib.auth.password_validation import validate_password

from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import Membership, User


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
    ValidationError
        A name or a password that cannot be used.
    """
    user = User.objects.filter(username=command.username).first()
    if user is None:
        user = User(username=command.username)
        user.full_clean(exclude=["password"])
        if command.checked:
            validate_password(command.password, user)
        user.set_password(command.password)
        user.save()
    role = Membership.Role(command.role)
    membership, _ = Membership.objects.update_or_create(kitchen=actor.kitchen, user=user, defaults={"role": role})
    return membership
