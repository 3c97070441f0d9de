"""Long jobs: they outlive their request, say how far they are, can be ended, and are begun again when their worker ends."""

from __future__ import annotations

import asyncio

import pytest
from django.core.exceptions import PermissionDenied
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from ember_core.errors import EmberError, InputError
from ember_web.jobs import long
from ember_web.jobs.actions.cancel_long_job import cancel_long_job
from ember_web.jobs.actions.start_long_job import KEPT, MOST_OPEN, StartLongJob, start_long_job
from ember_web.jobs.long import MAX_ATTEMPTS, perform_job, reporter
from ember_web.jobs.management.commands.work import work
from ember_web.jobs.models import LongJob
from ember_web.jobs.tasks import LONG, queue_again
from ember_web.tenancy.models import User
from tests.web.acting import member

State = LongJob.State


def double(kitchen, asked, report):
    report(0, 2)
    report(2, 2)
    return {"twice": 2 * asked["n"], "of": kitchen.name}


def refuse(kitchen, asked, report):
    raise EmberError("Too hot.")


def fall(kitchen, asked, report):
    raise RuntimeError("nobody foresaw this")


def change_mind(kitchen, asked, report):
    LongJob.objects.filter(kitchen=kitchen).update(state=State.CANCELLED)
    report(1, 2)
    raise AssertionError("it was cancelled")


@pytest.fixture(autouse=True)
def kinds(monkeypatch):
    made = {"double": double, "refuse": refuse, "fall": fall, "change_mind": change_mind}
    monkeypatch.setattr(long, "KINDS", made)
    monkeypatch.setattr("ember_web.jobs.actions.start_long_job.KINDS", made)


@pytest.fixture
def cook(kitchen):
    return member(kitchen, User.objects.get(username="cook"))


def ask(actor, kind="double", n=21):
    return start_long_job(actor, StartLongJob(kind, "Twice", {"n": n}))


ENDS = [("double", State.DONE, ""), ("refuse", State.FAILED, "Too hot."), ("fall", State.FAILED, "log"), ("change_mind", State.CANCELLED, "")]  # fmt: skip


@pytest.mark.parametrize(("kind", "state", "says"), ENDS)
def test_how_a_job_ends(cook, kind, state, says):
    """With its answer, with why there is none, or because nobody wants it any more."""
    job = ask(cook, kind)
    perform_job(job.pk)
    job.refresh_from_db()
    assert job.state == state
    assert says in job.error
    assert (job.result == {"twice": 42, "of": "Hut"}) is (state == State.DONE)
    assert (job.done, job.parts) == ((2, 2) if state == State.DONE else (0, 0))


def test_a_job_that_was_cancelled_is_not_begun(cook):
    job = ask(cook)
    cancel_long_job(cook, job.public_id)
    perform_job(job.pk)
    job.refresh_from_db()
    assert (job.state, job.attempts, job.result) == (State.CANCELLED, 0, None)


def test_a_job_that_keeps_ending_its_worker_is_given_up(cook):
    job = ask(cook)
    LongJob.objects.filter(pk=job.pk).update(state=State.RUNNING, attempts=MAX_ATTEMPTS)
    perform_job(job.pk)
    job.refresh_from_db()
    assert job.state == State.FAILED
    assert str(MAX_ATTEMPTS) in job.error


def test_a_kind_that_this_version_does_not_know(cook):
    job = ask(cook)
    LongJob.objects.filter(pk=job.pk).update(kind="of-tomorrow")
    perform_job(job.pk)
    job.refresh_from_db()
    assert (job.state, bool(job.error)) == (State.FAILED, True)


def test_who_may_and_how_many(kitchen, cook):
    with pytest.raises(PermissionDenied):
        ask(member(kitchen, User.objects.get(username="viewer")))
    with pytest.raises(InputError):
        ask(cook, "unknown")
    jobs = [ask(cook) for _ in range(MOST_OPEN)]
    with pytest.raises(InputError) as full:
        ask(cook)
    assert str(MOST_OPEN) in str(full.value.message)
    cancel_long_job(cook, jobs[0].public_id)
    assert ask(cook)


def test_another_kitchens_job_is_left_alone(kitchen, cook, stranger):
    job = ask(cook)
    barn = stranger.memberships.get().kitchen
    cancel_long_job(member(barn, stranger), job.public_id)
    job.refresh_from_db()
    assert job.state == State.WAITING


def test_only_the_newest_answers_are_kept(cook, kitchen):
    LongJob.objects.bulk_create(
        LongJob(kitchen=kitchen, kind="double", title=str(i), asked={}, state=State.DONE) for i in range(KEPT + 5)
    )
    job = ask(cook)
    assert LongJob.objects.filter(kitchen=kitchen).count() == KEPT + 1
    assert LongJob.objects.filter(pk=job.pk).exists()


def test_progress_is_written_now_and_then_and_at_the_end(cook):
    job = ask(cook)
    LongJob.objects.filter(pk=job.pk).update(state=State.RUNNING)
    now = [0.0]
    report = reporter(job.pk, lambda: now[0])
    seen = []
    for at, done in ((0.0, 1), (0.1, 2), (0.5, 3), (0.6, 4)):
        now[0] = at
        report(done, 4)
        job.refresh_from_db()
        seen.append(job.done)
    assert seen == [1, 1, 3, 4]


def test_what_the_queue_has_lost_is_queued_again(cook):
    """Its row says that it is open and no queue has it: a database put back, a task that failed."""
    job, other = ask(cook), ask(cook)
    assert queue_again() == 0
    app.job_manager.delete_job_by_id(job.queued_as) if hasattr(app.job_manager, "delete_job_by_id") else None
    LongJob.objects.filter(pk=other.pk).update(queued_as=None)
    LongJob.objects.filter(pk=job.pk).update(queued_as=10**9)
    assert queue_again() == 2
    assert queue_again() == 0
    assert set(ProcrastinateJob.objects.values_list("status", flat=True)) == {"todo"}


@pytest.mark.django_db(transaction=True)
def test_a_worker_takes_them_from_the_queue(kitchen, cook):
    """By the library's own worker, on the database, until nothing waits."""
    jobs = [ask(cook, n=n) for n in (1, 2)]
    asyncio.run(work(1, wait=False))
    assert [LongJob.objects.get(pk=j.pk).result["twice"] for j in jobs] == [2, 4]
    assert not ProcrastinateJob.objects.filter(queue_name=LONG).exists()
