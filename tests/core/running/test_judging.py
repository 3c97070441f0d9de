"""The rule of a running piece: of what is past and read, never of what is still to come."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.running.history import running
from ember_core.running.judging import cook_until, piece_until
from ember_core.running.state import replay
from ember_core.safety.readings_by_hand import fastest_rise

US = "us-food-code-2022"
BREAST = {
    "format": "open-ember.plan/1",
    "piece": {"food": "chicken-breast", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 25}},
    "target": {"core_c": 74}, "stages": [{"kind": "oven", "minutes": 40, "medium_c": 180}, {"kind": "rest", "minutes": 5}], "rules": US,
}  # fmt: skip
STEAK = BREAST | {
    "piece": {"food": "beef-lean", "form": "steak", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 28}}, "target": {"core_c": 55},
    "stages": [{"kind": "pan", "minutes": 3, "faces": {f: {"medium_c": 220}}} for f in "ab"] + [{"kind": "rest", "minutes": 6}],
}  # fmt: skip
OUT, SERVED = {"at_s": 2400, "kind": "move", "move": "m1"}, {"at_s": 2700, "kind": "move", "move": "m2"}
TURNED, PULLED, EATEN = ({"at_s": at, "kind": "move", "move": f"m{i}"} for i, at in ((1, 180), (2, 360), (3, 720)))


def probe(top_c, until_s, step=20.0, tau=800.0):
    """Readings of a core that comes up to a temperature."""
    t = np.arange(step, until_s, step)
    return [{"t_s": float(x), "core_c": float(top_c + (4.0 - top_c) * np.exp(-x / tau)), "probe": "p1"} for x in t]


def checked(core_c, at_s):
    return {"at_s": at_s, "kind": "check", "check": "thermometer", "core_c": core_c}


def rule(now, *events, readings=(), plan=BREAST):
    document = {"format": "open-ember.cook/1", "plan": plan, "now_s": now, "events": [{"at_s": 0, "kind": "start"}, *events],
                "readings": list(readings)}  # fmt: skip
    return replay(running(document), members=48).rule


NOW = [
    # now, events, readings, plan → met, whether it is said when it is expected
    (0, (), (), BREAST, None, True), (60, (), (), BREAST, None, True), (2000, (), (), BREAST, None, True),
    (2390, (), probe(45, 2390), BREAST, None, True), (2390, (checked(40.0, 2300),), (), BREAST, None, True),
    (2390, (), (), BREAST, None, True),  # met as computed, and 5 in 100 of such pieces are colder: measure it
    (2800, (OUT, SERVED), (), BREAST, None, True), (2390, (), probe(78, 2390), BREAST, True, False),
    (2800, (OUT, SERVED), probe(78, 2700), BREAST, True, False), (2800, (OUT, SERVED), probe(60, 2700), BREAST, False, True),
    (2800, (OUT, SERVED), probe(78, 200), BREAST, None, True),  # the probe fell silent
    (170, (), (), STEAK, None, True), (800, (TURNED, PULLED, EATEN), (), STEAK, True, False), (400, (TURNED, PULLED), (), STEAK, True, False),
    (800, (TURNED, PULLED, EATEN), probe(56, 720, tau=250), STEAK, True, False),
]  # fmt: skip


@pytest.mark.parametrize(("now", "events", "readings", "plan", "met", "expected"), NOW)
def test_what_is_past_and_read(now, events, readings, plan, met, expected):
    """Not before, not by the forecast, not against a check; and by the readings where there are any."""
    found = rule(now, *events, readings=readings, plan=plan)
    assert found["met"] is met
    assert (found["expected_met_at_s"] is not None) is expected


@pytest.mark.parametrize("now", [60.0, 1200.0, 2300.0])
def test_it_is_never_met_before_the_plan_would_be(now):
    """At every moment: what is still to come meets nothing."""
    plan = parse(BREAST)
    at = replay(
        running({"format": "open-ember.cook/1", "plan": BREAST, "now_s": 0, "events": [{"at_s": 0, "kind": "start"}]}),
        members=16,
    )
    assert at.rule["expected_met_at_s"] > 1800
    assert rule(now)["met"] is None
    past = cook_until(run(plan, setup(plan)), now, 1)
    assert past.t[-1] <= now + 1e-6
    assert past.stages[-1].end_s <= now + 1e-6
    assert past.peak_core_c == past.core.max()
    assert past.field.shape[0] == past.t.size == past.core.size


def test_what_a_probe_reads_after_serving_is_not_the_piece():
    """It lies somewhere: it is said, and counts neither for the rule nor for the peak."""
    lying = [{"t_s": 2710.0 + 10 * i, "core_c": 90.0, "probe": "p1"} for i in range(20)]
    document = {"format": "open-ember.cook/1", "plan": BREAST, "now_s": 3000, "events": [{"at_s": 0, "kind": "start"}, OUT, SERVED],
                "readings": [*probe(60, 2700), *lying]}  # fmt: skip
    found = replay(running(document), members=48)
    assert found.rule["met"] is False
    assert "read-after-serving" in {f.code for f in found.findings}
    assert found.as_dict()["peak"]["core_c"] < 70.0
    quiet = document | {"readings": probe(60, 2700)}
    assert "read-after-serving" not in {f.code for f in replay(running(quiet), members=16).findings}


def test_a_plan_without_rules_has_none():
    bare = {k: v for k, v in BREAST.items() if k != "rules"}
    assert rule(600, plan=bare) is None


BIRD = BREAST | {
    "piece": {"food": "chicken-whole", "start_c": 4, "mass_g": 1800, "shape": {"kind": "bird", "mass_g": 1800}},
    "target": {"core_c": 75, "leg_c": 82}, "stages": [{"kind": "oven", "minutes": 90, "medium_c": 180}, {"kind": "rest", "minutes": 15}],
}  # fmt: skip
SIZES = BREAST | {"piece": BREAST["piece"] | {"x-sizes-mm": [18, 25, 32]}}
LEFT = {"at_s": 5400, "kind": "move", "move": "m1"}
IN_LEG = (checked(83.0, 5350),)


def in_part(part, core_c, at_s=5360):
    return checked(core_c, at_s) | {"part": part}


PARTS = [
    # plan, where the reading of its own core is, other checks → met, whether each part is shown
    (BIRD, IN_LEG, (in_part("breast", 76.0),), True, "shown"),
    (BIRD, IN_LEG, (in_part("breast", 70.0),), None, "unknown"),
    (BIRD, IN_LEG, (in_part("breast", 70.0, 5000), in_part("breast", 76.0)), True, "shown"),
    (
        BIRD,
        IN_LEG,
        (in_part("breast", 76.0), in_part("breast", 70.0, 5380)),
        None,
        "unknown",
    ),  # the coldest place counts
    (BIRD, (checked(83.0, 5350), checked(73.0, 5380)), (in_part("breast", 76.0),), None, "shown"),
    (
        BIRD,
        (),
        (in_part("breast", 70.0),),
        None,
        "unknown",
    ),  # nothing was read in the leg: the breast speaks all the same
    (BIRD, (in_part("leg", 83.0),), (in_part("breast", 76.0),), True, "shown"),  # the one that the plan follows
    (SIZES, (checked(78.0, 2380),), (in_part("thickest", 76.0, 2390),), True, "shown"),
    (SIZES, (checked(78.0, 2380),), (in_part("thickest", 66.0, 2390),), None, "unknown"),
    (SIZES, (checked(78.0, 2380),), (), None, "unknown"),
]


@pytest.mark.parametrize(("plan", "own", "others", "met", "parts"), PARTS)
def test_other_parts_read_by_hand(plan, own, others, met, parts):
    """A bird is done when each part is, pieces of several sizes when the thickest is; what was read there says which."""
    last = max(e["at_s"] for e in (*own, *others))
    said = rule(last + 20, *own, *others, plan=plan)
    assert said["met"] is met
    assert {p["id"]: p["state"] for p in said["premises"]}["parts"] == parts


REFUSED = [
    (BREAST, in_part("leg", 80.0), "/events/1/part"), (BIRD, in_part("thickest", 80.0), "/events/1/part"), (SIZES, in_part("leg", 80.0), "/events/1/part"),
    (BIRD, {"at_s": 60, "kind": "check", "check": "touch", "answer": "firm", "part": "leg"}, "/events/1/part"),
]  # fmt: skip


@pytest.mark.parametrize(("plan", "event", "path"), REFUSED)
def test_a_part_that_is_none_of_the_plans_is_refused_by_name(plan, event, path):
    with pytest.raises(InputError) as refused:
        rule(5400, event, plan=plan)
    assert refused.value.path == path


def test_another_part_is_not_believed_of_the_core():
    """What was read in the breast moves no forecast of the leg."""
    document = {"format": "open-ember.cook/1", "plan": BIRD, "now_s": 3000, "events": [{"at_s": 0, "kind": "start"}]}
    cold = document | {"events": [*document["events"], in_part("breast", 20.0, 2900)]}
    alone, told = (replay(running(d), members=32) for d in (document, cold))
    assert told.as_dict()["next"] == alone.as_dict()["next"]
    assert told.as_dict()["core_c"] == alone.as_dict()["core_c"]


DONE = (TURNED, PULLED, EATEN)


@pytest.mark.parametrize(("below_k", "met"), [(2.8, True), (3.2, None)])
def test_a_seared_steak_whose_core_was_read_far_below(below_k, met):
    """Its clause rests on the outside as computed: a core three kelvins colder says that the piece is another."""
    plan = parse(STEAK)
    cook = run(plan, setup(plan))
    read = float(np.interp(500.0, cook.t, cook.core)) - below_k
    assert rule(800, *DONE, checked(read, 500), plan=STEAK)["met"] is met


def of_history(now, *events, plan=BREAST):
    return running(
        {"format": "open-ember.cook/1", "plan": plan, "now_s": now, "events": [{"at_s": 0, "kind": "start"}, *events]}
    )


def test_a_piece_until_it_leaves_what_it_lies_in():
    """Of one still there until the stage's end as foreseen, of one that left until then, of one that is served all."""
    still = piece_until(of_history(600.0), None)
    assert {s.kind for s in still.cook.stages} == {"oven"}
    assert still.cook.t[-1] == pytest.approx(2400.0, abs=1.0)
    assert len(still.plan.stages) == len(still.plan.document["stages"]) == len(still.cook.stages)
    left = piece_until(of_history(2800.0, OUT), 2400.0)
    assert {s.kind for s in left.cook.stages} == {"oven"}
    resting = piece_until(of_history(2600.0, OUT), None)
    assert {s.kind for s in resting.cook.stages} == {"oven", "rest"}
    assert resting.cook.t[-1] == pytest.approx(2700.0, abs=1.0)
    served = piece_until(of_history(3000.0, OUT, SERVED), None)
    assert served.cook.t[-1] == pytest.approx(2700.0, abs=1.0)
    early = piece_until(of_history(600.0), 300.0)
    assert early.cook.t[-1] == pytest.approx(300.0, abs=15.0)
    assert early.cook.peak_core_c < still.cook.peak_core_c


