"""Records of finished cooks. A record keeps its inputs and the core that judged it."""

from __future__ import annotations

from django.db import models
from django.db.models import F

from ember_web.line.models import Cook
from ember_web.tenancy.fields import SaidField
from ember_web.tenancy.keys import SameKitchen
from ember_web.tenancy.models import Kitchen, KitchenOwned, public_id


class Record(KitchenOwned):
    """What was cooked: plan, readings, moves with real times, verdict by rule and by model, a note."""

    public_id = models.SlugField(default=public_id, unique=True, max_length=40)
    kitchen = models.ForeignKey(Kitchen, on_delete=models.CASCADE, related_name="records")
    cook = models.OneToOneField(Cook, on_delete=models.PROTECT, related_name="record")
    title = models.CharField(max_length=200)
    started_at = models.DateTimeField()
    finished_at = models.DateTimeField()
    peak_core_c = models.FloatField(null=True)
    state = models.CharField(max_length=10)
    document = SaidField(foreign=("plan",))
    note = models.TextField(blank=True, max_length=2000)
    core_version = models.CharField(max_length=20)
    data_version = models.CharField(max_length=20)

    class Meta:
        ordering = ["-finished_at", "-id"]
        indexes = [models.Index("kitchen", F("finished_at").desc(), F("id").desc(), name="record_by_time")]
        constraints = [SameKitchen(field="cook", name="logbook_record_cook_id_same_kitchen")]

    def __str__(self) -> str:
        return self.title
