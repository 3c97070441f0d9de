"""Two probes in a bird: each in its own part, the pull by the later, the record met only when both are."""

from __future__ import annotations

from datetime import timedelta

import numpy as np
import pytest

from ember_core.entry.sentence import Sentence
from ember_core.safety.whole_plan import PART_NAMES
from ember_sim.hub import Sensor, by_probe
from ember_web.line import live
from ember_web.line.learning import pull_queue
from ember_web.line.live import forget_boards
from ember_web.line.models import Cook, Probe, Reading
from ember_web.line.queries import free_probes
from ember_web.line.replaying import replay_queue
from ember_web.line.second_probe import later, second_part
from ember_web.logbook.models import Record
from ember_web.tenancy.models import User
from tests.web.acting import save_plan
from tests.web.conftest import TOKEN
from tests.web.line.test_line import event, send
from tests.web.line.test_truth import forget_tick
from tests.web.line.test_truth import later as on

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def fresh():
    """Boards of their own."""
    forget_boards()
    yield
    pull_queue.settle()
    replay_queue.settle()
    forget_boards()


@pytest.fixture
def plan_of_bird(kitchen):
    Probe.objects.create(kitchen=kitchen, name="p2")
    document = Sentence.for_cut("whole-guinea-fowl", altitude_m=1850.0).document()
    return save_plan(kitchen, User.objects.get(username="chef"), document)


@pytest.fixture
def bird(kitchen, plan_of_bird, as_):
    body = {"plan": plan_of_bird.public_id, "probe": "p1", "second": "p2", "all": "1"}
    assert as_("cook").post("/k/hut/line/start/", body).url == "/k/hut/line/"
    return Cook.objects.get()


def read(kitchen, cook, name, course, every=10):
    """Readings of a probe since the start: ``course`` of s → °C."""
    start = cook.created_at
    probe = Probe.objects.get(kitchen=kitchen, name=name)
    seconds = np.arange(every, (kitchen.now() - start).total_seconds(), every)
    Reading.objects.bulk_create(
        Reading(kitchen=kitchen, probe=probe, boot_id="b", sequence=i, measured_at=start + timedelta(seconds=float(s)), core_c=float(course(s)))
        for i, s in enumerate(seconds)
    )  # fmt: skip


def state(client):
    for _ in range(2):
        reply = client.get("/k/hut/line/state/").json()["cooks"][0]
        pull_queue.settle()
        forget_tick()
    return reply


def test_it_knows_its_part_and_neither_probe_is_free(kitchen, bird):
    assert (bird.probe.name, bird.second_probe.name) == ("p1", "p2")
    assert second_part(bird.result) in {"breast", "leg"}
    assert not list(free_probes(kitchen))


@pytest.mark.parametrize(
    ("probe", "second", "says"), [("p1", "p1", "another one"), ("p1", "p9", "another one"), ("p2", "p1", "already")]
)
def test_what_cannot_be_its_second(kitchen, plan_of_bird, plan, as_, probe, second, says):
    """The first itself, one that is not there, and one that is in another piece, first or second."""
    cook = as_("cook")
    if says == "already":
        cook.post("/k/hut/line/start/", {"plan": plan.public_id, "probe": "p1", "all": "1"})
    body = {"plan": plan_of_bird.public_id, "probe": probe, "second": second, "all": "1"}
    reply = cook.post("/k/hut/line/start/", body, follow=True)
    assert says in reply.content.decode()
    assert not Cook.objects.filter(plan=plan_of_bird).exists()


def test_a_second_is_busy_for_others_and_only_a_bird_takes_one(kitchen, bird, plan, as_):
    for body, says in (({"probe": "p2"}, "already"), ({"probe": "", "second": "p2"}, "only a bird")):
        reply = as_("cook").post("/k/hut/line/start/", {"plan": plan.public_id, "all": "1"} | body, follow=True)
        assert says in reply.content.decode()
    assert Cook.objects.count() == 1


def test_the_board_shows_both_and_the_pull_of_the_later(kitchen, bird, as_):
    """The second part colder than planned: it decides."""
    on(kitchen, seconds=bird.moves[1]["offset_s"])
    assert send(as_("cook"), event(kitchen, bird, move="m1"))[0]["status"] == "taken"
    on(kitchen, seconds=120)
    trace = np.array(bird.trace)
    read(kitchen, bird, "p1", lambda s: np.interp(s, trace[:, 0], trace[:, 1]))
    read(kitchen, bird, "p2", lambda s: 4.0 + 0.014 * s)
    found = state(as_("cook"))
    second = found["second"]
    assert second["part"].startswith("the ")
    assert second["read"][1] == pytest.approx(4.0 + 0.014 * (bird.moves[1]["offset_s"] + 115), abs=0.3)
    assert second["target"] == bird.result["parts"][second_part(bird.result)]["target_c"]
    assert second["learned"]["likely"] == found["learned"]["likely"]
    assert found["learned"]["likely"] > 1000 * (bird.created_at.timestamp() + bird.result["coast"]["pull_s"])


