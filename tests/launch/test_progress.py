"""What a start says of itself: steps, share, time to go, the line, and the page that waits at the address."""

from __future__ import annotations

import io
import json
import time
import urllib.error
import urllib.request

import pytest

from ember_launch import progress as told
from ember_launch.cluster import free_port
from ember_launch.progress import Progress, Step
from ember_launch.waiting import STATE, waiting_page


@pytest.fixture
def clock(monkeypatch):
    """A clock that is set by hand, s."""

    class Clock:
        now = 1000.0

    monkeypatch.setattr(told.time, "monotonic", lambda: Clock.now)
    return Clock


def three():
    """Three steps of 60, 30 and 10 s."""
    return Progress(
        [Step("a", "Fetching", 60.0), Step("b", "Compiling", 30.0), Step("c", "Starting", 10.0)], out=io.StringIO()
    )


def test_share_and_time_to_go(clock):
    """By the time gone where a step says nothing, by what it says where it does, and by its own pace."""
    p = three()
    assert p.state() == {"step": "Fetching", "number": 1, "of": 3, "share": 0.0, "to_go_s": 100}
    with p.step("a"):
        clock.now += 30
        assert p.state() == {"step": "Fetching", "number": 1, "of": 3, "share": 0.3, "to_go_s": 70}
        clock.now += 600  # it takes far longer than usual: it comes no nearer to its end
        late = p.state()
        assert 0.55 < late["share"] < 0.6
        assert 40 < late["to_go_s"] < 46
    with p.step("b") as step:
        clock.now += 30
        step.share = 0.5
        assert p.state() == {"step": "Compiling", "number": 2, "of": 3, "share": 0.75, "to_go_s": 40}
        assert p.line() == "[2/3] Compiling · 75 % done · about 40 s to go"
        step.share = 5.0
        assert p.state()["share"] < 0.9
    with p.step("c"):
        pass
    assert p.state() == {"step": "Starting", "number": 3, "of": 3, "share": 1.0, "to_go_s": 0}


def test_two_steps_at_once_and_one_that_was_not_foreseen(clock):
    """Both are named; a new one is added at the end; one that is not part of this start is dropped."""
    p = three()
    p.drop("c")
    with p.step("a"), p.step("b"):
        assert p.state()["step"] == "Fetching · Compiling"
    with p.step("moved"):
        assert p.state()["step"] == "moved"
    assert [s.name for s in p.steps] == ["a", "b", "moved"]


def test_the_line_is_shown_while_something_runs():
    """Once where it cannot be written over; nothing when there is nothing to do."""
    p = three()
    with p.shown(), p.step("a"):
        time.sleep(1.2)
    assert p.out.getvalue().startswith("[1/3] Fetching")
    assert p.out.getvalue().count("\n") == 1
    empty = Progress([], out=io.StringIO())
    with empty.shown():
        time.sleep(0.6)
    assert empty.out.getvalue() == ""


def test_the_page_that_waits():
    """Every address answers 503 with it, the state is JSON; afterwards nobody is there, and a taken port is no fault."""
    p, port = three(), free_port()
    address = f"http://127.0.0.1:{port}"
    with waiting_page(port, p), p.step("a"):
        with pytest.raises(urllib.error.HTTPError) as caught:
            urllib.request.urlopen(address + "/sign-in/", timeout=2)
        assert caught.value.code == 503
        assert b"Open Ember is getting ready" in caught.value.read()
        with urllib.request.urlopen(address + STATE, timeout=2) as reply:
            assert json.load(reply)["step"] == "Fetching"
        with waiting_page(port, p):  # somebody else has the port
            pass
    with pytest.raises(urllib.error.URLError):
        urllib.request.urlopen(address + "/", timeout=2)
