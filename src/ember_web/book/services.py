"""What changes a kitchen's own foods and rules."""

from __future__ import annotations

from ember_web.book.forms import FoodForm, HouseRulesForm
from ember_web.book.models import Food, HouseRules


def store_food(form: FoodForm) -> Food:
    """Save a valid form. Plans keep the composition they were saved with."""
    food: Food = form.save()
    return food


def remove_food(food: Food) -> str:
    """Delete a food; plans that use it keep its composition. Returns its name."""
    name = food.name
    food.delete()
    return name


def store_house_rules(house: HouseRules, form: HouseRulesForm) -> HouseRules:
    """Save a valid form. Saved plans keep the rows they were made with until they are saved again."""
    house.base = form.profile.id
    house.rows = form.cleaned_data["rows"]
    house.written_plan = form.cleaned_data["written_plan"].strip()
    house.validated = form.cleaned_data["validated"]
    house.save()
    return house
