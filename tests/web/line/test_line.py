"""Events, readings, the record: once, in any order, refused with words."""

from __future__ import annotations

import csv
import io
import json
import uuid
from datetime import timedelta

import numpy as np
import pytest

from ember_core.entry.sentence import Sentence
from ember_core.formats import log as log_format
from ember_core.safety.measured import judge_log
from ember_sim.piece import Piece, stage_at
from ember_web.line import live
from ember_web.line.adapters import state_of
from ember_web.line.learning import pull_queue
from ember_web.line.models import Cook, Event, Probe, Reading
from ember_web.logbook.models import Record
from ember_web.tenancy.models import Kitchen, User
from tests.web.acting import save_plan, start_cook
from tests.web.conftest import TOKEN

pytestmark = pytest.mark.django_db


def event(kitchen, cook, kind="move", **more):
    """An event as the board sends it."""
    base = {
        "id": str(uuid.uuid4()),
        "cook": cook.public_id,
        "kind": kind,
        "occurred_at": kitchen.now().timestamp() * 1000,
        "device": "t",
    }
    return base | ({"move": "m1"} if kind == "move" else {}) | more


def send(client, *events):
    """Post events; returns the answers."""
    reply = client.post("/k/hut/line/events/", json.dumps({"events": events}), content_type="application/json")
    assert reply.status_code == 200, reply.content
    return reply.json()["answers"]


def test_an_event_arrives_once(kitchen, cook, as_):
    """Sent three times, also within one batch, it is one event."""
    mark = event(kitchen, cook)
    client = as_("cook")
    assert [a["status"] for a in send(client, mark, mark)] == ["taken", "known"]
    assert send(client, mark)[0]["status"] == "known"
    assert Event.objects.filter(kind="move").count() == 1


def test_did_it_a_while_ago_extend_and_undo(kitchen, cook, as_):
    """The real time is kept; what follows shifts; undo restores."""
    client = as_("cook")
    started = state_of(cook).started
    planned = [m.due for m in state_of(cook).moves]
    mark = event(kitchen, cook, occurred_at=(started + 90) * 1000)
    Kitchen.objects.filter(pk=kitchen.pk).update(clock_kitchen=kitchen.clock_kitchen + timedelta(minutes=10))
    send(client, mark, event(kitchen, cook, "extend", seconds=60, occurred_at=(started + 95) * 1000))
    state = state_of(Cook.objects.get())
    assert state.moves[1].done == pytest.approx(started + 90)
    gap = cook.moves[2]["offset_s"] - cook.moves[1]["offset_s"]
    assert state.moves[2].due == pytest.approx(started + 90 + gap + 60)
    send(client, event(kitchen, cook, "undo", supersedes=mark["id"]))
    state = state_of(Cook.objects.get())
    assert state.next == 1
    assert state.moves[1].due == pytest.approx(planned[1] + 60)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"kind": "explode"}, "kind"), ({"id": "seven"}, "UUID"), ({"move": "m99"}, "No such move"), ({"occurred_at": "noon"}, "occurred_at"),
        ({"occurred_at": 0}, "two days"), ({"cook": "other"}, "No such cook"), ({"kind": "extend", "seconds": 1e9}, "seconds"),
        ({"kind": "undo"}, "supersedes"), ({"kind": "undo", "supersedes": str(uuid.uuid4())}, "not one of this cook"), ({"kind": "start"}, "kind"),
    ],
)  # fmt: skip
def test_event_refusals(kitchen, cook, as_, change, says):
    """Refused one by one, with the reason; the batch goes on."""
    answers = send(as_("cook"), event(kitchen, cook) | change, event(kitchen, cook))
    assert answers[0]["status"] == "refused"
    assert says in answers[0]["message"]
    assert answers[1]["status"] == "taken"


