"""The process that prints: begun again when it has died, given up politely when it dies again or takes too long."""

from __future__ import annotations

import os
import signal
import time

import pytest

from ember_web.jobs.waiting import Busy
from ember_web.plans import printing
from ember_web.plans.printing import Press

PAGE = "<!DOCTYPE html><title>x</title><p>one page"


@pytest.fixture
def press():
    """A press of its own, put away afterwards."""
    made = Press()
    yield made
    if made.worker.pool is not None:
        made.worker.drop(made.worker.pool)


def process_of(press):
    """The process that prints now."""
    return press.start().submit(os.getpid).result(60)


def test_it_prints_again_after_its_process_died(press):
    """Killed between two pages: the next one is printed by a new process."""
    assert press.pdf(PAGE, (), "").startswith(b"%PDF-")
    first = process_of(press)
    os.kill(first, signal.SIGKILL)
    time.sleep(0.2)
    assert press.pdf(PAGE, (), "").startswith(b"%PDF-")
    assert process_of(press) != first


def die(*_arguments):
    """In the process that prints."""
    os._exit(9)


def linger(*_arguments):
    """In the process that prints."""
    time.sleep(30)


@pytest.mark.parametrize(("task", "says"), [(die, "broke off twice"), (linger, "longer than 0.5 s|longer than 0 s")])
def test_what_cannot_be_printed_is_said_and_the_place_is_given_back(press, monkeypatch, task, says):
    """No page fails for it, and the next one is printed."""
    monkeypatch.setattr(printing, "make_pdf", task)
    process_of(press)
    if task is linger:
        monkeypatch.setattr(printing, "PATIENCE_S", 0.5)
    for _ in range(printing.MOST_WAITING + 1):  # more than there are places
        with pytest.raises(Busy, match=says):
            press.pdf(PAGE, (), "")
        if task is die:
            break
    monkeypatch.undo()
    assert press.pdf(PAGE, (), "").startswith(b"%PDF-")
