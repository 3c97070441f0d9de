"""Thermometers in what heats: taken by the API, felt by the board, asked about, believed or not as the cook says, kept in the record."""

from __future__ import annotations

import json
from datetime import timedelta

import pytest

from ember_core.entry.sentence import Sentence
from ember_core.line.fold import CookState
from ember_core.line.fold import Event as CoreEvent
from ember_web.kitchens.models import Equipment
from ember_web.line.live import forget_boards
from ember_web.line.media import MediumUse, dialled, thought
from ember_web.line.models import MediumReading, Probe, SimulatedFault
from ember_web.line.replaying import replay_queue
from ember_web.logbook.models import Record
from ember_web.tenancy.models import User
from tests.web.acting import save_plan, start_cook
from tests.web.conftest import TOKEN
from tests.web.line.test_line import event, readings, send
from tests.web.line.test_truth import later, shown

pytestmark = pytest.mark.django_db
HEAT_C, OFF_K = 180.0, -8.0


@pytest.fixture(autouse=True)
def fresh():
    """Boards of their own."""
    forget_boards()
    yield
    replay_queue.settle()
    forget_boards()


@pytest.fixture
def oven(kitchen):
    """The kitchen's only oven, 8 K less than it shows, with a thermometer."""
    return Equipment.objects.create(kitchen=kitchen, kind="oven", name="Oven 1", hub_name="oven-1", true_offset_c=OFF_K)


@pytest.fixture
def roast(kitchen, oven):
    """A piece in it, half an hour by the clock."""
    document = Sentence.for_cut("hake-loin", altitude_m=1850.0).document()
    made = save_plan(kitchen, User.objects.get(username="chef"), document)
    return start_cook(kitchen, User.objects.get(username="cook"), made, station="Grill", probe=Probe.objects.get())


def stage_heat(cook):
    return float(cook.document["stages"][0]["medium_c"])


def of_oven(kitchen, value, seconds=400, every=10, first=0, **more):
    """What the oven's thermometer showed, up to now."""
    return [
        {
            "device": "oven-1", "boot": "b", "sequence": first + i, "medium_c": value,
            "at": (kitchen.now() - timedelta(seconds=seconds - every * i)).isoformat(),
        } | more
        for i in range(seconds // every + 1)
    ]  # fmt: skip


def test_readings_of_a_device_are_stored_once(kitchen, oven, client):
    rows = of_oven(kitchen, 180.0, seconds=50)
    assert [a["status"] for a in readings(client, *rows).json()["answers"]] == ["taken"] * 6
    assert [a["status"] for a in readings(client, *rows).json()["answers"]] == ["known"] * 6
    assert MediumReading.objects.filter(kitchen=kitchen, equipment=oven).count() == 6


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"device": "oven-9"}, "no device"), ({"medium_c": 900.0}, "outside -60 to 450"), ({"core_c": 20.0}, "one of the two"),
        ({"probe": "p1"}, "one of the two"), ({"medium_c": None}, "one of the two"), ({"device": None}, "one of the two"),
        ({"device": "oven\x00"}, "name"), ({"at": "2001-01-01T00:00:00Z"}, "7 days"),
    ],
)  # fmt: skip
def test_what_is_no_reading_of_a_device(kitchen, oven, client, change, says):
    """Refused by name, and nothing of it stored; the others of the batch are taken."""
    good = of_oven(kitchen, 180.0, seconds=0)[0]
    answers = readings(client, good | {"sequence": 7} | change, good).json()["answers"]
    assert [a["status"] for a in answers] == ["refused", "taken"]
    assert says in answers[0]["message"]


def test_a_device_of_another_kitchen_is_none(kitchen, oven, stranger, client):
    answer = readings(client, of_oven(kitchen, 180.0, seconds=0)[0], token="barn-token").json()["answers"][0]
    assert answer["status"] == "refused"


def test_the_piece_lies_in_the_only_oven(roast, oven):
    assert roast.gear == {"oven": oven.pk}


def test_what_is_as_planned_is_shown_and_not_asked(kitchen, roast, as_, client):
    """The thermometer shows more than there is, by what the chef measured."""
    later(kitchen, seconds=400)
    readings(client, *of_oven(kitchen, stage_heat(roast) - OFF_K))
    medium = shown(as_("cook"), roast)["medium"]
    assert medium["name"] == "Oven 1"
    assert medium["read"][1] == stage_heat(roast)
    assert (medium["ask"], medium["silent"], medium["clock"]) == (None, None, None)