@pytest.mark.parametrize("body", ["", "[]", "{}", '{"events": 3}', '{"events": [3]}', "\x00"])
def test_event_bodies_that_are_not(kitchen, cook, as_, body):
    """Never a crash."""
    reply = as_("cook").post("/k/hut/line/events/", body, content_type="application/json")
    assert reply.status_code in {200, 400}
    if reply.status_code == 200:
        assert reply.json()["answers"][0]["status"] == "refused"


def test_a_future_mark_is_taken_at_the_servers_time(kitchen, cook, as_):
    """A tablet whose clock runs ahead does not put a move into the future."""
    send(as_("cook"), event(kitchen, cook, occurred_at=(kitchen.now().timestamp() + 3600) * 1000))
    assert state_of(Cook.objects.get()).moves[1].done <= kitchen.now().timestamp()


def test_a_probe_is_in_one_piece_only(kitchen, plan, cook, as_):
    """The second start with the same probe is refused with words."""
    reply = as_("cook").post("/k/hut/line/start/", {"plan": plan.public_id, "probe": "p1", "all": "1"}, follow=True)
    assert "already in another piece" in reply.content.decode()
    assert Cook.objects.count() == 1


def test_start_twice_with_one_id_is_one_cook(kitchen, plan, as_):
    """A double tap starts one piece."""
    body = {"plan": plan.public_id, "all": "1", "event": str(uuid.uuid4())}
    for _ in range(2):
        assert as_("cook").post("/k/hut/line/start/", body).status_code == 302
    assert Cook.objects.count() == 1


def readings(client, *rows, token=TOKEN):
    """Post readings to the API."""
    return client.post(
        "/api/v1/readings",
        json.dumps({"readings": rows}),
        content_type="application/json",
        headers={"Authorization": f"Bearer {token}"},
    )


def reading(kitchen, sequence=0, core_c=20.0, ago=10.0, **more):
    """A reading as the hub sends it."""
    return {
        "probe": "p1",
        "boot": "b",
        "sequence": sequence,
        "at": (kitchen.now() - timedelta(seconds=ago)).isoformat(),
        "core_c": core_c,
    } | more


def test_readings_are_stored_once_in_any_order(kitchen, cook, client):
    """Late, doubled and out of order: absorbed."""
    rows = [reading(kitchen, s, 20 + s, ago=60 - s) for s in (3, 1, 2, 1)]
    answers = readings(client, *rows).json()["answers"]
    assert [a["status"] for a in answers] == ["taken", "taken", "taken", "known"]
    assert {a["status"] for a in readings(client, *rows).json()["answers"]} == {"known"}
    assert list(Reading.objects.values_list("sequence", flat=True)) == [1, 2, 3]


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"probe": "nobody"}, "no probe"), ({"core_c": 900}, "outside"), ({"core_c": -400}, "outside"), ({"at": "2020-01-01T00:00:00Z"}, "7 days"),
        ({"at": "2026-11-23T10:00:00"}, "offset"), ({"boot": "a\x00"}, "null"),
    ],
)  # fmt: skip
def test_reading_refusals(kitchen, cook, client, change, says):
    """Refused with the reason; a good one beside it is taken."""
    answers = readings(client, reading(kitchen) | change, reading(kitchen, 7)).json()["answers"]
    assert (answers[0]["status"], answers[1]["status"]) == ("refused", "taken")
    assert says in answers[0]["message"]


@pytest.mark.parametrize(
    "body",
    [
        "",
        "[]",
        '{"readings": 3}',
        '{"readings": [{"probe": 1}]}',
        '{"readings": [{"probe":"p1","boot":"","sequence":-1,"at":"x","core_c":"hot"}]}',
    ],
)
def test_bodies_the_api_cannot_read(kitchen, client, body):
    """4xx with an error object."""
    reply = client.post(
        "/api/v1/readings", body, content_type="application/json", headers={"Authorization": f"Bearer {TOKEN}"}
    )
    assert 400 <= reply.status_code < 500


