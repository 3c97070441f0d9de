"""From what happened to a plan of what really was: the same physics, each event used or refused by name."""

from __future__ import annotations

import copy
import json

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.running.history import loads, running
from tests.conftest import plan_document

START = {"at_s": 0, "kind": "start"}
STEAK = {
    "format": "open-ember.plan/1",
    "piece": {"food": "beef-rib", "form": "steak", "shape": {"kind": "slab", "thickness_mm": 30}, "start_c": 12, "mass_g": 300},
    "target": {"core_c": 55},
    "stages": [
        {"kind": "pan", "minutes": 2, "faces": {"b": {"medium_c": 220}}},
        {"kind": "pan", "minutes": 2, "faces": {"a": {"medium_c": 220}}},
        {"kind": "oven", "minutes": 90, "medium_c": 120, "until": {"peak_core_c": 55}},
        {"kind": "rest", "minutes": 8},
    ],
    "rules": "us-food-code-2022",
}  # fmt: skip
TO_OVEN = [START, {"at_s": 120, "kind": "move", "move": "m1"}, {"at_s": 240, "kind": "move", "move": "m2"}]


def told(now_s, *events, plan=None, **more):
    """A cook's document."""
    return {"format": "open-ember.cook/1", "plan": plan or STEAK, "now_s": now_s, "events": list(events), **more}


def cooked(plan):
    return run(plan, setup(plan))


def bath(minutes, **more):
    return {"kind": "bath", "minutes": minutes, "medium_c": 58, **more}


PLANS = {
    "bath": plan_document(stages=[bath(40), {"kind": "chill", "medium_c": 1, "minutes": 20, "variant": "ice-water"}]),
    "pan and turn": plan_document(),
    "settling": plan_document(stages=[{"kind": "oven", "minutes": 30, "medium_c": 180, "medium_from_c": 120, "settle_minutes": 6}, {"kind": "rest", "minutes": 9}]),
    "pan with a store": plan_document(
        piece={"food": "beef-lean", "form": "steak", "shape": {"kind": "slab", "thickness_mm": 28}, "start_c": 4, "mass_g": 250, "count": 2},
        stages=[{"kind": "pan", "minutes": 9, "faces": {"b": {"medium_c": 200}}, "store": {"kind": "pan", "mass_kg": 2.0, "power_w": 900}}, {"kind": "rest", "minutes": 5}],
    ),
    "oven with a door": plan_document(
        piece={"food": "pork-loin", "form": "roast", "shape": {"kind": "cylinder", "diameter_mm": 60}, "start_c": 8, "mass_g": 900, "count": 1},
        stages=[{"kind": "oven", "minutes": 40, "medium_c": 170, "store": {"kind": "oven", "doors": [{"at_s": 300, "open_s": 30}, {"at_s": 1500, "open_s": 20}]}}, {"kind": "rest", "minutes": 10}],
        rules="uk-fsa",
    ),
    "egg": {"format": "open-ember.plan/1", "piece": {"food": "egg-whole", "shape": {"kind": "egg", "mass_g": 57}, "start_c": 4},
            "stages": [{"kind": "boil", "minutes": 6}, {"kind": "chill", "medium_c": 1, "minutes": 8, "variant": "ice-water"}]},
}  # fmt: skip


@pytest.mark.parametrize("name", PLANS)
@pytest.mark.parametrize("share", [0.13, 0.5, 0.77])
def test_done_as_planned_it_is_the_plan(name, share):
    """Parting it at this moment changes nothing: its core, now and from now on, within 0.02 K of the plan's own run."""
    plan = parse(PLANS[name])
    own = cooked(plan)
    end = own.stages[-1].end_s
    events = [
        START,
        *(
            {"at_s": s.start_s, "kind": "move", "move": f"m{i}"}
            for i, s in enumerate(own.stages)
            if i > 0 and s.start_s <= share * end
        ),
    ]
    parted = running(told(share * end, *events, plan=PLANS[name])).plan
    at = np.linspace(1.0, end - 1.0, 60)
    one, two = (cooked(parse({**p.document, "report_at_s": at.tolist()})) for p in (plan, parted))
    for course in ("core", "mean"):
        off = np.interp(at, one.t, getattr(one, course)) - np.interp(at, two.t, getattr(two, course))
        assert np.abs(off).max() < 0.02
    assert one.peak_core_c == pytest.approx(two.peak_core_c, abs=0.02)


