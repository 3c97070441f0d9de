"""What happened to a piece on the line: taken or refused by name, felt on the board, shown on its sheet, kept in its record."""

from __future__ import annotations

import json
import re
from datetime import timedelta

import pytest

from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.line.fold import fold
from ember_core.running.checks import checks
from ember_core.running.state import words_of
from ember_sim.hub import Sensor, Spool
from ember_web.line import live
from ember_web.line.adapters import core_event, moment, state_of
from ember_web.line.check_skill import MIN_CONFIRMED, width_of
from ember_web.line.computing import first_of, words_of_odds
from ember_web.line.cut import faces
from ember_web.line.live import forget_boards
from ember_web.line.models import Cook, Event, Reading
from ember_web.line.replaying import cook_document, replay_queue
from ember_web.logbook.models import Record
from ember_web.tenancy.models import Kitchen, User
from tests.conftest import plan_document
from tests.web.conftest import TOKEN
from tests.web.line.test_line import event, reading, readings, send

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def fresh():
    """Boards of their own."""
    forget_boards()
    yield
    replay_queue.settle()
    forget_boards()


def later(kitchen, **more):
    """The kitchen's clock moves on."""
    Kitchen.objects.filter(pk=kitchen.pk).update(clock_kitchen=kitchen.clock_kitchen + timedelta(**more))
    kitchen.refresh_from_db()


def shown(client, cook):
    """What the board has of the cook once it was replayed."""
    for _ in range(2):
        reply = client.get("/k/hut/line/state/").json()
        replay_queue.settle()
        forget_tick()
    return next(c for c in reply["cooks"] if c["id"] == cook.public_id)


def forget_tick():
    """The board is asked anew at once."""
    for board in live._boards.values():
        board.built = -1e9


def test_what_is_nothing_yet_is_said_with_what_it_becomes():
    """Of a word that it has, that it will be past it; of none yet, which comes."""
    plan = parse(plan_document())
    names = [n for n, *_ in words_of(plan)]
    assert first_of(names[0], plan) == names[1]
    assert first_of(names[1], plan) is None
    egg = plan_document(piece={"food": "egg-whole", "shape": {"kind": "egg", "mass_g": 57}, "start_c": 4}, target={}, stages=[{"kind": "boil", "minutes": 6}])  # fmt: skip
    assert first_of("runny", parse(egg)) is None


def test_as_planned_nothing_is_replayed(kitchen, cook, as_):
    assert shown(as_("cook"), cook)["truth"] is None


def test_a_check_brings_the_verdict_to_the_board(kitchen, cook, as_):
    client = as_("cook")
    later(kitchen, minutes=2)
    answer = send(client, event(kitchen, cook, "check", check="tester", answer="cold", width="trained"))[0]
    assert answer["status"] == "taken"
    found = shown(client, cook)["truth"]
    assert found["word"] == "still under blue"
    assert found["next"]["move"].startswith("m")
    assert found["ask"]["id"] in {"tester", "touch", "juices", "cut", "thermometer"}


@pytest.mark.parametrize("hot", [120, 260])
def test_another_heat_moves_the_next_move(kitchen, cook, as_, hot):
    """The due time is that of the replay: later in a cooler pan, sooner in a hotter one."""
    client = as_("cook")
    moves = state_of(cook).moves
    later(kitchen, seconds=moves[1].offset_s)
    send(client, event(kitchen, cook, move="m1"))
    later(kitchen, seconds=10)
    before = shown(client, cook)
    assert send(client, event(kitchen, cook, "medium", medium_c=hot, face="b"))[0]["status"] == "taken"
    after = shown(client, cook)
    due = [c["moves"][c["next"]]["due"] for c in (before, after)]
    assert (due[1] > due[0]) is (hot == 120)
    assert after["truth"]["next"]["at"] == due[1]