@pytest.mark.parametrize("token", ["", "wrong", TOKEN + "x"])
def test_wrong_tokens(kitchen, client, token):
    """401, and nothing stored."""
    assert readings(client, reading(kitchen), token=token).status_code == 401
    assert not Reading.objects.exists()


def test_a_token_opens_its_own_kitchen_only(kitchen, stranger, client):
    """The barn's hub has no probe of the hut."""
    answer = readings(client, reading(kitchen), token="barn-token").json()["answers"][0]
    assert answer["status"] == "refused"


@pytest.mark.parametrize(("faster", "sooner"), [(1.25, True), (0.8, False)])
def test_the_probe_moves_the_likely_pull(kitchen, cook, as_, client, faster, sooner):
    """Nothing before the turn is done; then readings ahead of the plan bring the likely pull forward, and the other way."""
    start = state_of(cook).started
    Kitchen.objects.filter(pk=kitchen.pk).update(clock_kitchen=kitchen.clock_kitchen + timedelta(minutes=6))
    kitchen.refresh_from_db()
    rows = [
        reading(kitchen, s, float(np.interp(5 * s * faster, *np.array(cook.trace).T)))
        | {"at": (cook.created_at + timedelta(seconds=5 * s)).isoformat()}
        for s in range(1, 60)
    ]
    readings(client, *rows)
    board = as_("viewer")
    assert board.get("/k/hut/line/state/").json()["cooks"][0]["learned"] is None
    turned = cook.moves[1]["offset_s"]
    send(as_("cook"), event(kitchen, cook, move="m1", occurred_at=(start + turned) * 1000))
    assert board.get("/k/hut/line/state/").json()["cooks"][0]["learned"] is None  # asked for, and not waited for
    pull_queue.settle()
    live.board_of(kitchen).built = -1e9
    state = board.get("/k/hut/line/state/").json()["cooks"][0]
    pull = next(m for m in state["moves"] if m["verb"] == "Pull")
    by = state["learned"]
    assert by["from"] < by["likely"] < by["to"]
    assert by["used"] > 50
    planned = 1000 * (start + next(m["offset_s"] for m in cook.moves if m["kind"] == "pull"))
    assert (by["likely"] < planned) is sooner
    assert pull["due"] == by["likely"]  # one time on the board


def test_finish_writes_a_record_that_the_command_line_can_judge(kitchen, cook, as_, client):
    """Readings, moves with real times, verdict, CSV that the log format takes, JSON, note."""
    start = state_of(cook).started
    Kitchen.objects.filter(pk=kitchen.pk).update(clock_kitchen=kitchen.clock_kitchen + timedelta(minutes=16))
    kitchen.refresh_from_db()
    rows = [
        reading(kitchen, s, 4 + s * 0.35) | {"at": (cook.created_at + timedelta(seconds=5 * s)).isoformat()}
        for s in range(1, 190)
    ]
    assert {a["status"] for a in readings(client, *rows).json()["answers"]} == {"taken"}
    marks = [
        event(kitchen, cook, move=m, occurred_at=(start + t) * 1000) for m, t in (("m1", 118), ("m2", 380), ("m3", 860))
    ]
    send(as_("cook"), *marks, event(kitchen, cook, "note", text="pan was late"), event(kitchen, cook, "finish"))
    record = Record.objects.get()
    assert record.peak_core_c == pytest.approx(4 + 189 * 0.35)
    assert record.state == "met"
    assert record.note == "pan was late"
    page = as_("viewer").get(f"/k/hut/log/{record.public_id}/").content.decode()
    assert "189 readings" in page
    assert "1 × bavette, 28 mm, from 4 °C, to 55 °C, by hot pan, basted" in page
    text = as_("viewer").get(f"/k/hut/log/{record.public_id}/csv/").content.decode()
    log = log_format.loads(text)
    assert len(log.t_s) == 189
    assert [r["note"] for r in csv.DictReader(io.StringIO(text)) if r["note"]] == [
        "Lay in",
        "Turn and baste",
        "Pull",
        "Serve",
    ]
    judged = judge_log(log, rules="us-food-code-2022", food="beef-lean", form="steak")
    assert judged["rule"]["met"] is True
    assert as_("viewer").get(f"/k/hut/log/{record.public_id}/json/").json()["verdict"]["state"] == "met"
    assert as_("cook").post(f"/k/hut/log/{record.public_id}/", {"note": "x" * 2001}).status_code == 422
    as_("cook").post(f"/k/hut/log/{record.public_id}/", {"note": "good"})
    record.refresh_from_db()
    assert record.note == "good"
    assert send(as_("cook"), event(kitchen, cook))[0]["status"] == "refused"
    assert not Cook.objects.filter(finished=False).exists()


