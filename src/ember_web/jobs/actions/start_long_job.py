"""Ask for a computation of minutes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.jobs.long import KINDS
from ember_web.jobs.models import LongJob
from ember_web.jobs.tasks import queue_job
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import Kitchen

MOST_OPEN = 4  # of a kitchen, so that one does not keep the workers from the others
KEPT = 40  # answers of a kind that a kitchen keeps, the newest


@dataclass(frozen=True)
class StartLongJob:
    """A registered kind, a title to find it by, and what its function is given (JSON)."""

    kind: str
    title: str
    asked: dict[str, Any]


@action(Rank.COOK)
def start_long_job(actor: Actor, command: StartLongJob) -> LongJob:
    """Keep the job and queue it; a worker begins it soon.

    Raises
    ------
    InputError
        An unknown kind, or too many of the kitchen's are open.
    """
    if command.kind not in KINDS:
        raise InputError(say("There is no long job {kind!r}.", kind=command.kind), path="kind")
    Kitchen.objects.select_for_update().get(pk=actor.kitchen.pk)  # two at once do not both take the last place
    if LongJob.objects.filter(kitchen=actor.kitchen, state__in=LongJob.OPEN).count() >= MOST_OPEN:
        raise InputError(
            say("{most} calculations are running already. Wait for one to finish, or cancel one.", most=MOST_OPEN),
            path="kind",
        )
    job = LongJob.objects.create(
        kitchen=actor.kitchen, kind=command.kind, title=command.title[:200], asked=command.asked, asked_by=actor.user
    )
    old = LongJob.objects.filter(kitchen=actor.kitchen, kind=command.kind).exclude(state__in=LongJob.OPEN)
    LongJob.objects.filter(pk__in=list(old.values_list("pk", flat=True)[KEPT:])).delete()
    queue_job(job.pk)
    return job