def test_a_late_pull_is_said(kitchen, cook, as_):
    """Pulled minutes late: the board says what it will reach."""
    client = as_("cook")
    moves = state_of(cook).moves
    later(kitchen, seconds=moves[1].offset_s)
    send(client, event(kitchen, cook, move="m1"))
    later(kitchen, seconds=moves[2].offset_s - moves[1].offset_s + 300)
    send(client, event(kitchen, cook, move="m2"))
    said = " ".join(shown(client, cook)["truth"]["said"])
    assert re.search(r"It will reach \d+", said)


@pytest.mark.parametrize(
    ("kind", "more", "says"),
    [
        ("medium", {}, "lacks medium_c"), ("medium", {"medium_c": "hot"}, "medium_c must be"), ("medium", {"medium_c": 900}, "at most"),
        ("door", {"seconds": 20}, "oven or a cabinet"), ("check", {"check": "lick", "answer": "good"}, "choose one of"), ("check", {"check": "tester"}, "lacks answer"),
        ("stage", {"stage": {"kind": "oven", "minutes": 4}}, "medium_c"), ("stage", {"stage": 7}, "must be"), ("baste", {}, "lacks seconds"),
        ("heat", {}, "power_w or set_c"), ("check", {"check": "thermometer"}, "core_c"),
    ],
)  # fmt: skip
def test_what_cannot_have_happened_is_refused_by_name(kitchen, cook, as_, kind, more, says):
    answer = send(as_("cook"), event(kitchen, cook, kind, **more))[0]
    assert answer["status"] == "refused"
    assert says in answer["message"]
    assert not Event.objects.filter(kind=kind).exists()


def test_an_answer_that_is_none_is_refused(kitchen, cook, as_):
    """Of a known check, too: it would be believed otherwise."""
    later(kitchen, minutes=1)
    answer = send(as_("cook"), event(kitchen, cook, "check", check="tester", answer="blue"))[0]
    assert answer["status"] == "refused"
    assert "lukewarm" in answer["message"]


def test_the_sheet_is_a_page_of_its_own(kitchen, cook, as_):
    """Without scripts: the verdict, the checks, what can have happened; an answer by its form; taken back again."""
    client = as_("cook")
    later(kitchen, minutes=8)
    address = f"/k/hut/line/{cook.public_id}/sheet/"
    page = client.get(address).content.decode()
    assert "metal tester to the lip" in page
    assert "most useful check now" in page
    reply = client.post(
        f"/k/hut/line/{cook.public_id}/do/",
        {"kind": "check", "said": "tester|cold", "width": "trained", "then": "sheet"},
    )
    assert reply.url == address
    assert Event.objects.get(kind="check").payload == {"check": "tester", "answer": "cold", "width": "trained"}
    page = client.get(address).content.decode()
    assert "metal tester to the lip: cold" in page
    undo = re.search(r'name="supersedes" value="([^"]+)"', page)[1]
    client.post(f"/k/hut/line/{cook.public_id}/do/", {"kind": "undo", "supersedes": undo, "then": "sheet"})
    assert "lip: cold" not in client.get(address).content.decode()
    assert client.get(address, headers={"X-Sheet": "1"}).content.decode().startswith("\n<div")
    assert as_("viewer").get(address).status_code == 200
    assert 'name="said"' not in as_("viewer").get(address).content.decode()


