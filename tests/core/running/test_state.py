"""The state of a running piece: what comes, what it is, what went otherwise; readings and checks brought in."""

from __future__ import annotations

import json
from itertools import pairwise

import numpy as np
import pytest
from jsonschema import Draft202012Validator

from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.running.history import running
from ember_core.running.state import back_on, replay, words_of
from tests.conftest import plan_document
from tests.core.formats.test_formats import schema
from tests.core.running.test_history import PLANS, START, TO_OVEN, told

BATH = plan_document(
    stages=[
        {"kind": "bath", "minutes": 200, "medium_c": 60, "until": {"peak_core_c": 55}},
        {"kind": "rest", "minutes": 5},
    ]
)
LATE = {"at_s": 2060, "kind": "move", "move": "m3"}
EARLY = {"at_s": 1060, "kind": "move", "move": "m3"}


def state(*args, **more):
    return replay(running(told(*args, **more)), members=96)


def codes(found):
    return {f.code for f in found.findings}


@pytest.mark.parametrize("name", PLANS)
def test_every_state_keeps_to_its_format(name):
    """By the published schema: nothing is found that does not keep to it."""
    found = json.loads(json.dumps(state(200, START, plan=PLANS[name]).as_dict()))
    assert list(Draft202012Validator(schema("state-1")).iter_errors(found)) == []


def test_nothing_told_it_is_the_history():
    """Core and pull are those of the plan; the band lies round them."""
    plan = parse(BATH | {"report_at_s": [900]})
    own = run(plan, setup(plan))
    found = state(900, START, plan=BATH).as_dict()
    assert found["core_c"] == pytest.approx(float(np.interp(900, own.t, own.core)), abs=0.02)
    assert found["next"]["move"] == "m1"
    assert found["next"]["kind"] == "pull"
    assert found["next"]["at_s"] == pytest.approx(own.pull_s, rel=2e-3)
    assert found["next"]["p5"] < found["next"]["p50"] < found["next"]["p95"]
    assert found["stage"] == 0


@pytest.mark.parametrize("late", [4.0, 40.0, 240.0])
@pytest.mark.parametrize(
    ("until", "kind", "rest"),
    [
        ({"mean_c": 12.0}, "pan", {"faces": {"a": {"medium_c": 220}}}),
        ({"surface_c": 110.0}, "pan", {"faces": {"a": {"medium_c": 220}}}),
        ({"core_c": 9.0}, "oven", {"medium_c": 150}),
        ({"core_c": 70.0}, "oven", {"medium_c": 150}),  # it is not reached: its limit ends it
        (None, "oven", {"medium_c": 150}),
    ],
)
def test_a_move_that_nobody_did_is_due_since_then(until, kind, rest, late):
    """Not when its stage would come back to what it waited for, nor at its limit: now, and it says since when."""
    first = {"kind": kind, "minutes": 15.0 if until else 4.0} | rest | ({"until": until} if until else {})
    plan = plan_document(
        stages=[
            first,
            {"kind": "oven", "minutes": 30, "medium_c": 130, "until": {"peak_core_c": 55}},
            {"kind": "rest", "minutes": 5},
        ]
    )
    own = run(parse(plan), setup(parse(plan))).stages[0].end_s
    before = state(own - 4.0, START, plan=plan).as_dict()["next"]
    assert (before["move"], before["fell_due_s"]) == ("m1", None)
    assert before["at_s"] == pytest.approx(own, abs=1.0)
    after = state(own + late, START, plan=plan).as_dict()["next"]
    assert (after["move"], after["kind"]) == ("m1", before["kind"])
    assert after["at_s"] == pytest.approx(own + late, abs=1.0)
    assert after["fell_due_s"] == pytest.approx(own, abs=3.0)


def test_a_late_pull_says_what_it_will_reach_and_what_to_do():
    """The peak is that of the real minutes; the cold is offered, or another doneness."""
    found = state(2100, *TO_OVEN, LATE)
    by_hand = {**running(told(2100, *TO_OVEN, LATE)).plan.document}
    plan = parse(by_hand)
    assert found.as_dict()["peak"]["core_c"] == pytest.approx(run(plan, setup(plan)).peak_core_c, abs=0.01)
    assert found.as_dict()["peak"]["core_c"] > 56.5
    assert "past-target" in codes(found)
    assert codes(found) & {"colder-rest", "as-it-is"}


