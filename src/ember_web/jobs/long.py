"""Long jobs: how a place offers one, and how a worker does it.

A place registers a kind with :func:`register_kind`: a function of the kitchen, what was asked (JSON) and a way to report how far it is, that
gives its answer (JSON). The job is kept as a row and queued by its number; whichever worker takes it writes progress and answer there.
A job that was cancelled ends at its next report. One whose worker ended is begun again, so a kind must bear being done twice.
"""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from typing import Any

from django.db.models import F
from django.utils import timezone

from ember_core.errors import EmberError
from ember_core.wording.message import N_
from ember_web.jobs.models import LongJob
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, tell, voice_of

log = logging.getLogger(__name__)
Report = Callable[[int, int], None]
Work = Callable[[Kitchen, dict[str, Any], Report], dict[str, Any]]
KINDS: dict[str, Work] = {}
MAX_ATTEMPTS = 3  # a job that ends its worker so often is given up
REPORT_EVERY_S = 0.3
State = LongJob.State


class Cancelled(Exception):
    """The job is no longer wanted."""


def register_kind(kind: str, work: Work) -> None:
    """Register what does one kind of job."""
    KINDS[kind] = work


def reporter(job_id: int, clock: Callable[[], float] = time.monotonic) -> Report:
    """Writes how far a job is, not too often, and ends it where it is no longer wanted."""
    last = -REPORT_EVERY_S

    def report(done: int, of: int) -> None:
        nonlocal last
        if clock() - last < REPORT_EVERY_S and done < of:
            return
        last = clock()
        if not LongJob.objects.filter(pk=job_id, state=State.RUNNING).update(done=done, parts=of):
            raise Cancelled

    return report


def perform_job(job_id: int) -> None:
    """Do a job and keep its answer, or why there is none; nothing where it is no longer wanted."""
    open_ = LongJob.objects.filter(pk=job_id, state__in=LongJob.OPEN)
    if not open_.update(state=State.RUNNING, begun_at=timezone.now(), done=0, attempts=F("attempts") + 1):
        return
    job = LongJob.objects.select_related("kitchen", "asked_by").get(pk=job_id)
    with voice_of(job.asked_by).speaking():
        if job.attempts > MAX_ATTEMPTS:
            _end(job_id, State.FAILED, error=tell(N_("It stopped {times} times before it was finished. Ask for less at once."), times=MAX_ATTEMPTS))  # fmt: skip
            return
        work = KINDS.get(job.kind)
        try:
            if work is None:
                raise EmberError(N_("This version cannot calculate it. Start it again."))
            answer = work(job.kitchen, job.asked, reporter(job_id))
        except Cancelled:
            return
        except EmberError as error:
            _end(job_id, State.FAILED, error=current().say(error.message))
        except Exception:
            log.exception("long job %s of kind %s", job.public_id, job.kind)
            _end(job_id, State.FAILED, error=tell(N_("The calculation failed; the server's log says why.")))
        else:
            _end(job_id, State.DONE, result=answer, done=F("parts"))


def _end(job_id: int, state: str, **more: Any) -> None:
    """Its end, unless it was cancelled meanwhile."""
    LongJob.objects.filter(pk=job_id, state=State.RUNNING).update(state=state, ended_at=timezone.now(), **more)
