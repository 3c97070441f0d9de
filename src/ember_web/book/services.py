"""What changes a kitchen's own foods."""

from __future__ import annotations

from ember_web.book.forms import FoodForm
from ember_web.book.models import Food


def store_food(form: FoodForm) -> Food:
    """Save a valid form. Plans keep the composition they were saved with."""
    food: Food = form.save()
    return food


def remove_food(food: Food) -> str:
    """Delete a food; plans that use it keep its composition. Returns its name."""
    name = food.name
    food.delete()
    return name
