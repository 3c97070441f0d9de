"""Processes that compute: each thing keeps its worker, and one that ends is begun again."""

from __future__ import annotations

import os
import signal
from concurrent.futures.process import BrokenProcessPool

import pytest

from ember_web.jobs import workers
from ember_web.jobs.workers import Worker, Workers

ANSWER_S = 60.0


@pytest.fixture
def worker():
    one = Worker("test")
    yield one
    one.start().shutdown(wait=True, cancel_futures=True)


def test_a_worker_is_another_process_that_gives_way(worker):
    """It answers in its own process, later than pages do; an error is the asker's."""
    assert worker.submit(os.getpid).result(ANSWER_S) != os.getpid()
    assert worker.submit(os.getpriority, os.PRIO_PROCESS, 0).result(ANSWER_S) == min(
        os.getpriority(os.PRIO_PROCESS, 0) + workers.NICE, 19
    )
    with pytest.raises(ValueError, match="invalid literal"):
        worker.submit(int, "seven").result(ANSWER_S)


def test_a_worker_that_ends_is_begun_again(worker):
    """Killed between two questions it is not noticed; a question that ends it every time is given up, not asked for ever."""
    first = worker.submit(os.getpid).result(ANSWER_S)
    os.kill(first, signal.SIGKILL)
    second = worker.submit(os.getpid).result(ANSWER_S)
    assert second not in {first, os.getpid()}
    with pytest.raises(BrokenProcessPool):
        worker.submit(os._exit, 1).result(ANSWER_S)
    assert worker.submit(max, 3, 4).result(ANSWER_S) == 4


@pytest.mark.parametrize(("told", "test", "count"), [("3", "1", 3), ("0", "", 0), ("", "1", 0), ("many", "1", 0)])
def test_the_number_of_workers_can_be_told(monkeypatch, told, test, count):
    monkeypatch.setenv("EMBER_WORKERS", told)
    monkeypatch.setenv("EMBER_TEST", test)
    assert workers.default_count() == count


def test_a_small_machine_has_one_worker_and_a_large_one_eight(monkeypatch):
    monkeypatch.delenv("EMBER_WORKERS", raising=False)
    monkeypatch.setenv("EMBER_TEST", "")
    found = []
    for processors in (None, 1, 2, 4, 64):
        monkeypatch.setattr("os.cpu_count", lambda n=processors: n)
        found.append(workers.default_count())
    assert found == [1, 1, 1, 3, 8]


def test_questions_about_one_thing_go_to_one_worker(monkeypatch):
    """So that what was prepared for it is there; different things are spread."""
    some = Workers("test", count=4)
    asked = []
    for i, one in enumerate(some.all):
        monkeypatch.setattr(one, "submit", lambda *_, i=i: asked.append(i))
    for near in [f"cook {n}" for n in range(40)] * 2:
        some.submit(near, max, 1, 2)
    assert asked[:40] == asked[40:]
    assert set(asked) == {0, 1, 2, 3}


def test_without_processes_a_thread_answers():
    """In tests and where none are wanted."""
    some = Workers("test", count=0)
    try:
        assert some.submit("a", os.getpid).result(ANSWER_S) == os.getpid()
    finally:
        some.all[0].start().shutdown()
