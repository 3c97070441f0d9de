"""Running cooks, their events, the probes and their readings."""

from __future__ import annotations

import hashlib
import uuid

from django.conf import settings
from django.db import models

from ember_web.kitchens.models import Equipment
from ember_web.plans.models import Plan
from ember_web.tenancy.fields import SaidField
from ember_web.tenancy.keys import KitchenKey, SameKitchen
from ember_web.tenancy.models import Kitchen, KitchenOwned, public_id


class HubToken(KitchenOwned):
    """What a probe hub signs in with; it belongs to one kitchen and is stored as a hash only."""

    kitchen = models.ForeignKey(Kitchen, on_delete=models.CASCADE, related_name="hub_tokens")
    name = models.CharField(max_length=80)
    digest = models.CharField(max_length=64, unique=True)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.name

    @staticmethod
    def digest_of(token: str) -> str:
        """SHA-256 of a token; tokens are long and random, so a slow hash adds nothing."""
        return hashlib.sha256(token.encode()).hexdigest()


class Probe(KitchenOwned):
    """A thermometer known by the name its hub gives it."""

    kitchen = models.ForeignKey(Kitchen, on_delete=models.CASCADE, related_name="probes")
    name = models.CharField(max_length=40)
    label = models.CharField(max_length=80, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(fields=["kitchen", "name"], name="probe_name_in_kitchen"),
            KitchenKey(name="probe_with_kitchen"),
        ]

    def __str__(self) -> str:
        return self.label or self.name


class Cook(KitchenOwned):
    """One piece (or several alike) on the line, with the plan as it was when it started."""

    public_id = models.SlugField(default=public_id, unique=True, max_length=40)
    kitchen = models.ForeignKey(Kitchen, on_delete=models.CASCADE, related_name="cooks")
    plan = models.ForeignKey(Plan, null=True, on_delete=models.SET_NULL, related_name="cooks")
    title = models.CharField(max_length=200)
    station = models.CharField(max_length=40, default="Grill")
    document = models.JSONField(help_text="The plan as it was.")
    result = SaidField(help_text="Its result, without the samples.")
    trace = models.JSONField(help_text="Predicted core: pairs of seconds and °C.")
    moves = SaidField()
    probe = models.ForeignKey(Probe, null=True, blank=True, on_delete=models.SET_NULL, related_name="cooks")
    second_probe = models.ForeignKey(
        Probe, null=True, blank=True, on_delete=models.SET_NULL, related_name="second_cooks", help_text="Of a bird."
    )
    gear = models.JSONField(default=dict, help_text="What it lies in: kind of equipment to its key.")
    set_out = SaidField(
        default=dict, help_text="What was set out before heat, what was missing, and why it was started anyway."
    )
    created_at = models.DateTimeField()
    finished = models.BooleanField(default=False)
    core_version = models.CharField(max_length=20)
    data_version = models.CharField(max_length=20)

    class Meta:
        ordering = ["station", "id"]  # a fixed order: rows never move under a finger
        indexes = [models.Index(fields=["kitchen"], condition=models.Q(finished=False), name="cook_running")]
        constraints = [
            KitchenKey(name="cook_with_kitchen"),
            SameKitchen(field="plan", name="line_cook_plan_id_same_kitchen"),
            SameKitchen(field="probe", name="line_cook_probe_id_same_kitchen"),
            SameKitchen(field="second_probe", name="line_cook_second_probe_id_same_kitchen"),
            models.UniqueConstraint(
                fields=["second_probe"],
                condition=models.Q(finished=False, second_probe__isnull=False),
                name="second_probe_in_one_running_cook",
            ),
            models.UniqueConstraint(
                fields=["probe"],
                condition=models.Q(finished=False, probe__isnull=False),
                name="probe_in_one_running_cook",
            ),
        ]

    def __str__(self) -> str:
        return self.title


class Event(KitchenOwned):
    """One thing that happened to a cook. Never changed, never deleted; undo is another event."""

    id = models.UUIDField(
        primary_key=True, default=uuid.uuid4, help_text="Made by the client: the same event twice is one."
    )
    kitchen = models.ForeignKey(Kitchen, on_delete=models.PROTECT, related_name="+")
    cook = models.ForeignKey(Cook, on_delete=models.PROTECT, related_name="events")
    kind = models.CharField(max_length=10)
    payload = models.JSONField(default=dict)
    supersedes = models.UUIDField(null=True, blank=True)
    occurred_at = models.DateTimeField(help_text="Kitchen time.")
    received_at = models.DateTimeField(auto_now_add=True)
    actor = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    device = models.CharField(max_length=40, blank=True)

    class Meta:
        ordering = ["occurred_at", "id"]
        constraints = [SameKitchen(field="cook", name="line_event_cook_id_same_kitchen")]

    def __str__(self) -> str:
        return f"{self.kind} at {self.occurred_at}"


class Sent(KitchenOwned):
    """What a hub sent, unique on its boot and number within that."""

    kitchen = models.ForeignKey(Kitchen, on_delete=models.PROTECT, related_name="+", db_index=False)
    boot_id = models.CharField(max_length=40)
    sequence = models.BigIntegerField()
    measured_at = models.DateTimeField(help_text="Kitchen time.")
    received_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True
        ordering = ["measured_at", "id"]


class MediumReading(Sent):
    """One reading of a thermometer in an oven, a bath and so on, as it showed it."""

    equipment = models.ForeignKey(Equipment, on_delete=models.PROTECT, related_name="readings")
    medium_c = models.FloatField()

    class Meta(Sent.Meta):
        indexes = [
            models.Index(fields=["equipment", "measured_at"]),
            models.Index(fields=["kitchen", "id"], name="medium_reading_in_kitchen"),
        ]
        constraints = [
            models.UniqueConstraint(fields=["equipment", "boot_id", "sequence"], name="medium_reading_once"),
            SameKitchen(field="equipment", name="line_mediumreading_equipment_id_same_kitchen"),
        ]

    def __str__(self) -> str:
        return f"{self.medium_c:.1f} °C"


class SimulatedFault(KitchenOwned):
    """What goes wrong in a simulated kitchen now, because somebody wants to see what the board makes of it."""

    name = models.CharField(max_length=40, help_text="Of the device or the probe, as the hub calls it.")
    kind = models.CharField(max_length=20)
    since = models.DateTimeField(help_text="Kitchen time.")

    class Meta:
        ordering = ["name", "kind"]
        constraints = [models.UniqueConstraint(fields=["kitchen", "name", "kind"], name="one_fault_of_a_kind")]

    def __str__(self) -> str:
        return f"{self.name}: {self.kind}"


class Reading(Sent):
    """One reading of a probe, unique on the hub's boot and sequence number."""

    probe = models.ForeignKey(Probe, on_delete=models.PROTECT, related_name="readings")
    core_c = models.FloatField()

    class Meta(Sent.Meta):
        indexes = [
            models.Index(fields=["probe", "measured_at"]),
            models.Index(fields=["kitchen", "id"], name="reading_in_kitchen"),
        ]
        constraints = [
            models.UniqueConstraint(fields=["probe", "boot_id", "sequence"], name="reading_once"),
            SameKitchen(field="probe", name="line_reading_probe_id_same_kitchen"),
        ]

    def __str__(self) -> str:
        return f"{self.core_c:.1f} °C"