@pytest.mark.parametrize(("thick", "state"), [(20.0, "met"), (60.0, "open")])
def test_a_record_of_pieces_of_several_sizes_is_met_only_with_a_plan_that_is_met_of_all(
    kitchen, as_, client, thick, state
):
    """The probe was in one of them; of the thick one the plan says that it was short."""
    probe, chef = Probe.objects.get(kitchen=kitchen, name="p1"), User.objects.get(username="chef")
    known = {"way": "bath", "target_c": 64.0, "minutes": 60.0, "size_mm": 18.0, "sizes_mm": (18.0, thick), "count": 2}
    plan = save_plan(kitchen, chef, Sentence.for_cut("pork-chop", altitude_m=1850.0, **known).document())
    cook = start_cook(kitchen, chef, plan, probe=probe)
    assert cook.result["rule"]["met"] is (state == "met")
    Kitchen.objects.filter(pk=kitchen.pk).update(clock_kitchen=kitchen.clock_kitchen + timedelta(minutes=66))
    kitchen.refresh_from_db()
    rows = [
        reading(kitchen, s, min(4 + s * 0.5, 63.4 + 0.002 * s))
        | {"at": (cook.created_at + timedelta(seconds=10 * s)).isoformat()}
        for s in range(1, 360)
    ]
    assert {a["status"] for a in readings(client, *rows).json()["answers"]} == {"taken"}
    send(as_("cook"), event(kitchen, cook, "finish"))
    record = Record.objects.get()
    assert record.state == state, record.document["verdict"]
    assert "one-size-measured" in {f["code"] for f in record.document["judged"]["findings"]}


@pytest.mark.parametrize(
    ("marks", "states"),
    [((), {"none"}), ((202, 488), {"none"}), ((202, 488, 968), {"advisory", "met"}), ((20, 60, 100), {"advisory"})],
)
def test_a_cook_without_readings_is_judged_as_computed_and_says_so(kitchen, cook, as_, marks, states):
    """Nothing was measured: the record says what its moves come to by computation, and never that it was measured."""
    Cook.objects.update(probe=None)
    start = state_of(cook).started
    Kitchen.objects.filter(pk=kitchen.pk).update(clock_kitchen=kitchen.clock_kitchen + timedelta(minutes=20))
    kitchen.refresh_from_db()
    moved = [event(kitchen, cook, move=f"m{i + 1}", occurred_at=(start + t) * 1000) for i, t in enumerate(marks)]
    send(as_("cook"), *moved, event(kitchen, cook, "finish"))
    record = Record.objects.get()
    verdict = record.document["verdict"]
    assert record.state in states, verdict
    assert record.peak_core_c is None
    page = as_("cook").get(f"/k/hut/log/{record.public_id}/")
    assert page.status_code == 200
    if states == {"none"}:
        assert "moves were not marked as done" in str(verdict["detail"])
    else:
        assert verdict["basis"] == "computed, not measured"
        assert "nothing was measured" in str(verdict["detail"])
        assert "computed, not measured</b>" in page.content.decode()


