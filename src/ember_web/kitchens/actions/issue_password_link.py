"""Give a member a link with which they set a new password once."""

from __future__ import annotations

import secrets
from datetime import timedelta

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.models import PasswordLink
from ember_web.kitchens.people import member_of
from ember_web.tenancy.action import Actor, Kind, Rank, action, leave_trail
from ember_web.tenancy.clock import machine
from ember_web.tenancy.models import Membership

VALID_FOR = timedelta(hours=24)


@action(Rank.CHEF, trail=False)
def issue_password_link(actor: Actor, username: str) -> str:
    """Make it and return its token, of which only a hash is kept; earlier ones of theirs end.

    A chef does it for those who work in this kitchen alone: who works in another one too would hand that over with it. There
    the set-up does it, at the machine.

    Raises
    ------
    InputError
        Nobody of that name, or somebody who works elsewhere too.
    """
    membership = member_of(actor.kitchen, username)
    elsewhere = Membership.objects.filter(user=membership.user).exclude(kitchen=actor.kitchen)
    if actor.kind is not Kind.SETUP and (elsewhere.exists() or membership.user.is_superuser):
        words = say(
            "{name} does not belong to this kitchen alone. They change their password themselves under their name, or get "
            "a link at the machine: ./ember person link {name}",
            name=username,
        )
        raise InputError(words, path="username", code="elsewhere")
    token = secrets.token_urlsafe(24)
    PasswordLink.objects.filter(user=membership.user, used_at=None).delete()
    PasswordLink.objects.create(
        kitchen=actor.kitchen,
        user=membership.user,
        digest=PasswordLink.digest_of(token),
        expires_at=machine.now() + VALID_FOR,
    )
    leave_trail(actor, "issue_password_link", f"member {username}")
    return token