@pytest.mark.parametrize(("first", "second"), [(None, None), (10.0, None), (None, 20.0), (10.0, 20.0), (30.0, 20.0)])
def test_the_later_of_two(first, second):
    one, other = (
        None if x is None else {"from": x - 1, "likely": x, "to": x + 1, "used": 3, "note": ""} for x in (first, second)
    )
    found = later(one, other)
    known = [x for x in (first, second) if x is not None]
    assert (found is None) is (not known)
    if known:
        assert (found["likely"], found["to"], found["used"]) == (max(known), max(known) + 1, 3 * len(known))


@pytest.mark.parametrize(("breast_c", "leg_c", "met"), [(76.0, 82.0, True), (76.0, 60.0, False), (60.0, 82.0, False)])
def test_the_record_is_met_when_both_are(kitchen, bird, as_, breast_c, leg_c, met):
    """One part that is short is enough: a wrong met is the gravest fault."""
    on(kitchen, minutes=120)
    highest = dict(
        zip(
            ("p1", "p2"),
            (breast_c, leg_c) if bird.result["parts"]["breast"]["leads"] else (leg_c, breast_c),
            strict=True,
        )
    )
    for name, top in highest.items():
        read(kitchen, bird, name, lambda s, top=top: top + (4.0 - top) * np.exp(-s / 1500.0))
    cook = as_("cook")
    for move in bird.moves[1:]:
        send(cook, event(kitchen, bird, move=move["id"]))
    send(cook, event(kitchen, bird, "finish"))
    record = Record.objects.get()
    assert (record.document["judged"]["rule"]["met"] is True) is met
    assert (record.state == "met") is met
    assert record.document["second"]["probe"] == "p2"
    assert len(record.document["second"]["readings"]) > 600
    assert "one-part-measured" not in {f["code"] for f in record.document["judged"]["findings"]}
    assert cook.get(f"/k/hut/log/{record.public_id}/").status_code == 200


def in_the_oven(after_s):
    """A probe that fell out into the oven."""
    return lambda s: np.where(s < after_s, 4.0 + 0.006 * s, 88.0)


@pytest.mark.parametrize("said", [True, False])
def test_what_the_second_read_outside_the_bird_meets_nothing(kitchen, bird, as_, said):
    """Fell out and read the oven: neither where it was said, nor where nobody answered, is its part done. No wrong *met*."""
    start = bird.created_at.timestamp()
    on(kitchen, minutes=120)
    read(kitchen, bird, "p1", lambda s: min(4.0 + 0.02 * s, 85.0))
    read(kitchen, bird, "p2", in_the_oven(3600))
    cook = as_("cook")
    if said:
        out = event(kitchen, bird, "probe", occurred_at=(start + 3595) * 1000, of="second", **{"is": "out"})
        assert send(cook, out)[0]["status"] == "taken"
    for move in bird.moves[1:]:
        send(cook, event(kitchen, bird, move=move["id"]))
    send(cook, event(kitchen, bird, "finish"))
    record = Record.objects.get()
    assert record.document["judged"]["rule"]["met"] is not True
    assert record.state != "met"
    assert max(c for _, c in record.document["second"]["readings"]) == 88.0


def test_the_second_is_asked_about_by_its_part_and_not_believed(kitchen, bird, as_):
    start, person = bird.created_at.timestamp(), as_("cook")
    on(kitchen, seconds=bird.moves[1]["offset_s"])
    assert send(person, event(kitchen, bird, move="m1"))[0]["status"] == "taken"
    on(kitchen, seconds=900)
    jump = bird.moves[1]["offset_s"] + 600
    trace = np.array(bird.trace)
    read(kitchen, bird, "p1", lambda s: np.interp(s, trace[:, 0], trace[:, 1]))
    read(kitchen, bird, "p2", in_the_oven(jump), every=5)
    found = state(person)
    part = second_part(bird.result)
    assert found["probeFault"] is None
    assert found["second"]["ask"].startswith(f"In {PART_NAMES[part]}: The probe jumped")
    piece = next(iter(live._boards.values())).pieces[bird.pk]
    assert piece.second_watch.fault.at_s == pytest.approx(jump, abs=15.0)
    page = person.get(f"/k/hut/line/{bird.public_id}/sheet/").content.decode()
    assert f"The probe in {PART_NAMES[part]} is" in page
    sent = event(kitchen, bird, "probe", occurred_at=(start + jump - 5) * 1000, of="second", **{"is": "out"})
    assert send(person, sent)[0]["status"] == "taken"
    assert state(person)["second"]["ask"] is None
    page = person.get(f"/k/hut/line/{bird.public_id}/sheet/").content.decode()
    assert f"the probe in {PART_NAMES[part]} is out of it" in page