@pytest.mark.parametrize(("k_s", "fastest"), [(0.1, 0.3), (0.3, 0.5), (0.001, 0.02), (0.0065, 0.02), (0.0068, 0.0204)])
def test_the_fastest_a_core_can_move_is_three_times_what_is_computed(k_s, fastest):
    """In bounds; of a core that falls too."""
    plan = parse(BREAST)
    cook = run(plan, setup(plan))
    for sign in (1.0, -1.0):
        made = replace(cook, t=np.array([0.0, 20.0, 40.0]), core=np.array([50.0, 50.0 + sign * 20.0 * k_s, 50.0]))
        assert fastest_rise(made.t, made.core) == pytest.approx(fastest, rel=1e-6)


@pytest.mark.parametrize("until", [0.0, 5.0, 700.0])
def test_a_part_of_a_cook_has_its_first_two_samples_and_no_more_than_is_over(until):
    plan = parse(BREAST)
    whole = run(plan, setup(plan))
    past = cook_until(whole, until, 1)
    assert past.t[0] == 0.0
    assert past.t.size == max(2, int(np.sum(whole.t <= until + 1e-6)))
    assert past.core[-1] == whole.core[past.t.size - 1]


@pytest.mark.parametrize(("at_s", "met"), [(30.0, None), (60.0, None), (300.0, None), (2350.0, True)])
def test_a_reading_that_no_core_can_have_come_up_to_meets_nothing(at_s, met):
    """76 for 7.6, or the thermometer in another piece: minutes after it went into the oven nobody's breast is at 76 °C."""
    assert rule(at_s + 20.0, checked(76.0, at_s))["met"] is met


