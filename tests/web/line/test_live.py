"""One state for all screens, learning beside the requests, a clock that does not run back, streams that hold no connection."""

from __future__ import annotations

import asyncio
import uuid
from concurrent.futures import Future
from datetime import timedelta

import numpy as np
import pytest
from django.db import DatabaseError

from ember_web.jobs.newest import NewestQueue
from ember_web.kitchens import health
from ember_web.line import computing, freshness, learning, live, publisher
from ember_web.line.adapters import state_of
from ember_web.line.bus import Bus
from ember_web.line.models import Cook, Probe, Reading
from ember_web.line.publisher import MOST_OF_ONE, Crowded, Ear, Streams
from ember_web.tenancy.access import still_admitted
from ember_web.tenancy.models import Kitchen, Membership, User
from ember_web.tenancy.voice import ENGLISH
from tests.web.acting import save_plan, start_cook
from tests.web.line.test_line import event, reading, readings, send

pytestmark = pytest.mark.django_db
STATE = "/k/hut/line/state/"


@pytest.fixture
def moments(monkeypatch):
    """A board whose sense of age is set by hand."""
    now = [100.0]
    monkeypatch.setattr(live, "OLDEST_S", 1.0)
    board = live.Board(clock=lambda: now[0])
    monkeypatch.setattr(live, "board_of", lambda _kitchen: board)
    return now


def test_a_state_is_built_once_for_all(
    kitchen, cook, as_, client, moments, django_assert_max_num_queries, django_capture_on_commit_callbacks
):
    """A second screen costs nothing but its own sign-in; a reading is shown within a second, an event at once."""
    screens = [as_("viewer"), as_("cook")]
    first = screens[0].get(STATE).json()
    Cook.objects.update(title="changed behind its back")
    with django_assert_max_num_queries(3):  # session, person, membership with its kitchen
        assert screens[1].get(STATE).json()["cooks"] == first["cooks"]
    with django_capture_on_commit_callbacks(execute=True):
        readings(client, reading(kitchen, 1, 21.0, ago=-1))
    assert screens[0].get(STATE).json()["cooks"] == first["cooks"]
    moments[0] += 0.3
    assert screens[0].get(STATE).json()["cooks"][0]["lastReading"][1] == 21.0
    with django_capture_on_commit_callbacks(execute=True):
        send(screens[1], event(kitchen, cook))
    assert screens[0].get(STATE).json()["cooks"][0]["next"] == 2


def test_readings_are_fetched_once_by_one_query(kitchen, plan, cook, as_, client, moments, django_assert_num_queries):
    """Ten pieces or one: the same number of queries; late readings find their place; a probe that moves on begins anew."""
    user = cook.events.get().actor
    for i in range(9):
        start_cook(kitchen, user, plan, station="Grill", probe=Probe.objects.create(kitchen=kitchen, name=f"q{i}"))
    screen = as_("viewer")
    screen.get(STATE)
    for sequence, ago in ((1, 30.0), (3, 5.0), (2, 20.0)):
        readings(
            client,
            reading(kitchen, sequence, 20.0 + sequence, ago=ago - 40),
            reading(kitchen, 10 + sequence, 50.0, ago=1e4),
        )
    moments[0] += 2
    with django_assert_num_queries(6):  # person, membership, last event; cooks, their events, new readings
        state = screen.get(STATE).json()
    mine = next(c for c in state["cooks"] if c["id"] == cook.public_id)
    assert [c for _, c in mine["readings"]] == [21.0, 22.0, 23.0]
    assert Reading.objects.count() == 6


def test_learning_is_asked_once_a_reading_and_shared_by_alike(kitchen, cook, monkeypatch):
    """Two cooks that differ in title, notes and own keys are one question; the same readings are not worked out twice."""
    answered = []
    monkeypatch.setattr(learning, "learn", lambda asked: answered.append(asked) or {"likely": len(answered)})
    queue, told = learning.LearningQueue(), []
    other = cook.document | {"title": "another", "x-note": "n", "target": {"core_c": 50}}
    colder = cook.document | {"piece": cook.document["piece"] | {"start_c": 1.0}}
    keys = [learning.thermal_key(d) for d in (cook.document, other, colder)]
    assert keys[0] == keys[1] != keys[2]
    asked = [computing.Question(k, 0.0, 0.0, np.arange(8.0), np.arange(8.0) + i) for i, k in enumerate(keys)]
    for _ in range(3):
        for i, question in enumerate(asked):
            queue.ask(i, question, lambda: told.append(1))
        queue.settle()
    assert (len(answered), len(told)) == (3, 3)
    assert [queue.ask(i, q, lambda: None) for i, q in enumerate(asked)] == [{"likely": i + 1} for i in range(3)]
    later = computing.Question(keys[0], 5.0, 0.0, np.arange(8.0), np.arange(8.0))
    assert queue.ask(0, later, lambda: None) is None  # a later turn
    queue.settle()
    queue.forget({0})
    assert queue.ask(1, None, lambda: None) is None


