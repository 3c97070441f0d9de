"""Let a member sign in again who guessed wrong too often."""

from __future__ import annotations

from axes.utils import reset

from ember_web.kitchens.people import member_of
from ember_web.tenancy.action import Actor, Rank, action


@action(Rank.CHEF)
def unlock_member(actor: Actor, username: str) -> str:
    """Forget the wrong guesses at their name.

    Raises
    ------
    InputError
        Nobody of that name.
    """
    reset(username=member_of(actor.kitchen, username).user.username)
    return f"member {username}"
