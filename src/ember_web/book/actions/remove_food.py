"""Remove a food of the kitchen's own."""

from __future__ import annotations

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.book.models import Food
from ember_web.tenancy.action import Actor, Rank, action


@action(Rank.CHEF)
def remove_food(actor: Actor, food: str) -> str:
    """Delete the food with this public id; plans that use it keep its composition. Returns its name.

    Raises
    ------
    InputError
        A food that is not this kitchen's.
    """
    found = Food.objects.filter(kitchen=actor.kitchen, public_id=food).first()
    if found is None:
        raise InputError(say("No such food in this kitchen."), path="food", code="missing")
    found.delete()
    return found.name