def test_a_cold_oven_is_asked_about_and_moves_the_pull_once_it_is_said(kitchen, roast, as_, client):
    """Nothing is believed before; then the next move is later, and the question is gone."""
    cook = as_("cook")
    later(kitchen, seconds=400)
    readings(client, *of_oven(kitchen, stage_heat(roast) - OFF_K - 50.0))
    before = shown(cook, roast)
    assert "Oven 1" in before["medium"]["ask"]
    assert before["medium"]["reads"] == pytest.approx(stage_heat(roast) - 50.0)
    assert before["truth"] is None
    told = {"medium_c": before["medium"]["reads"], "read": True}
    assert send(cook, event(kitchen, roast, "medium", **told))[0]["status"] == "taken"
    after = shown(cook, roast)
    assert after["medium"]["ask"] is None
    assert after["moves"][after["next"]]["due"] > before["moves"][before["next"]]["due"] + 30_000


def test_a_wrong_thermometer_is_not_believed(kitchen, roast, as_, client):
    """Said to be wrong it asks nothing more, moves nothing, and takes nothing from the record."""
    cook = as_("cook")
    later(kitchen, seconds=400)
    readings(client, *of_oven(kitchen, 60.0))
    assert shown(cook, roast)["medium"]["ask"]
    assert send(cook, event(kitchen, roast, "probe", **{"is": "out", "of": "medium"}))[0]["status"] == "taken"
    found = shown(cook, roast)
    assert found["medium"]["ask"] is None
    assert found["truth"] is None
    sheet = cook.get(f"/k/hut/line/{roast.public_id}/sheet/").content.decode()
    assert "right again" in sheet
    assert "thermometer is off" in sheet  # in the history


def test_the_sheet_asks_without_scripts(kitchen, roast, as_, client):
    cook = as_("cook")
    later(kitchen, seconds=400)
    readings(client, *of_oven(kitchen, stage_heat(roast) - OFF_K - 50.0))
    sheet = cook.get(f"/k/hut/line/{roast.public_id}/sheet/").content.decode()
    assert "Is that right?" in sheet
    form = {"kind": "medium", "read": "1", "medium_c": f"{stage_heat(roast) - 50.0:g}", "then": "sheet"}
    cook.post(f"/k/hut/line/{roast.public_id}/do/", form)
    assert roast.events.get(kind="medium").payload == {"medium_c": stage_heat(roast) - 50.0, "read": True}


def test_a_silent_thermometer_and_a_slow_clock_are_said(kitchen, roast, as_, client):
    cook = as_("cook")
    later(kitchen, seconds=100)
    readings(client, *of_oven(kitchen, stage_heat(roast) - OFF_K, seconds=100))
    assert shown(cook, roast)["medium"]["silent"] is None
    later(kitchen, seconds=200)
    assert "stopped reporting" in shown(cook, roast)["medium"]["silent"]
    late = [
        r | {"at": (kitchen.now() - timedelta(seconds=290 - i)).isoformat()}
        for i, r in enumerate(of_oven(kitchen, 180.0, first=50, seconds=60))
    ]
    readings(client, *late)
    assert "s slow" in shown(cook, roast)["medium"]["clock"]


@pytest.mark.parametrize(
    ("below_k", "wrong", "judged_by_plan"), [(0.0, False, True), (60.0, False, False), (60.0, True, True)]
)
def test_by_a_cold_oven_nothing_is_as_planned(kitchen, roast, as_, client, below_k, wrong, judged_by_plan):
    """What the plan computes of the outside counts only where its heat was there; its readings are kept."""
    from ember_web.line.adapters import state_of
    from ember_web.line.media import around_of
    from ember_web.logbook.actions.write_record import as_planned

    cook = as_("cook")
    for i, move in enumerate(state_of(roast).moves):
        later(kitchen, seconds=move.offset_s - (state_of(roast).moves[i - 1].offset_s if i else 0.0))
        if i == 1:
            readings(client, *of_oven(kitchen, stage_heat(roast) - OFF_K - below_k))
            if wrong:
                said = {"is": "out", "of": "medium"}
                assert send(cook, event(kitchen, roast, "probe", **said))[0]["status"] == "taken"
        if i:
            assert send(cook, event(kitchen, roast, move=move.id))[0]["status"] == "taken"
    state = state_of(roast)
    result = roast.result | {"rule": {"met_at_s": 1.0}}
    assert as_planned(state.moves, result, state.happened(), around_of(roast, state).away_s(state)) is judged_by_plan
    send(cook, event(kitchen, roast, "finish"))
    kept = Record.objects.get(cook=roast).document["media"]
    assert kept[0]["name"] == "Oven 1"
    assert len(kept[0]["readings"]) == 41


