"""Saved plans. A plan is its document, with the core and data that computed it."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import F

from ember_web.tenancy.keys import KitchenKey, SameKitchen
from ember_web.tenancy.models import Kitchen, KitchenOwned, public_id


class Plan(KitchenOwned):
    """A plan document of a kitchen, ``open-ember.plan/1``."""

    public_id = models.SlugField(default=public_id, unique=True, max_length=40)
    kitchen = models.ForeignKey(Kitchen, on_delete=models.CASCADE, related_name="plans")
    title = models.CharField(max_length=200)
    document = models.JSONField()
    entered = models.JSONField(default=dict, blank=True, help_text="Numbers with the unit they were entered in.")
    core_version = models.CharField(max_length=20)
    data_version = models.CharField(max_length=20)
    summary = models.JSONField(default=dict, blank=True, help_text="What a list shows of it: times, state, a picture.")
    tags = models.JSONField(default=list, blank=True, help_text="Words the kitchen finds it by.")
    archived_at = models.DateTimeField(null=True, blank=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)
    updated_at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-updated_at", "-id"]
        indexes = [models.Index("kitchen", F("updated_at").desc(), F("id").desc(), name="plan_by_time")]
        constraints = [KitchenKey(name="plan_with_kitchen")]

    def __str__(self) -> str:
        return self.title


class PlanRevision(KitchenOwned):
    """A plan as it was saved at one time; only ever added, so that what was planned can be looked at again."""

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=200)
    document = models.JSONField()
    entered = models.JSONField(default=dict, blank=True)
    core_version = models.CharField(max_length=20)
    data_version = models.CharField(max_length=20)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["plan", "-number"]
        constraints = [
            models.UniqueConstraint(fields=["plan", "number"], name="revision_once"),
            SameKitchen(field="plan", name="plans_planrevision_plan_id_same_kitchen"),
        ]

    def __str__(self) -> str:
        return f"{self.title}, revision {self.number}"


class Draft(KitchenOwned):
    """What a person has changed in a sentence and not saved: of a saved plan, or of a new one."""

    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    plan = models.ForeignKey(Plan, null=True, blank=True, on_delete=models.CASCADE, related_name="drafts")
    state = models.TextField(max_length=4000, help_text="The sentence as an address says it.")
    words = models.CharField(max_length=200)
    updated_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(
                fields=["kitchen", "user", "plan"], name="one_draft_of_a_plan", nulls_distinct=False
            ),
            SameKitchen(field="plan", name="plans_draft_plan_id_same_kitchen"),
        ]

    def __str__(self) -> str:
        return self.words