def test_put_back_on_by_the_sheet(kitchen, cook, as_):
    """Pulled too soon: it goes back into its heat until its target, and rests again after."""
    client = as_("cook")
    moves = state_of(cook).moves
    later(kitchen, seconds=moves[1].offset_s)
    send(client, event(kitchen, cook, move="m1"))
    later(kitchen, seconds=60)
    send(client, event(kitchen, cook, move="m2"))
    later(kitchen, seconds=60)
    page = client.get(f"/k/hut/line/{cook.public_id}/sheet/").content.decode()
    assert "back on" in page
    assert "It will reach only" in page
    client.post(f"/k/hut/line/{cook.public_id}/do/", {"kind": "stage", "back": "1"})
    taken = Event.objects.get(kind="stage").payload["stage"]
    assert taken["kind"] == "pan"
    assert "peak_core_c" in taken["until"]
    later(kitchen, seconds=5)
    found = shown(client, cook)["truth"]
    assert found["next"]["kind"] == "pull"
    assert found["peak"]["core_c"] == pytest.approx(cook.document["target"]["core_c"], abs=0.5)
    board = shown(client, cook)
    assert board["next"] == 2  # to be pulled once more, when the replay says so
    assert board["moves"][2]["due"] == found["next"]["at"]
    later(kitchen, seconds=(found["next"]["at"] / 1000 - kitchen.now().timestamp()))
    assert send(client, event(kitchen, cook, move="m2"))[0]["status"] == "taken"
    done = shown(client, cook)
    assert done["next"] == 3
    assert done["truth"]["peak"]["core_c"] == pytest.approx(cook.document["target"]["core_c"], abs=0.7)


def test_the_record_keeps_it_and_a_changed_heat_is_not_as_planned(kitchen, cook, as_):
    """A rule that hangs on what was computed is not met by a plan whose heat was changed: no wrong *met*."""
    from ember_web.logbook.actions.write_record import as_planned

    client = as_("cook")
    later(kitchen, minutes=1)
    send(
        client,
        event(kitchen, cook, "medium", medium_c=60, face="a"),
        event(kitchen, cook, "check", check="touch", answer="soft"),
    )
    state = state_of(Cook.objects.get())
    result = {"rule": {"met_at_s": 10.0}, "stages": [{"start_s": 0.0, "end_s": 10.0}]}
    done = list(state.moves)
    for i, m in enumerate(done):
        m.done = 100.0 * i
    assert as_planned(done, result)
    assert not as_planned(done, result, state.happened())
    send(client, event(kitchen, cook, "finish"))
    kept = Record.objects.get().document["happened"]
    assert [e["kind"] for e in kept] == ["medium", "check"]
    assert kept[0]["medium_c"] == 60


def test_a_history_is_told_as_the_open_format(kitchen, cook, as_):
    """Moves in their order, undone ones left out, a move behind a later one left out; JSON that the command line takes."""
    from ember_core.running.history import loads

    state = fold(
        [core_event(*row) for row in [
            ("s", "start", {}, None, kitchen.now()), ("a", "move", {"move": "m2"}, None, kitchen.now() + timedelta(seconds=100)),
            ("b", "move", {"move": "m1"}, None, kitchen.now() + timedelta(seconds=200)),
            ("c", "medium", {"medium_c": 90}, None, kitchen.now() + timedelta(seconds=50)),
            ("d", "undo", {}, "c", kitchen.now() + timedelta(seconds=60)),
        ]],
        cook.moves,
    )  # fmt: skip
    document = cook_document(cook.document, state, kitchen.now().timestamp() + 300)
    assert [e["kind"] for e in document["events"]] == ["start", "move"]
    assert document["events"][1]["move"] == "m2"
    assert loads(json.dumps(document)).now_s == pytest.approx(300, abs=1)


@pytest.mark.parametrize(
    ("odds", "said"), [(0.99, "almost certain"), (0.8, "4 in 5"), (0.5, "1 in 2"), (0.34, "1 in 3"), (0.9, "9 in 10")]
)
def test_odds_as_cooks_say_them(odds, said):
    assert said in words_of_odds("medium rare", odds)


