"""A kitchen's own foods and rules."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from ember_core.entry.sentence import OwnFood
from ember_web.tenancy.models import Kitchen, KitchenOwned, public_id

PARTS = ("water", "protein", "fat", "carbohydrate", "fibre", "ash")


def mass_percent() -> models.FloatField[float, float]:
    """A share of the mass, %."""
    return models.FloatField(default=0, validators=[MinValueValidator(0), MaxValueValidator(100)])


class Food(KitchenOwned):
    """What a kitchen knows better than the table: a food's composition in mass %, and the row it is like."""

    public_id = models.SlugField(default=public_id, unique=True, max_length=40)
    kitchen = models.ForeignKey(Kitchen, on_delete=models.CASCADE, related_name="foods")
    name = models.CharField(max_length=80)
    like = models.CharField(max_length=80, help_text="Row of the food table: species, rules, doneness, freezing point.")
    water = mass_percent()
    protein = mass_percent()
    fat = mass_percent()
    carbohydrate = mass_percent()
    fibre = mass_percent()
    ash = mass_percent()
    source = models.CharField(max_length=200, help_text="Where the numbers are from: a label, a laboratory, a table.")
    updated_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["kitchen", "name"], name="one_food_of_a_name")]

    def __str__(self) -> str:
        return self.name

    def as_own(self) -> OwnFood:
        """The core's view of it."""
        return OwnFood(self.public_id, self.name, self.like, {k: getattr(self, k) / 100.0 for k in PARTS})


class HouseRules(KitchenOwned):
    """What the house requires in place of rows of the rules it follows; weaker only by a written plan that is named."""

    kitchen = models.OneToOneField(Kitchen, on_delete=models.CASCADE, related_name="house_rules")
    base = models.CharField(max_length=40)
    rows = models.JSONField(default=dict, help_text="Clause to rows of °C and s.")
    written_plan = models.CharField(max_length=200, blank=True)
    validated = models.JSONField(
        null=True, blank=True, help_text="The reduction shown for weaker rows: organism, log10, by."
    )
    updated_at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return f"{self.kitchen}: house rules"

    def document(self) -> dict[str, Any]:
        """As a plan carries them."""
        shown = {"validated": self.validated} if self.validated else {}
        return {"base": self.base, "rows": self.rows, "written_plan": self.written_plan, **shown}


class BookRow(KitchenOwned):
    """A version of a kitchen's own cut, way, doneness set or spreads; only ever added, so that plans keep what they were made with."""

    class Kind(models.TextChoices):
        CUT = "cut"
        WAY = "way"
        DONENESS = "doneness"
        SPREAD = "spread"

    kind = models.CharField(max_length=10, choices=Kind.choices)
    key = models.SlugField(max_length=60, help_text="The id of the row, the same in all its versions.")
    version = models.PositiveIntegerField()
    body = models.JSONField(help_text="The row, without id and version.")
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["kind", "key", "version"]
        constraints = [models.UniqueConstraint(fields=["kitchen", "kind", "key", "version"], name="row_once")]

    def __str__(self) -> str:
        return f"{self.kind} {self.key}, version {self.version}"

    def as_row(self) -> dict[str, Any]:
        """As a book takes it."""
        return {**self.body, "id": self.key, "version": self.version}