def test_an_early_pull_is_put_back_and_gets_there():
    """The minutes that are offered, done, land it at its target."""
    short = running(told(1100, *TO_OVEN, EARLY))
    found = replay(short, members=64)
    assert {"short-of-target", "back-on"} <= codes(found)
    seconds, kind, _later = back_on(short, 55.0)
    assert kind == "oven"
    back = {
        "at_s": 1100,
        "kind": "stage",
        "stage": {"kind": "oven", "medium_c": 120, "minutes": seconds / 60.0},
        "then": "m3",
    }
    done = state(1101, *TO_OVEN, EARLY, back)
    assert done.as_dict()["peak"]["core_c"] == pytest.approx(55.0, abs=0.3)
    assert done.next.id == "m3"


def test_left_in_too_long_it_says_off_now():
    found = state(2600, *TO_OVEN)
    assert "past-target" in codes(found)
    assert found.as_dict()["next"]["at_s"] == pytest.approx(2600, abs=2)
    assert state(900, *TO_OVEN).findings[:1] != found.findings[:1]


def test_the_burner_turned_down_is_later():
    """Pulls by the heat of the oven: cooler is later, hotter sooner."""
    at = [
        state(900, *TO_OVEN, {"at_s": 600, "kind": "medium", "medium_c": c}).as_dict()["next"]["at_s"]
        for c in (100, 120, 150)
    ]
    assert at[0] > at[1] > at[2]


def test_served_there_is_nothing_to_come():
    found = state(
        2500, *TO_OVEN, {"at_s": 1800, "kind": "move", "move": "m3"}, {"at_s": 2300, "kind": "move", "move": "m4"}
    ).as_dict()
    assert found["next"] is None
    assert found["stage"] is None


def readings(of, until, count=24, off=0.0):
    """What a probe read of a cook, with noise of a fixed seed."""
    rng = np.random.default_rng(3)
    t = np.linspace(30, until, count)
    return [
        {"t_s": float(x), "core_c": float(np.interp(x, of.t, of.core) + off + 0.15 * rng.standard_normal())} for x in t
    ]


@pytest.mark.parametrize("k_scale", [0.85, 1.15])
def test_readings_move_what_comes(k_scale):
    """A piece that conducts less comes later: told by a probe, also after its heat was changed."""
    event = {"at_s": 300, "kind": "medium", "medium_c": 62}
    r = running(told(1200, START, event, plan=BATH))
    from dataclasses import replace as changed

    from ember_core.heat.cook import Variation
    from ember_core.heat.setup import DRYING_SCALE

    s = setup(r.plan)
    true = run(r.plan, s, vary=changed(Variation(s.length, 1.0, 1.0, DRYING_SCALE, s.start_c), k_scale=k_scale))
    before = replay(r, members=128).as_dict()
    after = replay(running(told(1200, START, event, plan=BATH, readings=readings(true, 1190))), members=128).as_dict()
    wide = [x["next"]["p95"] - x["next"]["p5"] for x in (before, after)]
    assert wide[1] < 0.6 * wide[0]
    assert (after["next"]["p50"] > before["next"]["p50"]) is (k_scale < 1.0)
    assert abs(after["core_c"] - float(np.interp(1200, true.t, true.core))) < 0.6


def test_checks_move_what_is_believed():
    """Each answer in its order, warmer and sooner; a trained hand narrows more."""
    at = {"at_s": 1790, "kind": "check", "check": "tester", "width": "trained"}
    found = [state(1800, START, at | {"answer": a}, plan=BATH).as_dict() for a in ("lukewarm", "warm")]
    nothing = state(1800, START, plan=BATH).as_dict()
    assert found[0]["core_c"] < found[1]["core_c"]
    assert found[0]["next"]["p50"] > found[1]["next"]["p50"]
    wide = {}
    for width in ("trained", "untrained"):
        x = state(1800, START, at | {"answer": "lukewarm", "width": width}, plan=BATH).as_dict()["next"]
        wide[width] = x["p95"] - x["p5"]
    assert wide["trained"] < wide["untrained"] <= 1.02 * (nothing["next"]["p95"] - nothing["next"]["p5"])