def test_a_hand_is_as_sure_as_its_confirmed_checks(kitchen, cook, as_):
    """Answers that a probe bears out narrow a person's width, ones that it does not widen it; too few tell nothing, and another's do not count."""
    tester, person = checks()["tester"], User.objects.get(username="cook")
    start = cook.created_at
    for i in range(30):
        core = 34.0 + i
        right = tester.answers[sum(core > c for c in tester.cuts_c)]
        Reading.objects.create(
            kitchen=kitchen, probe=cook.probe, core_c=core, sequence=i, measured_at=start + timedelta(seconds=60 * i)
        )
        Event.objects.create(
            kitchen=kitchen, cook=cook, kind="check", payload={"check": "tester", "answer": right, "width": "untrained"}, actor=person,
            occurred_at=start + timedelta(seconds=60 * i + 5),
        )  # fmt: skip
        if i == MIN_CONFIRMED - 2:
            assert width_of(kitchen, person, "tester") is None
    assert width_of(kitchen, person, "tester") < 0.6 * tester.untrained
    assert width_of(kitchen, person, "touch") is None
    assert width_of(kitchen, User.objects.get(username="chef"), "tester") is None
    later(kitchen, minutes=31)
    sent = event(kitchen, cook, "check", check="tester", answer="warm", width="own")
    assert send(as_("cook"), sent)[0]["status"] == "taken"
    assert Event.objects.get(id=sent["id"]).payload["width"] == width_of(kitchen, person, "tester")
    Event.objects.filter(kind="check").update(payload={"check": "tester", "answer": "cold", "width": "untrained"})
    assert width_of(kitchen, person, "tester") > tester.untrained


def test_a_probe_that_jumps_is_asked_about_and_not_believed(kitchen, cook, as_, client):
    """Pulled out into the air: the board asks; what it reads since is left out; said to be out it is not asked about; back in, it counts again."""
    start, person = state_of(cook).started, as_("cook")
    later(kitchen, seconds=600)
    tip = [30.0 + 0.02 * s if s < 500 else 24.0 for s in range(200, 595, 5)]  # the kitchen's air is 24 °C
    rows = [reading(kitchen, i, c) | {"at": moment(start + 200 + 5 * i).isoformat()} for i, c in enumerate(tip)]
    for row in rows[:60]:  # one after another, as a hub sends them
        readings(client, row)
        forget_tick()
        assert shown(person, cook)["probeFault"] is None
    for row in rows[60:]:
        readings(client, row)
        forget_tick()
        shown(person, cook)
    assert "is it out of the piece?" in shown(person, cook)["probeFault"]
    board = next(iter(live._boards.values()))
    piece = board.pieces[cook.pk]
    assert piece.believed()[0].max() < start + 500
    sent = event(kitchen, cook, "probe", occurred_at=(start + 505) * 1000, **{"is": "out"})
    assert send(person, sent)[0]["status"] == "taken"
    assert shown(person, cook)["probeFault"] is None
    assert piece.believed()[0].max() <= start + 505
    send(person, event(kitchen, cook, "probe", occurred_at=(start + 580) * 1000, **{"is": "back"}))
    shown(person, cook)
    assert piece.believed()[0].max() > start + 580
    assert send(person, event(kitchen, cook, "probe", **{"is": "lost"}))[0]["status"] == "refused"
    page = person.get(f"/k/hut/line/{cook.public_id}/sheet/").content.decode()
    assert "the probe is out of it" in page


def test_what_a_probe_read_outside_its_piece_meets_no_rule(kitchen, cook, as_, client):
    """It lay in the oven, said so: its 80 °C are in the record, and not in what is judged. No wrong *met*."""
    start, person = state_of(cook).started, as_("cook")
    later(kitchen, seconds=900)
    tip = [20.0 + 0.02 * s if s < 300 else 80.0 for s in range(10, 890, 10)]
    sent = [reading(kitchen, i, c) | {"at": moment(start + 10 * i + 10).isoformat()} for i, c in enumerate(tip)]
    readings(client, *sent)
    send(
        person,
        event(kitchen, cook, "probe", occurred_at=(start + 295) * 1000, **{"is": "out"}),
        event(kitchen, cook, "finish"),
    )
    record = Record.objects.get()
    assert len(record.document["readings"]) == len(tip)
    assert record.document["judged"]["rule"]["met"] is not True
    assert record.state != "met"
    assert record.document["happened"][0]["is"] == "out"


