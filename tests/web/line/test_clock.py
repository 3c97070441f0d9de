"""A kitchen's clock: what happens to it when the machine's is set, started anew, or far from it; and who may set it."""

from __future__ import annotations

import importlib
import json
from datetime import timedelta

import pytest

from ember_web.kitchens import kitchen_page
from ember_web.line import clock as line_clock
from ember_web.line import live
from ember_web.line.clock import clock_state, kitchen_time
from ember_web.line.models import Cook, Event
from ember_web.logbook.models import Record
from ember_web.tenancy import models as tenancy_models
from ember_web.tenancy.clock import MachineClock
from ember_web.tenancy.models import ClockChange, Kitchen, Trail
from tests.web.line.test_line import event, send, state_of

pytestmark = pytest.mark.django_db
ACTIONS = ("carry_clock_over_restart", "follow_machine_clock", "set_kitchen_time")


class Machine(MachineClock):
    """A machine whose clocks are moved by hand, in s since 1970 and since its start."""

    def __init__(self, wall, running=5000.0, boot_id="first"):
        self.at, self.ran = wall, running
        super().__init__(lambda: self.at, lambda: self.ran, boot_id)

    def go(self, seconds, jump=0.0):
        """Let time pass, and somebody set the wall's clock."""
        self.ran += seconds
        self.at += seconds + jump


@pytest.fixture
def machine(kitchen, monkeypatch):
    """The kitchen stands on a machine of its own, at real pace; it is no simulated one."""
    it = Machine(kitchen.now().timestamp())
    users = [tenancy_models, line_clock, *(importlib.import_module(f"ember_web.line.actions.{a}") for a in ACTIONS)]
    for module in [*users, kitchen_page]:
        monkeypatch.setattr(module, "machine", it)
    kitchen.simulated = False
    kitchen.save()
    kitchen.anchor(it.now())
    kitchen.save()
    return it


def test_a_jump_that_comes_back_leaves_no_trace(kitchen, machine):
    """Three hours ahead for a second, back for ten: never seen, followed or kept; with and without a look meanwhile."""
    begun = kitchen_time(kitchen)
    for jump, seconds in ((10_800, 1), (-10_800, 40), (-3600, 10), (3600, 60), (-0.5, 5)):
        machine.go(seconds, jump)
        kitchen_time(kitchen)
    assert (kitchen_time(kitchen) - begun).total_seconds() == pytest.approx(116, abs=3)
    assert not ClockChange.objects.exists()


def test_a_clock_that_was_set_is_followed_when_nothing_cooks(kitchen, machine):
    """Not at once, and said; both ways."""
    for jump in (10_800, -7200):
        machine.go(1, jump)
        before = kitchen_time(kitchen)
        assert clock_state(kitchen).wrong
        machine.go(31)
        assert (kitchen_time(kitchen) - before).total_seconds() == pytest.approx(31 + jump, abs=0.1)
        assert not clock_state(kitchen).wrong
        change = ClockChange.objects.first()
        assert (change.why, change.by_s) == ("follow", pytest.approx(jump, abs=0.1))
    assert Trail.objects.filter(action="follow_machine_clock").count() == 2


def test_any_page_has_the_clock_follow(kitchen, machine, as_):
    """Not only Line: whoever plans goes by a clock that is right."""
    client = as_("viewer")
    machine.go(1, 7200)
    client.get("/k/hut/plan/")
    machine.go(40)
    client.get("/k/hut/plan/")
    kitchen.refresh_from_db()
    assert abs((kitchen.now() - machine.now()).total_seconds()) < 1


def test_what_cooks_is_held_and_the_clock_goes_back_when_it_is_done(kitchen, machine, cook, as_):
    """Its minutes are those that went by; the page says what is wrong and which piece holds the clock; then it follows."""
    client = as_("chef")
    started = state_of(Cook.objects.get()).started
    machine.go(60, 10_800)
    machine.go(60)
    assert send(client, event(kitchen, cook))[0]["status"] == "taken"
    assert state_of(Cook.objects.get()).moves[1].done - started < 200
    page = client.get("/k/hut/kitchen/").content.decode()
    assert "behind the machine" in page
    assert cook.title in page
    send(client, event(kitchen, cook, kind="finish"))
    machine.go(60)
    kitchen.refresh_from_db()
    assert abs((kitchen_time(kitchen) - machine.now()).total_seconds()) < 1
    assert "agrees with the machine" in client.get("/k/hut/kitchen/").content.decode()