def test_an_opened_egg_that_floats_is_further_on():
    """It tells of the whole, whose yolk is cold still: a little, as a clock would; and nothing beside what it lies next to."""
    shape = {"kind": "egg", "mass_g": 60, "opened": True}
    egg = plan_document(
        piece={"food": "egg-whole", "mass_g": 60, "shape": shape, "start_c": 5}, target={"yolk": "runny"},
        stages=[{"kind": "simmer", "minutes": 12, "medium_c": 90, "until": {"yolk": "runny"}}],
    )  # fmt: skip
    at = {"at_s": 235, "kind": "check", "check": "floats", "width": "trained"}
    told_now = [state(240, START, at | {"answer": a}, plan=egg) for a in ("lies below", "floats")]
    lies, floats = (x.belief for x in told_now)
    nothing = state(240, START, plan=egg).belief
    assert lies.band(lies.core_c)[1] < floats.band(floats.core_c)[1]
    assert np.ptp(lies.band(lies.core_c)) < 1.1 * np.ptp(nothing.band(nothing.core_c))
    assert told_now[0].next.id == told_now[1].next.id == "m1"


def test_a_check_against_all_that_is_known_is_asked_about():
    hot = state(
        400, START, {"at_s": 390, "kind": "check", "check": "tester", "answer": "hot", "width": "trained"}, plan=BATH
    )
    assert "probe-doubted" in codes(hot)
    assert "is it the thin end" in " ".join(f.message for f in hot.findings)
    fits = state(400, START, {"at_s": 390, "kind": "check", "check": "tester", "answer": "cold"}, plan=BATH)
    assert "probe-doubted" not in codes(fits)


def test_a_thermometer_by_hand_is_a_check():
    at = {"at_s": 1790, "kind": "check", "check": "thermometer", "width": 0.5}
    low, high = (state(1800, START, at | {"core_c": c}, plan=BATH).as_dict() for c in (44.0, 50.0))
    assert low["core_c"] == pytest.approx(44.0, abs=1.5)
    assert high["core_c"] == pytest.approx(50.0, abs=1.5)
    with pytest.raises(EmberError) as said:
        state(1800, START, {"at_s": 20, "kind": "check", "check": "tester", "answer": "blue"}, plan=BATH)
    assert "answer" in said.value.path


def test_words_part_the_cores():
    """Every core has one word; a higher core is never a lower word."""
    words = words_of(parse(BATH))
    assert all(a[2] == b[1] for a, b in pairwise(words))
    assert words[0][1] == -np.inf
    assert words[-1][2] == np.inf
    assert words_of(parse(PLANS["egg"])) == []


def test_the_verdict_goes_through_its_words():
    order = [str(w[0]) for w in words_of(parse(BATH))]
    found = [state(t, START, plan=BATH).verdict for t in (600, 2400, 4000, 7000)]
    at = [order.index(v.word) for v in found]
    assert at == sorted(at)
    assert at[-1] > at[0]
    assert all(0.0 < v.odds <= 1.0 for v in found)
    assert found[0].past_in_s > 0


def test_a_bird_and_an_egg_are_answered_too():
    bird = {
        "format": "open-ember.plan/1", "piece": {"food": "chicken-whole", "shape": {"kind": "bird", "mass_g": 1600}, "start_c": 5},
        "target": {"core_c": 72}, "stages": [{"kind": "oven", "minutes": 240, "medium_c": 180, "until": {"core_c": 72}}, {"kind": "rest", "minutes": 15}],
    }  # fmt: skip
    assert state(1800, START, plan=bird).as_dict()["core_c"] > 5
    egg = state(300, START, plan=PLANS["egg"]).as_dict()
    assert egg["verdict"] is None
    assert egg["egg"]["yolk"]["word"] == "syrupy"