def test_one_reading_that_is_none_is_no_jump(kitchen, cook, as_, client):
    """A slip of the sensor is over with the next reading; nothing is asked then, and all are believed."""
    start, person = state_of(cook).started, as_("cook")
    later(kitchen, seconds=600)
    tip = [30.0 + 0.02 * s for s in range(200, 400, 5)]
    tip[30] = 55.0
    for i, c in enumerate(tip):
        readings(client, reading(kitchen, i, c) | {"at": moment(start + 200 + 5 * i).isoformat()})
        forget_tick()
        found = shown(person, cook)["probeFault"]
    assert found is None
    piece = next(iter(live._boards.values())).pieces[cook.pk]
    assert piece.believed()[0].size == len(tip)


def test_a_probe_that_is_right_after_all_is_believed(kitchen, cook, as_, client):
    start, person = state_of(cook).started, as_("cook")
    later(kitchen, seconds=600)
    tip = [30.0 + 0.02 * s if s < 500 else 60.0 for s in range(200, 595, 5)]
    readings(
        client, *(reading(kitchen, i, c) | {"at": moment(start + 200 + 5 * i).isoformat()} for i, c in enumerate(tip))
    )
    assert "The probe jumped" in shown(person, cook)["probeFault"]
    send(person, event(kitchen, cook, "probe", occurred_at=(start + 590) * 1000, **{"is": "right"}))
    assert shown(person, cook)["probeFault"] is None
    piece = next(iter(live._boards.values())).pieces[cook.pk]
    assert piece.believed()[0].size == len(tip)


def test_the_simulated_kitchen_does_what_was_done(kitchen, cook, as_, client):
    """It is told the plan as it really is: a piece in a cooler pan stays behind; the same answer until something happens again."""
    line = lambda: client.get("/api/v1/line", headers={"Authorization": f"Bearer {TOKEN}"}).json()["cooks"][0]  # noqa: E731
    later(kitchen, seconds=60)
    assert line()["plan"] == cook.document
    send(as_("cook"), event(kitchen, cook, "medium", medium_c=90, face="a"))
    told_now = line()
    later(kitchen, seconds=30)
    assert line()["plan"] == told_now["plan"]
    assert [m["done"] is not None for m in told_now["moves"][:3]] == [True, True, False]
    assert told_now["plan"]["stages"][1]["faces"]["a"]["medium_c"] == 90
    cores = []
    for one in (
        told_now,
        {**told_now, "plan": cook.document, "moves": [{"stage": 0, "offset_s": 0.0, "done": told_now["started"]}]},
    ):
        spool = Spool(":memory:")
        sensor = Sensor(one)
        sensor.follow(one, told_now["started"] + 400.0, spool)
        cores.append(sensor.piece.core_c)
    assert cores[0] < cores[1] - 1.0
    changed = {**told_now, "plan": cook.document}
    sensor.follow(changed, told_now["started"] + 401.0, spool)
    assert sensor.plan == cook.document


def test_a_cook_that_cannot_be_replayed_goes_on_by_its_plan(kitchen, cook, as_, monkeypatch):
    client = as_("cook")
    later(kitchen, minutes=1)

    def refused(_document):
        raise InputError("no")

    monkeypatch.setattr("ember_web.line.computing.running", refused)
    monkeypatch.setattr("ember_web.line.actions.take_events.usable", lambda *_: None)
    send(client, event(kitchen, cook, "check", check="tester", answer="cold"))
    assert shown(client, cook)["truth"] is None


def test_faces_to_choose_from_are_the_answers():
    """Every answer of the cut face is there; a rim is greyer the more of it is."""
    found = faces("meat")
    assert [f["answer"] for f in found] == ["raw"] * 3 + ["red"] * 3 + ["pink"] * 3 + ["grey"]
    assert all(f["stops"][0] != f["stops"][8] for f in found[:-1])
    assert all(re.fullmatch("#[0-9a-f]{6}", colour) for f in found for _, colour in f["stops"])