def test_only_a_bird_has_a_second_probe_to_speak_of(kitchen, cook, as_):
    answer = send(as_("cook"), event(kitchen, cook, "probe", of="second", **{"is": "out"}))[0]
    assert (answer["status"], answer["path"]) == ("refused", "of")


def test_with_one_probe_it_still_says_that_one_part_was_measured(kitchen, plan_of_bird, as_):
    cook = as_("cook")
    cook.post("/k/hut/line/start/", {"plan": plan_of_bird.public_id, "probe": "p1", "all": "1"})
    bird = Cook.objects.get()
    on(kitchen, minutes=120)
    read(kitchen, bird, "p1", lambda s: min(4.0 + 0.02 * s, 85.0))
    send(cook, event(kitchen, bird, "finish"))
    assert "one-part-measured" in {f["code"] for f in Record.objects.get().document["judged"]["findings"]}


def test_the_simulated_bird_has_both_its_parts(kitchen, bird, client):
    """Each probe in a piece of its part's shape; the heat of the bird is taken once."""
    told = client.get("/api/v1/line", headers={"Authorization": f"Bearer {TOKEN}"}).json()
    both = by_probe(told["cooks"])
    assert [c["probe"] for c in both] == ["p1", "p2"]
    assert {c["shape"]["kind"] for c in both} == {"slab", "cylinder"}
    sensors = [Sensor(c) for c in both]
    assert [s.weighs for s in sensors] == [True, False]
    assert len({c["id"] for c in both}) == 2


def test_a_plan_that_is_no_bird_has_no_second_part(cook):
    assert second_part(cook.result) is None


def by_hand(kitchen, cook, part, core_c):
    return event(kitchen, cook, "check", check="thermometer", core_c=core_c, width="trained", part=part)


@pytest.mark.parametrize(("leg_c", "word", "state"), [(84.0, "measured", "met"), (60.0, "part measured", "unknown")])
def test_the_other_part_read_by_hand_and_by_whom(kitchen, plan_of_bird, as_, leg_c, word, state):
    """One probe in the bird, the thermometer in its other part: the record says who put it there."""
    cook = as_("cook")
    cook.post("/k/hut/line/start/", {"plan": plan_of_bird.public_id, "probe": "p1", "all": "1"})
    bird = Cook.objects.get()
    other = second_part(bird.result)
    sheet = cook.get(f"/k/hut/line/{bird.public_id}/sheet/").content.decode()
    assert sheet.count('value="thermometer|||') == 2
    on(kitchen, minutes=120)
    read(kitchen, bird, "p1", lambda s: 84.0 - 80.0 * np.exp(-s / 1500.0))
    assert send(cook, by_hand(kitchen, bird, other, leg_c))[0]["status"] == "taken"
    assert "the breast" in cook.get(f"/k/hut/line/{bird.public_id}/sheet/").content.decode()
    for move in bird.moves[1:]:
        send(cook, event(kitchen, bird, move=move["id"]))
    send(cook, event(kitchen, bird, "finish"))
    record = Record.objects.get()
    assert record.document["verdict"]["basis"] == word
    assert (record.state == "met") is (state == "met")
    assert [e["by"] for e in record.document["happened"]] == ["cook"]
    page = cook.get(f"/k/hut/log/{record.public_id}/").content.decode()
    assert 'id="checks"' in page
    assert f"{leg_c:.1f}" in page


def test_a_slip_of_the_pen_and_no_move_marked_meet_nothing(kitchen, plan_of_bird, as_):
    """76 for 7.6 a minute after it went in: what was done to it afterwards is not known."""
    cook = as_("cook")
    cook.post("/k/hut/line/start/", {"plan": plan_of_bird.public_id, "probe": "", "all": "1"})
    bird = Cook.objects.get()
    on(kitchen, minutes=1)
    send(cook, event(kitchen, bird, "check", check="thermometer", core_c=84.0, width="trained"))
    on(kitchen, minutes=150)
    send(cook, event(kitchen, bird, "finish"))
    record = Record.objects.get()
    assert record.state == "none"
    assert "What was done to it is not known" in record.document["verdict"]["detail"]


@pytest.mark.parametrize(("core_c", "met"), [(71.0, True), (63.5, False), (60.0, False)])
def test_a_piece_read_only_by_hand(kitchen, plan, as_, core_c, met):
    """No probe and no move marked: what the thermometer read at the end counts, and is not called computed."""
    cook = as_("cook")
    cook.post("/k/hut/line/start/", {"plan": plan.public_id, "probe": "", "all": "1"})
    piece = Cook.objects.get()
    on(kitchen, minutes=25)
    taken = send(cook, event(kitchen, piece, "check", check="thermometer", core_c=core_c, width="trained"))
    assert taken[0]["status"] == "taken"
    send(cook, event(kitchen, piece, "finish"))
    record = Record.objects.get()
    assert (record.document["judged"]["rule"]["met"] is True) is met
    assert record.peak_core_c == core_c
    assert not met or record.document["verdict"]["basis"] == "measured"
