"""The solver's threads: bounded, with a limit to waiting, in the language and units of who asks."""

from __future__ import annotations

import threading

import pytest

from ember_core.wording.quantities import IMPERIAL
from ember_web.jobs.waiting import Busy, SolverPool
from ember_web.plans import views
from ember_web.plans.models import Plan
from ember_web.tenancy.voice import Voice, current


def test_answers_errors_and_voices_come_through():
    """As if called directly."""
    bench = SolverPool(workers=1, waiting=1)
    assert bench.run(divmod, 7, 2) == (3, 1)
    for error in (ZeroDivisionError, TimeoutError):

        def fail(error=error):
            raise error

        with pytest.raises(error):
            bench.run(fail)
    with Voice("en", IMPERIAL).speaking():
        assert bench.run(current).units == IMPERIAL
    assert [bench.run(divmod, 7, 2) for _ in range(9)]  # every place was given back


def test_full_is_said_at_once_and_places_come_back():
    """With its threads and its queue taken the next one is refused; when they are done it is served."""
    bench, gate = SolverPool(workers=1, waiting=1, patience_s=20), threading.Event()
    held = [threading.Thread(target=bench.run, args=(gate.wait, 20)) for _ in range(2)]
    for thread in held:
        thread.start()
    while bench.places._value:
        threading.Event().wait(0.001)
    with pytest.raises(Busy, match="nothing you entered is lost"):
        bench.run(int)
    gate.set()
    for thread in held:
        thread.join()
    assert bench.run(int) == 0


def test_late_is_given_up_and_never_begun():
    """Who waits too long hears so; what had not begun is not computed any more."""
    bench, gate, done = SolverPool(workers=1, waiting=2, patience_s=0.05), threading.Event(), []
    with pytest.raises(Busy, match="longer than 0 s"):
        bench.run(gate.wait, 5)
    with pytest.raises(Busy):
        bench.run(done.append, 1)
    gate.set()
    bench.patience_s = 5
    assert bench.run(list, done) == []


def test_several_at_once():
    """In their order, side by side on as many threads as there are; one error, or no place, is that of all, and gives all back."""
    bench, both = SolverPool(workers=2, waiting=2, patience_s=20), threading.Barrier(2)

    def meet(number):
        both.wait(20)  # passes only where two run at the same time
        return number

    assert bench.each(meet, [(3,), (1,)]) == [3, 1]
    with pytest.raises(ZeroDivisionError):
        bench.each(divmod, [(7, 2), (7, 0), (7, 1)])
    with pytest.raises(Busy, match="nothing you entered is lost"):
        bench.each(divmod, [(7, 2)] * 5)
    while bench.places._value < 4:
        threading.Event().wait(0.001)
    bench.patience_s = 0.05
    with pytest.raises(Busy, match="longer than 0 s"):
        bench.each(threading.Event().wait, [(1,), (1,)])


@pytest.mark.django_db
def test_a_busy_kitchen_keeps_what_was_entered(kitchen, as_, monkeypatch):
    """A plan page answers 503 with the sentence as it was, and what to do; nothing is saved."""
    monkeypatch.setattr(views, "solver", SolverPool(workers=1, waiting=-1))
    reply = as_("cook").get("/k/hut/plan/", {"cut": "bavette", "size_mm": "31"})
    page = reply.content.decode()
    assert (reply.status_code, reply["Retry-After"]) == (503, "2")
    assert "Try again in a moment" in page
    assert 'value="31"' in page
    part = as_("cook").get("/k/hut/plan/", {"cut": "bavette", "size_mm": "31"}, headers={"HX-Request": "true"})
    assert (part.status_code, part["HX-Retarget"]) == (503, "#sentence")
    assert as_("cook").post("/k/hut/plan/save/", {"cut": "bavette", "size_mm": "31"}).status_code == 503
    assert not Plan.objects.exists()