def test_moves_at_their_real_moments_are_minutes():
    """Turned eleven seconds late, pulled when the hand did it: the same as a plan of those minutes."""
    document = told(
        1500, START, {"at_s": 131, "kind": "move", "move": "m1"}, {"at_s": 260, "kind": "move", "move": "m2"}, {"at_s": 1400, "kind": "move", "move": "m3"}
    )  # fmt: skip
    by_hand = copy.deepcopy(STEAK)
    for stage, seconds in zip(by_hand["stages"], (131, 129, 1140, 480), strict=True):
        stage["minutes"] = seconds / 60
        stage.pop("until", None)
    own, again = cooked(parse(by_hand)), cooked(running(document).plan)
    assert np.interp(1500, again.t, again.core) == pytest.approx(np.interp(1500, own.t, own.core), abs=0.02)
    assert again.peak_core_c == pytest.approx(own.peak_core_c, abs=0.02)


@pytest.mark.parametrize(
    ("event", "stages"),
    [
        ({"kind": "medium", "medium_c": 90}, [{"kind": "oven", "medium_c": 90}]),
        ({"kind": "turn"}, None),
        (
            {"kind": "stage", "stage": {"kind": "oven", "minutes": 20, "medium_c": 160}},
            [{"kind": "oven", "medium_c": 160}],
        ),
        ({"kind": "stage", "stage": {"kind": "rest", "minutes": 5}, "then": "m2"}, [{"kind": "rest"}]),
    ],
)
def test_what_is_other_from_now_on(event, stages):
    """What was said is what it then lies in, from that moment and not before."""
    if event["kind"] == "turn":
        r = running(told(60, START, {"at_s": 30, **event}))
        assert [list(s["faces"]) for s in r.plan.document["stages"][:3]] == [["b"], ["a"], ["a"]]
        return
    r = running(told(700, *TO_OVEN, {"at_s": 600, **event}))
    made = r.plan.document["stages"]
    assert made[2]["medium_c"] == 120
    assert made[2]["minutes"] == pytest.approx(6.0)
    for key, value in stages[0].items():
        assert made[3][key] == made[4][key] == value
    assert r.index[:3] == (0, 1, 2)
    assert r.current == 4


def test_the_heat_turned_off_and_up_is_felt():
    """A pan whose burner is off falls, and with more than before it rises; a plan without a store gets a usual one."""
    start = told(100, START)
    found = {}
    for kind, more in (("off", {}), ("heat", {"power_w": 3000}), ("heat", {"power_w": 300, "set_c": 200})):
        plan = running(start | {"now_s": 110, "events": [START, {"at_s": 40, "kind": kind, **more}]}).plan
        cook = cooked(plan)
        known = np.isfinite(cook.medium)
        found[kind, len(more)] = float(np.interp(110, cook.t[known], cook.medium[known]))
    assert found["off", 0] < found["heat", 2] < found["heat", 1]


def test_put_back_on_it_rests_again_and_the_next_move_is_the_plans():
    r = running(told(1500, *TO_OVEN, {"at_s": 1100, "kind": "move", "move": "m3"}, {"at_s": 1300, "kind": "stage", "stage": {"kind": "oven", "medium_c": 120, "minutes": 30, "until": {"peak_core_c": 55}}}))  # fmt: skip
    assert r.following == 3
    assert [s.kind for s in r.plan.stages] == ["pan", "pan", "oven", "rest", "oven", "oven", "rest"]
    assert cooked(r.plan).peak_core_c == pytest.approx(55.0, abs=0.3)


def test_basted_for_a_while():
    r = running(told(110, START, {"at_s": 30, "kind": "baste", "seconds": 40, "medium_c": 140}))
    faces = [s.get("faces", {}) for s in r.plan.document["stages"][:4]]
    assert ["a" in f for f in faces] == [False, True, False, False]
    assert r.plan.stages[1].minutes == pytest.approx(40 / 60)


def test_extending_and_what_goes_by_the_clock():
    """A rest of eight minutes is over when it was, later by what was put off."""
    events = [*TO_OVEN, {"at_s": 1400, "kind": "move", "move": "m3"}]
    assert running(told(1500, *events)).due_s == pytest.approx(1880)
    assert running(told(1500, *events, {"at_s": 1450, "kind": "extend", "seconds": 60})).due_s == pytest.approx(1940)
    assert running(told(2400, *events)).due_s == pytest.approx(1880)


def test_what_a_probe_reads_while_it_is_out_is_left_out():
    read = [{"t_s": t, "core_c": 20.0} for t in (10, 30, 50, 70)]
    out, back = ({"at_s": t, "kind": "probe", "is": what} for t, what in ((25, "out"), (60, "back")))
    assert [t for t, _ in running(told(90, START, out, back, readings=read)).readings] == [10, 70]
    assert [t for t, _ in running(told(90, START, out, readings=read)).readings] == [10]
    with pytest.raises(EmberError) as said:
        running(told(90, START, {"at_s": 5, "kind": "probe"}))
    assert said.value.path == "/events/1/is"