@pytest.mark.parametrize("who", ["viewer", "cook", "chef"])
def test_day_and_night_are_for_whoever_looks(kitchen, cook, as_, who):
    """Also in a kitchen that is not simulated, where nobody has a clock to set."""
    for simulated in (True, False):
        Kitchen.objects.filter(pk=kitchen.pk).update(simulated=simulated)
        assert 'id="theme-toggle"' in as_(who).get("/k/hut/line/").content.decode()


def test_line_without_scripts(kitchen, cook, as_):
    """Plain forms do moves, undo and finish."""
    client = as_("cook")
    assert "Turn and baste" in client.get("/k/hut/line/").content.decode()
    client.post(f"/k/hut/line/{cook.public_id}/do/", {"kind": "move", "move": "m1", "ago": "30"})
    assert state_of(Cook.objects.get()).next == 2
    last = state_of(Cook.objects.get()).last_event
    client.post(f"/k/hut/line/{cook.public_id}/do/", {"kind": "undo", "supersedes": last})
    assert state_of(Cook.objects.get()).next == 1
    reply = client.post(f"/k/hut/line/{cook.public_id}/do/", {"kind": "finish"})
    assert reply["Location"].startswith("/k/hut/log/")


def test_strip_and_state_show_the_coming_moves(kitchen, cook, as_):
    """Marks of the strip, and the state document's clock."""
    assert "Turn and baste" in as_("viewer").get("/k/hut/line/strip/").content.decode()
    state = as_("viewer").get("/k/hut/line/state/").json()
    assert state["cooks"][0]["next"] == 1
    assert abs(state["now"] / 1000 - kitchen.now().timestamp()) < 5


def test_simulated_piece_differs_from_the_plan_but_is_a_piece(kitchen, cook):
    """The simulated truth lies near the plan and not on it, the same every time, and follows the real moves."""

    def cooked(key):
        piece = Piece(cook.document, key)
        for stage, seconds in enumerate((118, 260, 480)):
            piece.advance(seconds, stage)
        return piece.core_c

    cores = [cooked(f"cook-{i}") for i in range(6)]
    assert cooked("cook-0") == cores[0]
    assert all(35 < c < 75 for c in cores)
    assert max(cores) - min(cores) > 1.0
    moves = [{"stage": 0, "done": 10.0}, {"stage": 1, "done": None}, {"stage": 2, "done": 30.0}]
    assert stage_at(moves, 20.0) == [(10.0, 0)]


def test_probe_names_are_per_kitchen(kitchen, stranger):
    """Two kitchens may both have a p1."""
    Probe.objects.create(kitchen=Kitchen.objects.get(public_id="barn"), name="p1")
    assert Probe.objects.count() == 2


@pytest.mark.parametrize(
    ("marks", "state"), [((202, 488, 968), "met"), ((20, 488, 968), "advisory"), ((202, 488, None), "advisory")]
)
def test_a_rare_steak_is_met_by_its_outside_only_when_it_was_seared_as_planned(
    kitchen, cook, as_, client, marks, state
):
    """3-401.11(C) by the plan's computed faces: a turn after 20 s, or a move not marked, leaves the core's own statement."""
    start = state_of(cook).started
    Kitchen.objects.filter(pk=kitchen.pk).update(clock_kitchen=kitchen.clock_kitchen + timedelta(minutes=16))
    kitchen.refresh_from_db()
    rows = [
        reading(kitchen, s, 4 + s * 0.27) | {"at": (cook.created_at + timedelta(seconds=5 * s)).isoformat()}
        for s in range(1, 190)
    ]
    assert {a["status"] for a in readings(client, *rows).json()["answers"]} == {"taken"}
    moved = [
        event(kitchen, cook, move=f"m{i + 1}", occurred_at=(start + t) * 1000)
        for i, t in enumerate(marks)
        if t is not None
    ]
    send(as_("cook"), *moved, event(kitchen, cook, "finish"))
    record = Record.objects.get()
    assert record.state == state
    assert ("not measured" in record.document["verdict"]["detail"]) is (state == "met")
