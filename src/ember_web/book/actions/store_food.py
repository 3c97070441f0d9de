"""Store a food of the kitchen's own."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import IntegrityError, transaction

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.book.models import PARTS, Food
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.keys import constraint_of


@dataclass(frozen=True)
class StoreFood:
    """A food with its parts in mass %, as a new one or in place of the one with the public id ``food``."""

    name: str
    like: str
    parts: dict[str, float]
    source: str
    food: str = ""


@action(Rank.CHEF)
def store_food(actor: Actor, command: StoreFood) -> Food:
    """Store it. Plans keep the composition they were saved with.

    Raises
    ------
    InputError
        A food that is not this kitchen's, or a name that another one has.
    """
    food = Food(kitchen=actor.kitchen)
    if command.food:
        found = Food.objects.select_for_update().filter(kitchen=actor.kitchen, public_id=command.food).first()
        if found is None:
            raise InputError(say("No such food in this kitchen; add it as a new one."), path="food", code="missing")
        food = found
    food.name, food.like, food.source = command.name, command.like, command.source
    for part in PARTS:
        setattr(food, part, command.parts.get(part, 0.0))
    try:
        with transaction.atomic():
            food.save()
    except IntegrityError as error:
        if constraint_of(error) != "one_food_of_a_name":
            raise
        message = say("The kitchen has a food called {name!r}; choose another name.", name=command.name)
        raise InputError(message, path="name", code="name-taken") from None
    return food
