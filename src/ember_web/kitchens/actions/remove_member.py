"""Take a person out of a kitchen."""

from __future__ import annotations

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.people import ensure_chef_left, member_of
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import Kitchen


@action(Rank.CHEF)
def remove_member(actor: Actor, username: str) -> str:
    """End the membership, from the next request on; what they did keeps their name. Returns what the trail says.

    Raises
    ------
    InputError
        Nobody of that name, oneself, or the last chef.
    """
    Kitchen.objects.select_for_update().get(pk=actor.kitchen.pk)
    membership = member_of(actor.kitchen, username)
    if actor.user is not None and membership.user_id == actor.user.pk:
        raise InputError(say("You cannot remove yourself; another chef can."), path="username", code="oneself")
    ensure_chef_left(membership)
    membership.delete()
    return f"member {username}"
