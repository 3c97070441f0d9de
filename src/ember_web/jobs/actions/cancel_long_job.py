"""End a long job that is no longer wanted."""

from __future__ import annotations

from django.utils import timezone

from ember_web.jobs.models import LongJob
from ember_web.tenancy.action import Actor, Rank, action


@action(Rank.COOK)
def cancel_long_job(actor: Actor, job: str) -> str:
    """Cancel it by its public id: one that waits is never begun, one that runs ends at its next step. Returns that id."""
    open_ = LongJob.objects.filter(kitchen=actor.kitchen, public_id=job, state__in=LongJob.OPEN)
    open_.update(state=LongJob.State.CANCELLED, ended_at=timezone.now())
    return job