def test_what_is_on_the_line_for_a_simulated_kitchen(kitchen, roast, oven, client, as_):
    """What the oven is turned to is what it shows when it is right; a heat that was read turns nothing."""

    def told():
        return client.get("/api/v1/line", headers={"Authorization": f"Bearer {TOKEN}"}).json()

    first = told()
    assert first["devices"][0]["dial_c"] == stage_heat(roast) - OFF_K
    assert first["cooks"][0]["devices"] == {"oven": "oven-1"}
    later(kitchen, seconds=60)
    send(as_("cook"), event(kitchen, roast, "medium", medium_c=120.0, read=True))
    second = told()
    assert second["devices"][0]["dial_c"] == stage_heat(roast) - OFF_K
    assert second["cooks"][0]["plan"] == first["cooks"][0]["plan"]
    send(as_("cook"), event(kitchen, roast, "medium", medium_c=150.0))
    assert told()["devices"][0]["dial_c"] == 150.0 - OFF_K
    assert client.get("/api/v1/devices", headers={"Authorization": f"Bearer {TOKEN}"}).json()["devices"] == [{"name": "oven-1", "kind": "oven", "label": "Oven 1"}]  # fmt: skip


def test_a_fault_is_switched_on_and_off_and_told_to_the_simulation(kitchen, oven, client, as_):
    chef = as_("chef")
    page = chef.get("/k/hut/line/simulation/").content.decode()
    assert "Oven 1" in page
    assert "lid open" in page
    for on, there in (("1", True), ("", False)):
        chef.post("/k/hut/line/simulation/", {"name": "oven-1", "kind": "door", "on": on})
        assert SimulatedFault.objects.filter(kitchen=kitchen, kind="door").exists() is there
        told = client.get("/api/v1/line", headers={"Authorization": f"Bearer {TOKEN}"}).json()["devices"][0]["faults"]
        assert bool(told) is there
    for wrong in ({"name": "oven-7", "kind": "door"}, {"name": "p1", "kind": "door"}):
        reply = chef.post("/k/hut/line/simulation/", wrong | {"on": "1"}, follow=True)
        assert "choose one" in reply.content.decode()
    kitchen.simulated = False
    kitchen.save()
    assert chef.get("/k/hut/line/simulation/").status_code == 404


def test_gear_with_readings_stays_and_hub_names_are_its_own(kitchen, oven, client, as_):
    """Refused by name; what was typed is there again."""
    chef = as_("chef")
    readings(client, *of_oven(kitchen, 180.0, seconds=0))
    row = {"kind": "oven", "name": "Oven 1", "pk": oven.pk, "true_offset_c": "-8", "hub_name": "oven-1"}
    assert "rename it instead" in chef.post("/k/hut/kitchen/gear/", row | {"gone": "1"}, follow=True).content.decode()
    other = chef.post("/k/hut/kitchen/gear/", {"kind": "oven", "name": "Oven 2", "hub_name": "oven-1"}, follow=True)
    assert "has it already" in other.content.decode()
    spaced = chef.post("/k/hut/kitchen/gear/", {"kind": "oven", "name": "Oven 2", "hub_name": "oven one"}, follow=True)
    assert "without spaces" in spaced.content.decode()
    assert list(Equipment.objects.filter(kitchen=kitchen).values_list("hub_name", flat=True)) == ["oven-1"]


def test_a_batch_is_json(kitchen, oven, client):
    """The schema names both."""
    schema = client.get("/api/v1/openapi.json").content.decode()
    known = json.loads(schema)["components"]["schemas"]["ReadingIn"]["properties"]
    assert {"probe", "device", "core_c", "medium_c"} <= set(known)


@pytest.mark.parametrize(("said", "dial", "at"), [
    ({}, 220.0, 220.0), ({"medium_c": 180.0}, 180.0, 180.0), ({"medium_c": 180.0, "face": "b"}, 180.0, 180.0), ({"medium_c": 120.0, "face": "a"}, 220.0, 220.0),
    ({"medium_c": 190.0, "read": True}, 220.0, 190.0),
])  # fmt: skip
def test_what_a_pan_is_thought_to_be(said, dial, at):
    """Turned or read, by its own face: what was said of the fat over it turns no burner."""
    stage = {"kind": "pan", "faces": {"a": {"kind": "baste", "medium_c": 150}, "b": {"medium_c": 220.0}}}
    events = [CoreEvent("e", "medium", 50.0, payload=said)] if said else []
    state, stay = CookState(0.0, [], live=events), MediumUse(0.0, float("inf"), stage, 1)
    assert dialled(stay, state) == dial
    assert thought(stay, state)(60.0) == at
    assert thought(stay, state)(40.0) == 220.0