OVEN = plan_document(
    stages=[
        {"kind": "oven", "minutes": 300, "medium_c": 200, "until": {"peak_core_c": 55}},
        {"kind": "rest", "minutes": 5},
    ]
)  # fmt: skip
PAN = plan_document(
    stages=[
        {"kind": "pan", "minutes": 30, "faces": {"b": {"medium_c": 170}}, "until": {"peak_core_c": 40}},
        {"kind": "rest", "minutes": 5},
    ]
)  # fmt: skip


def pan_says(answer, width="trained"):
    check = {"at_s": 60, "kind": "check", "check": "pan", "answer": answer, "width": width}
    return state(60, START, check, plan=PAN)


def test_what_the_pan_does_moves_the_pull():
    """Butter that only foams is a cooler pan, oil that smokes a hotter one; one that knows less moves it less."""
    cool, hot, unsure = pan_says("butter foams"), pan_says("oil smokes"), pan_says("oil smokes", "untrained")
    pulls = [s.as_dict()["next"]["at_s"] for s in (hot, unsure, cool)]
    assert pulls == sorted(pulls)
    assert float(hot.belief.weights @ hot.belief.medium_c) > float(cool.belief.weights @ cool.belief.medium_c) + 5.0


def test_a_pan_that_cannot_be_is_asked_about():
    """No hiss, where the plan has 170 °C: say what it is."""
    said = " ".join(f.message for f in pan_says("no hiss").findings)
    assert "where the plan has 17" in said
    assert "probe-doubted" not in codes(pan_says("butter browns"))


def test_how_far_in_a_cut_is_grey_tells_of_the_pull():
    """The same pink middle: the more is grey, the hotter it goes in behind it, and the sooner it is off."""

    def cut(**more):
        check = {"at_s": 1500, "kind": "check", "check": "cut", "answer": "red", "width": "trained"} | more
        return state(1500, START, check, plan=OVEN)

    little, much = cut(grey=0.05), cut(grey=0.6)
    assert much.belief.weights @ much.belief.pull_s < little.belief.weights @ little.belief.pull_s
    assert not np.array_equal(cut().belief.weights, much.belief.weights)


@pytest.mark.parametrize(
    "wrong", [{"check": "tester", "answer": "warm", "grey": 0.5}, {"check": "cut", "answer": "red", "grey": 1.5}]
)
def test_only_a_cut_has_a_grey_share(wrong):
    with pytest.raises(EmberError) as caught:
        state(300, START, {"at_s": 200, "kind": "check"} | wrong, plan=BATH)
    assert caught.value.path == "/events/1/grey"


EGG = plan_document(
    piece={"food": "egg-whole", "form": "egg-now", "shape": {"kind": "egg", "mass_g": 58.0}, "start_c": 4.0},
    stages=[{"kind": "boil", "minutes": 40, "until": {"yolk": "jammy"}}, {"kind": "rest", "minutes": 6}],
    target={"yolk": "jammy"},
)  # fmt: skip


@pytest.mark.parametrize(("late_s", "pulled", "says", "codes_"), [
    (0, False, "", set()), (150, False, "Into iced water now", {"past-target", "colder-rest"}), (150, True, "then it is jammy", {"past-target", "colder-rest"}),
    (-200, True, "back into the water", {"short-of-target"}), (-200, False, "", set()),
])  # fmt: skip
def test_an_egg_that_stayed_in_goes_into_ice(late_s, pulled, says, codes_):
    """Late: what the yolk becomes, and what iced water would make of it; in time, or still in the water too early: nothing."""
    due = state(10, START, plan=EGG).next.offset_s
    now = due + late_s
    events = [START, {"at_s": now - 5, "kind": "move", "move": "m1"}] if pulled else [START]
    found = state(now, *events, plan=EGG)
    assert says in " ".join(f.message for f in found.findings)
    assert codes_ == codes(found) & {"past-target", "short-of-target", "colder-rest", "as-it-is", "back-on"}


def test_an_egg_that_is_in_ice_already_is_served_as_it_is():
    iced = EGG | {"stages": [EGG["stages"][0], {"kind": "chill", "variant": "ice-water", "medium_c": 1, "minutes": 5}]}
    due = state(10, START, plan=iced).next.offset_s
    found = state(due + 245, START, {"at_s": due + 240, "kind": "move", "move": "m1"}, plan=iced)
    assert "as-it-is" in codes(found)
