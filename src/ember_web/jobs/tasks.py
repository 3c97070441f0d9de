"""What the queue's workers are asked for: long jobs by their number, and to look after those whose worker ended."""

from __future__ import annotations

from asgiref.sync import sync_to_async
from django.db import close_old_connections
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from ember_web.jobs.long import perform_job
from ember_web.jobs.models import LongJob

LONG, CARE = "long", "care"  # queues: the second is never behind the first
QUEUED = frozenset({"todo", "doing"})


@app.task(queue=LONG, name="long_job")
def do_long_job(job_id: int) -> None:
    """Do a long job."""
    close_old_connections()
    try:
        perform_job(job_id)
    finally:
        close_old_connections()


def queue_job(job_id: int) -> None:
    """Queue a job and note under which number; in the caller's transaction."""
    number = do_long_job.defer(job_id=job_id)
    LongJob.objects.filter(pk=job_id).update(queued_as=number)


def queue_again() -> int:
    """Queue open jobs that no worker has and that stand in no queue any more; how many."""
    lost = 0
    for job in LongJob.objects.filter(state__in=LongJob.OPEN).only("pk", "queued_as"):
        queued = ProcrastinateJob.objects.filter(pk=job.queued_as, status__in=QUEUED).exists()
        if not queued:
            queue_job(job.pk)
            lost += 1
    return lost


@app.periodic(cron="* * * * *")
@app.task(queue=CARE, name="look_after_long_jobs", queueing_lock="look_after_long_jobs")
async def look_after_long_jobs(timestamp: int) -> None:
    """Give what a worker had when it ended to another one; queue what was lost."""
    del timestamp
    for stalled in await app.job_manager.get_stalled_jobs():
        await app.job_manager.retry_job(stalled)
    await sync_to_async(_look_again)()


def _look_again() -> None:
    close_old_connections()
    try:
        queue_again()
    finally:
        close_old_connections()
