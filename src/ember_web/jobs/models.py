"""Work of minutes, and what came of it."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import F

from ember_web.tenancy.models import Kitchen, KitchenOwned, public_id


class LongJob(KitchenOwned):
    """One computation that no request waits for: what was asked, how far it is, and its answer."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    public_id = models.SlugField(default=public_id, unique=True, max_length=40)
    kitchen = models.ForeignKey(Kitchen, on_delete=models.CASCADE, related_name="long_jobs")
    kind = models.CharField(max_length=40, help_text="As its place registered it.")
    title = models.CharField(max_length=200)
    asked = models.JSONField(help_text="What the kind's function is given.")
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    done = models.PositiveIntegerField(default=0, help_text="Of its parts.")
    parts = models.PositiveIntegerField(default=0, help_text="Of which it consists; 0: not known yet.")
    attempts = models.PositiveSmallIntegerField(default=0, help_text="How often a worker began it.")
    result = models.JSONField(null=True, blank=True)
    error = models.TextField(blank=True, help_text="Why there is no answer, in the words of whoever asked.")
    queued_as = models.BigIntegerField(null=True, help_text="Of the queue.")
    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    asked_at = models.DateTimeField(auto_now_add=True)
    begun_at = models.DateTimeField(null=True, blank=True)
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-asked_at", "-id"]
        indexes = [models.Index("kitchen", "kind", F("asked_at").desc(), name="long_job_by_time")]

    OPEN = (State.WAITING, State.RUNNING)

    def __str__(self) -> str:
        return self.title

    @property
    def is_open(self) -> bool:
        """Whether an answer is still to come."""
        return self.state in self.OPEN
