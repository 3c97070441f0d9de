"""Book: the foods and rules a kitchen works with, one level below its cuts and ways."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from ember_core.data.loader import read_toml
from ember_core.errors import InputError
from ember_core.safety.rules import bases
from ember_core.safety.rules import usual as usual_rules
from ember_web.book.actions.remove_food import remove_food
from ember_web.book.actions.store_food import StoreFood, store_food
from ember_web.book.actions.store_house_rules import StoreHouseRules, store_house_rules
from ember_web.book.forms import FoodForm, HouseRulesForm, in_words
from ember_web.book.models import PARTS, Food, HouseRules
from ember_web.book.queries import AT_C, own_rows, table_rows
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current, tell


@in_kitchen()
@require_safe
def listing(request: KitchenRequest) -> HttpResponse:
    """The kitchen's own foods and the table, with search; htmx gets the rows alone."""
    words = request.GET.get("q", "")[:80].replace("\x00", "").strip()
    table = table_rows(words)
    context = {
        "q": words,
        "own": own_rows(request.kitchen, words),
        "table": table,
        "sources": sorted({r.source for r in table}),
        "parts": PARTS,
        "at_c": AT_C,
    }
    return render(request, "book/_foods.html" if getattr(request, "htmx", None) else "book/foods.html", context)


def _edit(request: KitchenRequest, food: Food) -> HttpResponse:
    form = FoodForm(request.POST if request.method == "POST" else None, instance=food)
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        command = StoreFood(
            data["name"], data["like"], {p: data[p] for p in PARTS}, data["source"], food.public_id if food.pk else ""
        )
        try:
            stored = store_food(Actor.of_request(request), command)
        except InputError as error:
            form.add_error(error.path if error.path in form.fields else None, current().say(error.message))
        else:
            messages.success(request, tell("Saved: {name}. It can be chosen in a plan's sentence.", name=stored.name))
            return redirect("book-foods", kitchen=request.kitchen.public_id)
    return render(
        request, "book/food.html", {"form": form, "food": food if food.pk else None, "parts": PARTS},
        status=422 if form.errors else 200,
    )  # fmt: skip


@in_kitchen(read="chef", write="chef")
@require_http_methods(["GET", "HEAD", "POST"])
def new(request: KitchenRequest) -> HttpResponse:
    """Add a food."""
    return _edit(request, Food(kitchen=request.kitchen))


@in_kitchen(read="chef", write="chef")
@require_http_methods(["GET", "HEAD", "POST"])
def edit(request: KitchenRequest, food: str) -> HttpResponse:
    """Change a food."""
    return _edit(request, get_object_or_404(Food, kitchen=request.kitchen, public_id=food))


@in_kitchen(write="chef")
@require_POST
def remove(request: KitchenRequest, food: str) -> HttpResponse:
    """Delete a food; saved plans keep their composition."""
    found = get_object_or_404(Food, kitchen=request.kitchen, public_id=food)
    name = remove_food(Actor.of_request(request), found.public_id)
    messages.success(request, tell("Deleted: {name}. Saved plans keep what they were made with.", name=name))
    return redirect("book-foods", kitchen=request.kitchen.public_id)


@in_kitchen(write="chef")
@require_http_methods(["GET", "HEAD", "POST"])
def rules(request: KitchenRequest) -> HttpResponse:
    """The house's own rules: read by all, changed by a chef."""
    kitchen = request.kitchen
    usual = kitchen.rules if kitchen.rules != "house" else usual_rules()
    house = HouseRules.objects.filter(kitchen=kitchen).first() or HouseRules(kitchen=kitchen, base=usual)
    data = request.POST if request.method == "POST" else request.GET if "base" in request.GET else None
    if request.method == "POST":
        form = HouseRulesForm(data, house=house)
        if form.is_valid():
            told = form.cleaned_data
            command = StoreHouseRules(form.profile.id, told["rows"], told["written_plan"], told["validated"])
            store_house_rules(Actor.of_request(request), command)
            messages.success(request, _("Saved. Choose house rules in a plan's sentence to go by them."))
            return redirect("book-rules", kitchen=kitchen.public_id)
    else:  # another base from the address shows its clauses
        asked = str(data["base"]) if data is not None else house.base
        other = asked != house.base and asked in bases()
        form = HouseRulesForm(house=HouseRules(base=asked) if other else house)
    floor = read_toml("keeping.toml")["floor"]
    context = {
        "form": form,
        "stored": house if house.pk else None,
        "growth_c": floor["least_c"],
        "least_c": floor["growth_c"],
        "example": in_words([(65.0, 600.0), (75.0, 30.0)], current().units),
    }
    return render(request, "book/rules.html", context, status=422 if form.errors else 200)