def test_a_plan_that_cannot_be_learned_harms_no_other(monkeypatch):
    """An error in one question is logged, and the next one answered."""
    queue = learning.LearningQueue()
    monkeypatch.setattr(learning, "learn", lambda asked: 1 / 0 if asked.thermal == "bad" else {"likely": 1})
    for i, name in enumerate(("bad", "good")):
        queue.ask(i, computing.Question(name, 0.0, 0.0, np.arange(8.0), np.arange(8.0)), lambda: None)
    queue.settle()
    good = computing.Question("good", 0.0, 0.0, np.arange(8.0), np.arange(8.0))
    assert queue.ask(1, good, lambda: None) == {"likely": 1}


def test_the_prepared_plan_is_the_cooks(cook):
    """What is left out of the key changes no temperature: the ensemble of the whole document has the same pulls."""
    bare = computing.prepare(learning.thermal_key(cook.document))
    again = computing.prepare.__wrapped__(learning.thermal_key(cook.document | {"title": "x", "x-a": [1]}))
    assert bare is not again
    assert (bare.pull_s == again.pull_s).all()
    assert bare.pull_s.size > 90


def test_nothing_in_a_cook_lies_before_its_start(kitchen, cook, as_):
    """ "Did it 2 min ago", pressed a moment after the start, is the start."""
    mark = event(kitchen, cook, occurred_at=(kitchen.now().timestamp() - 120) * 1000)
    assert send(as_("cook"), mark)[0]["status"] == "taken"
    state = state_of(Cook.objects.get())
    assert state.moves[1].done == state.started


def test_readings_ahead_of_the_clock_are_wanted_later(kitchen, cook, client):
    """They are not refused for good: the hub keeps them, and they are taken when the clock is there."""
    ahead = reading(kitchen, 5, ago=-600)
    answer = readings(client, ahead).json()["answers"][0]
    assert answer["status"] == "later"
    assert not Reading.objects.exists()
    Kitchen.objects.update(clock_kitchen=kitchen.clock_kitchen + timedelta(minutes=11))
    assert readings(client, ahead).json()["answers"][0]["status"] == "taken"


def ear(kitchen="hut", person=1, session="s"):
    """One open board."""
    return Ear(kitchen, person, session, ENGLISH)


def test_boards_are_told_in_bounded_numbers():
    """One person has eight boards at most, another still has his own; a place given back can be taken, twice does no harm."""

    async def go():
        bus = Bus()
        bus.task = asyncio.get_running_loop().create_future()  # no listener here
        streams = Streams(bus)
        streams.renew = lambda _slug: False
        ears = [ear() for _ in range(MOST_OF_ONE)]
        for one in ears:
            streams.open(one)
        with pytest.raises(Crowded):
            streams.open(ear())
        streams.open(ear("barn", 2))
        await asyncio.sleep(0.05)
        assert {k: len(q) for k, q in bus.queues.items()} == {"hut": 1, "barn": 1}  # one for all boards of a kitchen
        before = freshness.marks("hut")
        bus.hear("hut now 0")
        bus.hear("hut soon 0")
        assert freshness.marks("hut") == (before[0] + 1, before[1] + 1)
        for _ in range(2):
            streams.close(ears[0])
        streams.open(ear())
        with pytest.raises(Crowded):
            streams.open(ear())
        for one in ears[1:]:
            streams.close(one)
        assert streams.people.total() == 2

    asyncio.run(go())


def test_a_mark_is_told_at_once_and_readings_in_their_gaps():
    """Many words are one; a mark waits for nothing."""

    async def go():
        loop, queue = asyncio.get_running_loop(), asyncio.Queue()
        told = loop.time()
        for word in ("soon", "soon", "now", "soon"):
            queue.put_nowait(word)
        assert await publisher.next_word(queue, told) == "now"
        assert queue.empty()
        queue.put_nowait("soon")
        assert await publisher.next_word(queue, told := loop.time()) == "soon"
        assert loop.time() - told >= publisher.GAP_S - 0.01

    asyncio.run(go())


@pytest.mark.django_db
def test_a_clock_that_a_page_saw_first_is_told_to_the_boards(kitchen, monkeypatch):
    """Set ahead by an hour: a page was loaded since, and the boards that go by the old clock still hear of it."""
    monkeypatch.setattr(publisher, "close_old_connections", lambda: None)
    streams = Streams()
    streams.renew("hut")
    assert not streams.renew("hut")
    kitchen.anchor(kitchen.now() + timedelta(hours=1), rate=60.0)
    kitchen.save()
    live.board_of(kitchen).renew(kitchen)
    assert streams.renew("hut")
    assert streams.kitchens["hut"].clock_rate == 60.0
    assert not streams.renew("hut")