def test_the_order_in_which_events_are_told_does_not_matter():
    events = [*TO_OVEN, {"at_s": 700, "kind": "medium", "medium_c": 100}]
    assert running(told(900, *events)).plan.document == running(told(900, *reversed(events))).plan.document


@pytest.mark.parametrize(
    ("document", "path", "code"),
    [
        (told(100, {"at_s": 5, "kind": "move", "move": "m1"}), "/events/0", "start"),
        (told(100, START, START), "/events/1", "start"),
        (told(100, START, {"at_s": 200, "kind": "move", "move": "m1"}), "/events/1/at_s", "range"),
        (told(100, START, {"at_s": 20, "kind": "move"}), "/events/1/move", "missing"),
        (told(100, START, {"at_s": 20, "kind": "move", "move": "m9"}), "/events/1/move", "range"),
        (told(100, START, {"at_s": 20, "kind": "move", "move": "m1"}, {"at_s": 30, "kind": "move", "move": "m1"}), "/events/2/move", "twice"),
        (told(100, START, {"at_s": 20, "kind": "medium", "medium_c": 120, "power_w": 4}), "/events/1/power_w", "unknown-key"),
        (told(100, START, {"at_s": 20, "kind": "heat"}), "/events/1/power_w", "missing"),
        (told(100, START, {"at_s": 20, "kind": "door", "seconds": 20}), "/events/1", "door"),
        (told(900, *TO_OVEN, {"at_s": 500, "kind": "turn"}), "/events/3", "turn"),
        (told(100, START, {"at_s": 20, "kind": "stage", "stage": {"kind": "oven", "minutes": 3}}), "/events/1/stage/medium_c", "missing"),
        (told(100, START, {"at_s": 20, "kind": "stage", "stage": {"kind": "grill", "minutes": 3, "medium_c": 200, "lid": 1}}), "/events/1/stage/lid", "unknown-key"),
        (told(100, START, {"at_s": 20, "kind": "check", "check": "tester"}), "/events/1/answer", "missing"),
        (told(100, START, {"at_s": 20, "kind": "check", "check": "thermometer"}), "/events/1/core_c", "missing"),
        (told(100, START, {"at_s": 20, "kind": "move", "move": "m4"}, {"at_s": 30, "kind": "turn"}), "/events/2", "finished"),
        (told(100, START, plan=plan_document(title=7)), "/plan/title", "type"),
        (told(100, START, unknown=1), "/unknown", "unknown-key"),
        (told(100, START, {"at_s": 20, "kind": "undo"}), "/events/1/kind", "choice"),
    ],
)  # fmt: skip
def test_what_is_no_history_is_refused_by_name(document, path, code):
    with pytest.raises(EmberError) as said:
        running(document)
    assert (said.value.path, said.value.code) == (path, code)
    assert said.value.message


def test_text_that_is_none():
    with pytest.raises(EmberError):
        loads("{")
    assert loads(json.dumps(told(100, START))).current == 1


KINDS = st.sampled_from(
    ["move", "medium", "heat", "off", "turn", "baste", "door", "stage", "extend", "note", "check", "finish"]
)
VALUES = st.fixed_dictionaries({}, optional={
    "move": st.sampled_from(["m0", "m1", "m2", "m3", "m4", "m5"]), "medium_c": st.floats(-20, 300), "face": st.sampled_from(["a", "b", "side"]),
    "power_w": st.floats(0, 4000), "set_c": st.floats(0, 300), "seconds": st.floats(-60, 600),
    "stage": st.sampled_from([bath(20), {"kind": "rest", "minutes": 4}, {"kind": "oven", "minutes": 9}, {"kind": "pan", "minutes": 2, "medium_c": 150}]),
    "check": st.sampled_from(["tester", "thermometer", "touch"]), "answer": st.sampled_from(["warm", "firm", "blue"]), "core_c": st.floats(0, 90),
})  # fmt: skip


@settings(max_examples=120, deadline=None)
@given(st.lists(st.tuples(st.floats(0, 900), KINDS, VALUES), max_size=7))
def test_any_history_is_answered_or_refused_by_name(events):
    """And what is answered is a plan of at least as much time as has gone by."""
    document = told(900, START, *({"at_s": at, "kind": kind} | more for at, kind, more in events))
    said = found = None
    try:
        found = running(document)
    except EmberError as error:
        said = error
    if found is None:
        assert said is not None
        assert said.path.startswith(("/events/", "/plan"))
        return
    past = sum(60.0 * s.minutes for s in found.plan.stages[: found.current if found.current is not None else None])
    assert past <= 900.0 + 1.0 or found.current is None
    assert len(found.index) == len(found.plan.stages)