def test_an_event_far_ahead_does_not_carry_the_clock_with_it(kitchen, machine, cook):
    """One bad row stays a bad row: the kitchen's clock is not moved to it."""
    Event.objects.create(
        kitchen=kitchen, cook=cook, kind="note", payload={"text": "x"}, occurred_at=kitchen.now() + timedelta(hours=3)
    )
    live.line_text(kitchen)
    assert abs((kitchen_time(kitchen) - machine.now()).total_seconds()) < 1


def test_a_restart_set_back_goes_on_from_the_last_event_and_is_put_right_later(
    kitchen, machine, cook, as_, monkeypatch
):
    """Started with its clock an hour back: marks get times after the last event, the record says why, and it does not stay."""
    client = as_("cook")
    send(client, event(kitchen, cook))
    last = state_of(Cook.objects.get()).moves[1].done
    machine.boot_id = "second"
    machine.go(0, -3600)
    kitchen.refresh_from_db()
    assert kitchen.now().timestamp() < last - 3000
    board = live.line_text(kitchen)  # the tablet asks, and goes by what it hears
    answer = send(client, event(kitchen, cook, move="m2", occurred_at=json.loads(board)["now"]))[0]
    assert answer["status"] == "taken"
    state = state_of(Cook.objects.get())
    assert last <= state.moves[2].done < last + 60
    assert any("set back by 60 min" in note and "cooling" in note for note in state.notes)
    kitchen_time(Kitchen.objects.get())
    assert Event.objects.filter(kind="note").count() == 1  # said once
    send(client, event(kitchen, cook, kind="finish"))
    machine.go(40)
    kitchen.refresh_from_db()
    assert abs((kitchen_time(kitchen) - machine.now()).total_seconds()) < 1
    page = client.get(f"/k/hut/log/{Record.objects.get().public_id}/").content.decode()
    assert "clock was changed by" in page


@pytest.mark.parametrize(
    ("role", "sent", "status", "says"),
    [
        ("cook", {"machine": "1"}, 403, ""),
        ("chef", {"time": "half past seven"}, 422, "Write a date and a time"),
        ("chef", {"time": ""}, 422, "Write a date and a time"),
        ("chef", {"time": "1970-01-01 00:00"}, 422, "two days"),
        ("chef", {"machine": "1"}, 302, ""),
    ],
)
def test_who_may_set_it_and_to_what(kitchen, machine, as_, role, sent, status, says):
    """A chef, to a time that can be; what was typed is kept."""
    reply = as_(role).post("/k/hut/line/clock/", sent)
    assert reply.status_code == status
    assert says in reply.content.decode()
    assert (f'value="{sent.get("time", "")}"' in reply.content.decode()) == (status == 422)


def test_set_by_hand_it_stays_until_it_is_set_to_the_machines(kitchen, machine, cook, as_):
    """Ahead also while something cooks, which gets a note; back not before what has happened; each with its entry."""
    client = as_("chef")
    ahead = kitchen.local(kitchen.now() + timedelta(minutes=30)).strftime("%Y-%m-%d %H:%M:%S")
    assert client.post("/k/hut/line/clock/", {"time": ahead}).status_code == 302
    machine.go(60)
    kitchen.refresh_from_db()
    assert kitchen_time(kitchen).timestamp() == pytest.approx(machine.now().timestamp() + 1800, abs=2)
    assert any("set by 30 min ahead" in n for n in state_of(Cook.objects.get()).notes)
    send(client, event(kitchen, cook))
    reply = client.post("/k/hut/line/clock/", {"machine": "1"})
    assert reply.status_code == 422
    assert cook.title in reply.content.decode()
    send(client, event(kitchen, cook, kind="finish"))
    machine.go(60)
    assert "set by hand" in client.get("/k/hut/kitchen/").content.decode()
    assert client.post("/k/hut/line/clock/", {"machine": "1"}).status_code == 302
    kitchen.refresh_from_db()
    assert abs((kitchen.now() - machine.now()).total_seconds()) < 1
    assert [c.why for c in ClockChange.objects.order_by("id")] == ["hand", "hand"]
    assert Trail.objects.filter(action="set_kitchen_time", actor__username="chef").count() == 2