def test_who_signed_out_or_left_is_told_no_more(kitchen, as_):
    """By their session and their membership, in every process; a new password ends the others."""
    browsers = {role: as_(role) for role in ("chef", "cook", "viewer")}
    people = {role: User.objects.get(username=role) for role in browsers}
    asked = {(people[r].pk, b.session.session_key) for r, b in browsers.items()}
    assert still_admitted("hut", asked) == asked
    assert still_admitted("barn", asked) == set()
    assert still_admitted("hut", {(people["chef"].pk, browsers["cook"].session.session_key)}) == set()
    Membership.objects.get(user=people["viewer"]).delete()
    people["cook"].set_password("another one altogether")
    people["cook"].save()
    assert still_admitted("hut", asked) == {(people["chef"].pk, browsers["chef"].session.session_key)}
    browsers["chef"].post("/sign-out/")
    assert still_admitted("hut", asked) == set()


def test_scripts_are_told_that_they_are_signed_out(kitchen, cook, as_):
    """401 with a reason instead of a page, so that a board keeps its queue and says so."""
    for reply in (as_(None).get(STATE), as_(None).post("/k/hut/line/events/", "{}", content_type="application/json")):
        assert reply.status_code == 401
        assert reply.json()["error"]["code"] == "signed-out"
    assert as_(None).get("/k/hut/line/").status_code == 302


def test_the_sign_in_throttle_counts_the_connection(kitchen, client, settings):
    """Another made-up X-Forwarded-For each time does not buy more guesses."""
    settings.AXES_ENABLED = True
    statuses = [
        client.post(
            "/sign-in/",
            {"username": "chef", "password": "guess"},
            headers={"X-Forwarded-For": f"10.0.0.{i}", "Forwarded": f"for=10.1.0.{i}", "X-Real-IP": f"10.2.0.{i}"},
        ).status_code
        for i in range(settings.AXES_FAILURE_LIMIT + 2)
    ]
    assert statuses[: settings.AXES_FAILURE_LIMIT - 1] == [200] * (settings.AXES_FAILURE_LIMIT - 1)
    assert statuses[-1] == 429


def test_health_has_two_levels(kitchen, client, monkeypatch, tmp_path):
    """Alive is not able: on a full disk, or when the database does not store, 503 with the reason and the remedy."""
    monkeypatch.setenv("EMBER_DATA", str(tmp_path))
    monkeypatch.setattr(health, "free_bytes", lambda _folder: 5e9)
    assert client.get("/readyz").json() == {"able": True, "faults": []}
    monkeypatch.setattr(health, "free_bytes", lambda _folder: 3e6)
    reply = client.get("/readyz")
    assert (reply.status_code, reply.json()["faults"][0]["code"]) == (503, "disk")
    assert "make room" in reply.json()["faults"][0]["message"]
    monkeypatch.setattr(health, "free_bytes", lambda _folder: 5e9)

    def fail(**_):
        raise DatabaseError

    monkeypatch.setattr(health.Pulse.objects, "update_or_create", fail)
    assert client.get("/readyz").json()["faults"][0]["code"] == "database"
    assert client.get("/healthz").status_code == 200
    monkeypatch.undo()
    monkeypatch.setenv("EMBER_DATA", str(tmp_path / "gone"))
    assert client.get("/readyz").json()["faults"][0]["code"] == "state"


def test_alive_asks_nothing_of_the_database(client, django_assert_num_queries):
    """So a full or dead database does not get the server killed."""
    with django_assert_num_queries(0):
        assert client.get("/healthz").status_code == 200


def test_two_plans_alike_but_for_words_are_one_question(kitchen, cook):
    """The key keeps what matters: size, heat, altitude, spreads and the rule waited for."""
    base = cook.document
    for change in (
        {"kitchen": {"altitude_m": 3.0}}, {"forecast": {"spreads": {"size_mm": 2}}}, {"rules": "uk-fsa"},
        {"piece": base["piece"] | {"shape": {"kind": "slab", "thickness_mm": 31}}},
    ):  # fmt: skip
        assert learning.thermal_key(base | change) != learning.thermal_key(base)
    assert save_plan(kitchen, cook.events.get().actor, base | {"title": str(uuid.uuid4())}).pk


def test_a_worker_outlives_what_nobody_foresaw(caplog):
    """The cook is answered with nothing, the others go on, it is tried again, later each time; a good answer forgets it."""

    class Broken(NewestQueue):
        broken = True

        def hand_over(self, asked):
            answer = Future()
            if asked == "bad" and self.broken:
                answer.set_exception(TypeError("nobody foresaw this"))
            else:
                answer.set_result({"of": asked})
            return answer

    now, told = [0.0], []
    queue = Broken("test", clock=lambda: now[0])

    def ask(cook, key, asked):
        slot = queue.ask_of(cook, key, lambda: asked, lambda: told.append(cook))
        queue.settle()
        return slot.result

    assert ask(1, 1, "bad") is None
    assert ask(2, 1, "good") == {"of": "good"}
    assert "could not be computed" in caplog.text
    for key, waited in ((2, 5.0), (3, 10.0), (4, 20.0)):
        before = len(told)
        ask(1, key, "bad")
        assert len(told) == before  # not before its time
        now[0] += waited
        ask(1, key, "bad")
        assert len(told) == before + 1
    queue.broken, now[0] = False, now[0] + 400.0
    assert ask(1, 5, "bad") == {"of": "bad"}
    assert ask(1, 6, "bad") == {"of": "bad"}