def test_a_cut_that_was_tapped_is_kept_with_its_grey(kitchen, cook, as_):
    client = as_("cook")
    later(kitchen, minutes=2)
    page = client.get(f"/k/hut/line/{cook.public_id}/sheet/").content.decode()
    assert 'value="cut|pink|0.45"' in page
    client.post(
        f"/k/hut/line/{cook.public_id}/do/",
        {"kind": "check", "said": "cut|pink|0.45", "width": "trained", "then": "sheet"},
    )
    assert cook.events.get(kind="check").payload == {"check": "cut", "answer": "pink", "grey": 0.45, "width": "trained"}
    assert "pink, 45 % grey" in client.get(f"/k/hut/line/{cook.public_id}/sheet/").content.decode()
    refused = client.post(
        f"/k/hut/line/{cook.public_id}/do/", {"kind": "check", "said": "cut|pink|much", "then": "sheet"}, follow=True
    )
    assert "grey" in refused.content.decode()
    assert cook.events.filter(kind="check").count() == 1


def test_a_late_move_stays_due_when_it_fell_due(kitchen, cook, as_):
    """However often it is replayed: four minutes late is four minutes late."""
    client = as_("cook")
    moves = state_of(cook).moves
    later(kitchen, seconds=moves[1].offset_s)
    send(client, event(kitchen, cook, move="m1"))
    later(kitchen, seconds=5)
    send(client, event(kitchen, cook, "medium", medium_c=210, face="b"))
    due = shown(client, cook)["moves"][2]["due"]
    later(kitchen, seconds=due / 1000.0 - kitchen.now().timestamp() + 40)
    first = shown(client, cook)["moves"][2]["due"]
    for _ in range(3):
        later(kitchen, seconds=60)
        assert shown(client, cook)["moves"][2]["due"] == first
    assert kitchen.now().timestamp() - first / 1000.0 > 180.0


@pytest.mark.parametrize(
    ("into", "at", "kept"),
    [("oven", "140", True), ("pan", "180", True), ("oven", "hot", False), ("kiln", "300", False)],
)
def test_moved_into_another_heat(kitchen, cook, as_, into, at, kept):
    """It goes on there until what the plan is for; what is no heat, or has no number, is refused by name and nothing is noted."""
    client = as_("cook")
    moves = state_of(cook).moves
    later(kitchen, seconds=moves[1].offset_s)
    send(client, event(kitchen, cook, move="m1"))
    later(kitchen, seconds=20)
    assert 'name="into"' in client.get(f"/k/hut/line/{cook.public_id}/sheet/").content.decode()
    body = {"kind": "stage", "into": into, "medium_c": at, "then": "sheet"}
    reply = client.post(f"/k/hut/line/{cook.public_id}/do/", body, follow=True)
    found = cook.events.filter(kind="stage").first()
    assert (found is not None) is kept
    if kept:
        assert found.payload["stage"]["kind"] == into
        assert shown(client, cook)["truth"]["next"]["kind"] == "pull"
    else:
        assert "must be" in reply.content.decode() or "choose one" in reply.content.decode()


def test_put_into_the_hot_cabinet(kitchen, cook, as_):
    client = as_("cook")
    moves = state_of(cook).moves
    for i in (1, 2):
        later(kitchen, seconds=moves[i].offset_s - moves[i - 1].offset_s)
        send(client, event(kitchen, cook, move=f"m{i}"))
    later(kitchen, seconds=30)
    client.post(f"/k/hut/line/{cook.public_id}/do/", {"kind": "stage", "hot": "1", "then": "sheet"})
    assert cook.events.get(kind="stage").payload["stage"]["kind"] == "hold"
    assert shown(client, cook)["truth"]["after"]["control"] is None  # held hot it stays under control