def test_a_slip_in_another_part_meets_nothing_either():
    slip = rule(120.0, in_part("breast", 76.0, 60.0), plan=BIRD)
    assert {p["id"]: p["state"] for p in slip["premises"]}.get("parts") != "shown"
    assert slip["met"] is None


LOWER = [
    # two readings, events → met: in the heat a lower one found a colder place, in the rest it only cooled
    ((2000, 76.0), (2350, 70.0), (), None), ((2350, 76.0), (2650, 70.0), (OUT,), True), ((2000, 70.0), (2350, 76.0), (), True),
]  # fmt: skip


@pytest.mark.parametrize(("first", "second", "events", "met"), LOWER)
def test_a_later_lower_reading_in_the_heat_counts(first, second, events, met):
    made = [checked(c, at) for at, c in (first, second)]
    assert rule(second[0] + 30, *made, *events)["met"] is met


def test_what_began_a_second_ago_is_no_longer_nothing():
    waiting = rule(0.0)["needs"]
    assert rule(0.5)["needs"] != waiting


@pytest.mark.parametrize(("until", "count", "stages"), [(700.0, 2, 1), (np.inf, 1, 1), (np.inf, 2, 2), (2500.0, 2, 2)])
def test_a_part_of_a_cook_ends_with_its_time_and_its_stages(until, count, stages):
    """Either is enough; only with both at their end is it the whole."""
    plan = parse(BREAST)
    whole = run(plan, setup(plan))
    past = cook_until(whole, until, count)
    assert len(past.stages) == stages
    assert past.t[-1] <= until + 1e-6
    assert (past is whole) is (until == np.inf and count == 2)


def test_a_piece_that_left_at_once_was_in_its_first_stage():
    early = piece_until(of_history(600.0), 0.0)
    assert len(early.plan.stages) == len(early.cook.stages) == 1


def test_a_check_as_computed_and_a_touch_speak_against_nothing():
    """While the core still rises what is read is held against what is computed for that time, not for the end."""
    plan = parse(STEAK)
    cook = run(plan, setup(plan))
    touch = {"at_s": 320, "kind": "check", "check": "touch", "answer": "soft"}
    read = float(np.interp(330.0, cook.t, cook.core))
    assert cook.peak_core_c > read + 4.0
    assert rule(400, TURNED, PULLED, checked(read, 330), touch, plan=STEAK)["met"] is True
