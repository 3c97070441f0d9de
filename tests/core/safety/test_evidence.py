"""Measured logs: what the readings are evidence of, each limit at, just below and just above; judged by rule and model."""

from __future__ import annotations

import json
import time

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from ember_core.errors import InputError
from ember_core.formats.log import loads
from ember_core.formats.plan import parse
from ember_core.plan.finding import Finding, Level
from ember_core.plan.log import Log
from ember_core.safety.arguments import check_arguments
from ember_core.safety.evidence import weigh
from ember_core.safety.measured import by_its_outside, judge_log
from ember_core.safety.rules import profiles
from ember_core.wording.message import say
from tests.conftest import plan_document
from tests.core.safety.histories import stage

US, FSIS, UK, ANZ = "us-food-code-2022", "us-fsis-appendix-a", "uk-fsa", "anz-fsanz-3.2.2"


def steps(*parts):
    """Readings from parts: (count, seconds apart, °C from, °C to)."""
    t, c, now = [], [], 0.0
    for count, apart, low, high in parts:
        for i in range(count):
            t.append(now)
            c.append(low + (high - low) * (i / (count - 1) if count > 1 else 0.0))
            now += apart
    return t, c


def judge(t, c, *, food="chicken-breast", form=None, rules=US, medium=None, surface=None, **more):
    """The answer to a log made of lists."""
    around = [tuple(x) if x else () for x in (surface, medium)]
    return judge_log(Log(tuple(t), tuple(c), around[0], around[1]), rules=rules, food=food, form=form, **more)


def codes(answer):
    """Code → gravest level."""
    out = {}
    for f in answer["findings"]:
        out[f["code"]] = "stop" if "stop" in (f["level"], out.get(f["code"])) else f["level"]
    return out


RISE = (40, 30, 4, 73)  # up to 73 °C in 20 min
ROAST = {"food": "beef-lean", "form": "roast"}
LOGS = [
    # name, log, arguments → met, codes
    ("two readings 8 h apart", ([0, 28800], [60, 60]), ROAST, False, {"gap": "care", "come-up": "stop"}),
    ("12 min at 60 every minute", steps((13, 60, 60, 60.1)), ROAST, True, {}), ("11 min at 60", steps((12, 60, 60, 60.1)), ROAST, False, {}),
    ("every 5 min", steps((4, 300, 60, 60.1)), ROAST, True, {}), ("every 5 min 1 s", steps((4, 301, 60, 60.1)), ROAST, False, {"gap": "care"}),
    ("a hole of 20 s in a dense log", (list(range(360)) + list(range(379, 740)), [60.0 + 0.01 * (i % 2) for i in range(721)]), ROAST, True, {}),
    ("a hole of 21 s in a dense log", (list(range(360)) + list(range(380, 741)), [60.0 + 0.01 * (i % 2) for i in range(721)]), ROAST, False, {"gap": "care"}),
    ("a 15 s row read every 15 s", steps((5, 15, 63, 63.1)), {"food": "hake"}, True, {}),
    ("a 15 s row read every 16 s", steps((5, 16, 63, 63.1)), {"food": "hake"}, False, {}),
    ("6 s at 80 read every 6 s", steps((3, 6, 80, 80.1)), {"rules": UK}, True, {}), ("6 s at 80 read every 7 s", steps((3, 7, 80, 80.1)), {"rules": UK}, False, {}),
    ("one reading of 380", ([*range(0, 600, 60), 600, *range(660, 1200, 60)], [20.0] * 10 + [380.0] + [20.0] * 9), {}, False, {"jump": "care"}),
    ("one of 90, ten minutes apart", ([*range(0, 6000, 600), 6000, *range(6600, 12000, 600)], [20.0] * 10 + [90.0] + [20.0] * 9), {}, False, {"jump": "care"}),
    ("a first reading of 90", steps((1, 60, 90, 90), (20, 60, 20, 20.5)), {}, False, {"jump": "care"}),
    ("a last reading of 90", steps((20, 60, 20, 20.5), (1, 60, 90, 90)), {}, False, {"jump": "care"}),
    ("two readings of 90", steps((20, 5, 20, 20.5), (2, 5, 90, 90), (20, 5, 20, 20.5)), {}, False, {"jump": "care"}),
    ("one of 76 after a hole", ([*range(0, 600, 60), 6000, 6060, 6120], [20.0] * 10 + [59.0, 20.0, 20.0]), {"food": "carrot"}, False, {"jump": "care"}),
    ("three readings of 90", steps((20, 5, 20, 20.5), (3, 5, 90, 90), (20, 5, 20, 20.5)), {}, None, {"jump": "care"}),
    ("a jump that stays", steps((20, 5, 20, 20.5), (200, 5, 75, 76)), {}, None, {"jump": "care"}),
    ("nothing but 120", steps((40, 60, 120, 121)), {}, None, {"jump": "care", "implausible": "care"}),
    ("105 is the most", steps((40, 30, 4, 100), (10, 30, 100, 105)), {}, None, {"implausible": "care"}),
    ("an honest rise", steps(RISE, (20, 30, 73, 75)), {}, True, {}),
    ("a rise of 0.5 K/s", steps((140, 1, 4, 74)), {}, None, {"implausible": "care"}), ("that a thin piece can", steps((140, 1, 4, 74)), {"fastest_k_s": 0.6}, True, {}),
    ("a rise of 0.24 K/s", steps((141, 2, 4, 74)), {}, True, {}),
    ("probe pulled out at the end", steps(RISE, (20, 30, 73, 75), (400, 30, 22, 22.5)), {}, True, {"jump": "care"}),
    ("a probe that never moves", steps((40, 60, 75, 75)), {}, None, {"frozen-probe": "care", "implausible": "care"}),
    ("20 h at 40, then 80", steps((1200, 60, 40, 40.5), (40, 60, 40, 80)), {}, False, {"come-up": "stop"}),
    ("6 h from 10 to 54.4", steps((330, 60, 10, 17), (31, 60, 17, 54.35), (30, 60, 54.35, 75)), {}, True, {}), ("6 h, most of it lukewarm", steps((361, 60, 10, 54.35), (30, 60, 54.35, 75)), {}, False, {}),
    ("6 h 2 from 10 to 54.4", steps((363, 60, 10, 54.3), (30, 60, 54.35, 75)), {}, False, {"come-up": "stop"}),
    ("5 h warm after it was cooked", steps(RISE, (5, 30, 73, 75), (20, 60, 75, 50), (300, 60, 50, 50.5), (10, 60, 50, 60)), {}, False, {"warm-after-cooking": "stop"}),
    ("cooled in time", steps(RISE, (5, 30, 73, 75), (30, 60, 75, 57), (118, 60, 57, 20.9), (200, 60, 20.9, 4)), {}, True, {}),
    ("cooled too slowly", steps(RISE, (5, 30, 73, 75), (30, 60, 75, 57), (125, 60, 57, 20.9), (200, 60, 20.9, 4)), {}, False, {"cooling": "stop"}),
    ("two hours without a reading while it cools", (lambda a, b: (a[0] + [a[0][-1] + 7000 + x for x in b[0]], a[1] + b[1]))(
        steps(RISE, (5, 30, 73, 75), (10, 60, 75, 58)), steps((30, 60, 20, 4))), {}, False, {"cooling": "stop", "gap": "care"}),
    ("the log ends while it cools", steps(RISE, (5, 30, 73, 75), (30, 60, 75, 40)), {}, True, {}),
    ("short of guidance", steps((40, 30, 4, 69)), {"rules": ANZ}, None, {"guidance": "stop"}),
    ("guidance reached", steps((40, 30, 4, 76)), {"rules": ANZ}, None, {"guidance": "note"}),
]  # fmt: skip


@pytest.mark.parametrize(("name", "log", "more", "met", "found"), LOGS, ids=[x[0] for x in LOGS])
def test_what_a_log_shows(name, log, more, met, found):
    """Met, not met, or not to be told; and what is said of the readings."""
    answer = judge(*log, **more)
    assert answer["rule"]["met"] is met
    assert found.items() <= codes(answer).items()
    assert met is not True or "stop" not in codes(answer).values()
    assert met is not False or answer["rule"]["met_at_s"] is None


AROUND = [
    # core, medium or surface → met
    ({"medium": [60.0] * 40}, steps((40, 60, 75, 75.2)), None), ({"surface": [60.0] * 40}, steps((40, 60, 75, 75.2)), None),
    ({"medium": [73.2] * 40}, steps((40, 60, 20, 75.2)), True),
    ({"medium": [71.9] * 40}, steps((40, 60, 20, 75.2)), None), ({"medium": [80.0] * 20 + [20.0] * 20}, steps((20, 60, 20, 60), (20, 60, 60, 75)), True),
    ({"medium": [None] * 20 + [20.0] * 20}, steps((20, 60, 20, 60), (20, 60, 60, 75)), None), ({"medium": [None] * 40}, steps((40, 60, 20, 75)), True),
    ({"medium": [80.0] * 40, "surface": [40.0] * 40}, steps((40, 60, 20, 75)), None), ({"medium": [20.0] * 40}, steps((40, 60, 50, 75)), None),
]  # fmt: skip


@pytest.mark.parametrize(("around", "log", "met"), AROUND)
def test_a_core_hotter_than_all_around_it_is_a_contradiction(around, log, met):
    """Surface and medium may read 2 K below the core they heat, no more; then it cannot be told."""
    answer = judge(*log, **around)
    assert answer["rule"]["met"] is met
    assert ("contradiction" in codes(answer)) is (met is None)


@pytest.mark.parametrize(("margin", "against"), [(1.99, False), (2.01, True)])
def test_the_margin_of_a_contradiction(margin, against):
    """2 K."""
    t = np.arange(10) * 60.0
    assert bool((~weigh(t, np.full(10, 60.0 + margin), None, np.full(10, 60.0)).trusted).any()) is against


def test_readings_come_back_after_a_spike():
    """After a spike the log goes on; what was read before and after counts, and the spike does not."""
    t, c = steps(RISE, (2, 30, 100, 100), (20, 30, 73, 75))
    e = weigh(np.array(t), np.array(c))
    assert (~e.trusted).sum() == (~e.possible).sum() == 2
    assert judge(t, c)["rule"]["met"] is True


@settings(max_examples=100, deadline=None)
@example(69.0, [0.0] * 6 + [-3.0, 0.0, 3.0, -3.0], 13.0, FSIS, 7, 0.0)  # the spike made four swings of one
@example(65.0, [4.0, 0.0, 3.0, 2.0], 1.0, US, 0, 0.0)  # a hole hid that the tip was moved
@given(
    st.floats(50, 74), st.lists(st.floats(-4, 4), min_size=4, max_size=60), st.floats(1, 400), st.sampled_from([US, FSIS, UK]),
    st.integers(0, 58), st.floats(0, 300),
)  # fmt: skip
def test_no_reading_that_cannot_be_makes_it_met(first, moves, apart, rules, at, hot):
    """An impossible reading put between two others, or a hole, never turns what is not met into met."""
    c = np.clip(first + np.cumsum([0.0, *moves]), 0, 104).tolist()
    t = [i * apart for i in range(len(c))]
    before = judge(t, c, rules=rules)["rule"]["met"] is True
    i = min(at, len(c) - 2)
    spiked = [*t[: i + 1], t[i] + apart / 2, *t[i + 1 :]], [*c[: i + 1], 106.0 + hot, *c[i + 1 :]]
    assert (judge(*spiked, rules=rules)["rule"]["met"] is True) == before
    holed = [x if k <= i else x + 5000 for k, x in enumerate(t)]
    after = len(c) - i > 2 and judge(t[i + 1 :], c[i + 1 :], rules=rules)["rule"]["met"] is True  # it stands by itself
    assert judge(holed, c, rules=rules)["rule"]["met"] is not True or before or after


@pytest.mark.parametrize(
    ("rise", "met"), [((69, 69, 72, 74), None), ((69, 71, 73, 75), None), ((73, 73.5, 74, 74.5), True)]
)
def test_a_tip_moved_to_a_hotter_place_shows_that_a_colder_one_is_there(rise, met):
    """Four readings a second apart: a core does not rise by 5 K in 3 s, however little each step is."""
    assert (judge([0.0, 1.0, 2.0, 3.0], [float(c) for c in rise])["rule"]["met"] is True) is (met is True)
    stays = [71.0, 72.5, 73.5, 74.5, *[75.0] * 36]
    assert judge([float(x) for x in range(40)], stays)["rule"]["met"] is True  # it stays there: that is what it reads


def test_the_model_credits_nothing_it_has_not_seen():
    """Inside a hole, and for readings that are no evidence, no reduction is counted."""
    dense = judge(*steps((61, 60, 60, 60.01)))["model"][0]["log10"]
    assert dense == pytest.approx(3600 / (1.26 * 60), rel=0.02)
    assert judge([0, 60, 7200, 7260], [60.0, 60.01, 60.0, 60.01])["model"][0]["log10"] == pytest.approx(
        dense / 30, rel=0.02
    )
    assert judge(*steps((20, 5, 20, 20.5), (200, 5, 75, 76)))["model"][0]["log10"] < 1e-3
    assert judge(*steps((40, 60, 120, 121)))["model"][0]["log10"] == 0


@pytest.mark.parametrize(("error", "met"), [(0.0, True), (1.95, True), (2.06, False)])
def test_a_stated_probe_error_counts_against(error, met):
    """76 °C read: with 2.06 K of error it may be below 73.95."""
    assert judge(*steps(RISE, (20, 30, 73, 76)), probe_error_c=error)["rule"]["met"] is met


def test_long_logs_are_read_and_judged_in_time():
    """A million readings, a sawtooth: a handful of findings, and no slower than a second for each 400,000 on a slow day."""
    text = "t_s,core_c\n" + "\n".join(f"{i},{20 + 40 * (i % 2)}" for i in range(200_000))
    begun = time.process_time()
    log = loads(text)
    answer = judge_log(log, rules=FSIS, food="beef-lean", form="roast")
    assert len(answer["findings"]) <= 4
    assert answer["rule"]["met"] is False
    assert len(json.dumps(answer)) < 5000
    assert time.process_time() - begun < 30  # a guard against quadratic work, not a measurement
    assert loads(text.replace("199999,60", "199999,60\n,\n")) == log  # read line by line, it is the same


BAD = [
    ("t_s,core_c\n-1e308,5\n1e308,6\n", "range", "/2/t_s"), ("t_s,core_c\n0,5\n1e12,6\n", "range", "/3/t_s"),
    ("t_s,core_c\n0,5\n31622401,6\n", "range", "/3/t_s"), ("t_s,core_c\n0,5\n60,\0\n", "type", "/3/core_c"), ("t_s,core_c\n0,5\n\n60,x\n", "type", "/4/core_c"),
    ("t_s,core_c,medium_c\n0,5,\n60,6,500\n", "range", "/3/medium_c"), ("t_s,time,core_c\n0,2026-01-01,5\n", "choice", "/1"),
    ("t_s,core_c\n0,-60.1\n1,5\n", "range", "/2/core_c"), ("t_s,core_c\n0,5\n1,400.1\n", "range", "/3/core_c"), ('t_s,core_c\n0,"5\n1,5\n', "empty", ""),
]  # fmt: skip


@pytest.mark.parametrize(("text", "code", "path"), BAD)
@pytest.mark.parametrize("long", [False, True])
def test_what_cannot_be_read_is_named(text, code, path, long, monkeypatch):
    """Times without end, rubbish and impossible temperatures: the line and column, by both ways of reading."""
    monkeypatch.setattr("ember_core.formats.log.LONG", 0 if long else 10**9)
    with pytest.raises(InputError) as caught:
        loads(text)
    assert (caught.value.code, caught.value.path) == (code, path)


@pytest.mark.parametrize(("food", "form", "path"), [("chicken-breast", "steak", "--form"), ("hake", "roast", "--form"), ("beef-mince", "steak", "--form"),
                                                    ("wild-boar", "minced", "--form"), ("unicorn", "steak", "--food"), ("hake", "jelly", "--form")])  # fmt: skip
def test_a_log_is_judged_as_what_it_is(food, form, path):
    """The same forms as for plans."""
    with pytest.raises(InputError) as caught:
        judge(*steps((40, 60, 20, 75)), food=food, form=form)
    assert caught.value.path == path


def test_a_log_of_a_plan_keeps_the_plans_conditions():
    """The plan's oven decides whether the rows for whole roasts count, whether a moist oven was one, and whether it is whole."""
    log = Log(*steps((90, 30, 4, 57), (60, 60, 57.3, 57.4)))
    piece = {
        "food": "beef-lean",
        "form": "roast",
        "start_c": 4,
        "shape": {"kind": "slab", "thickness_mm": 60},
        "mass_g": 2000,
    }
    for heat, rules, met in ((stage("oven", 80, medium_c=180), US, True), (stage("oven", 80, medium_c=100), US, False),
                             (stage("oven", 80), FSIS, None), (stage("oven", 80, humidity=0.95), FSIS, True), (stage("oven", 80, humidity=0.5), FSIS, False)):  # fmt: skip
        plan = parse(plan_document(piece=piece, stages=[heat, stage("rest", 20)], rules=rules, target={}))
        assert judge_log(log, rules=rules, food="beef-lean", form="roast", plan=plan)["rule"]["met"] is met
    assert judge_log(log, rules=US, food="beef-lean", form="roast")["rule"]["met"] is True


SHORT = {"met": False, "clause": "3-401.11(A)(1)", "needs": "", "met_at_s": None, "remaining_s": None,
         "premises": [{"id": "clause", "state": "broken", "by": "", "needs": ""}]}  # fmt: skip
STOPS = [Finding("x", Level.STOP, say(""), "")]


@pytest.mark.parametrize(
    ("rule", "planned", "findings", "met"),
    [
        (SHORT, {"met": True, "clause": "3-401.11(C)", "needs": "Met.", "met_at_s": 9.0, "remaining_s": 0.0}, [], True),
        (
            SHORT,
            {"met": True, "clause": "3-401.11(C)", "needs": "Met.", "met_at_s": 9.0, "remaining_s": 0.0},
            STOPS,
            False,
        ),
        (
            SHORT,
            {"met": True, "clause": "3-401.11(A)(1)", "needs": "Met.", "met_at_s": 9.0, "remaining_s": 0.0},
            [],
            False,
        ),
        (SHORT, {"met": False, "clause": "3-401.11(C)", "needs": "", "met_at_s": None, "remaining_s": None}, [], False),
        (SHORT, None, [], False),
    ],
)
def test_a_core_log_of_a_seared_piece(rule, planned, findings, met):
    """What the probe cannot see is taken from the plan as it was cooked, and said; a stop keeps it from being met."""
    answer = by_its_outside(rule, planned, profiles()[US], findings)
    assert answer["met"] is met
    assert ("not measured" in answer["needs"]) is met


def roast_plan(heat, rules=US, **piece):
    """A roast of 2 kg and its heat."""
    made = {
        "food": "beef-lean",
        "form": "roast",
        "start_c": 4,
        "shape": {"kind": "slab", "thickness_mm": 60},
        "mass_g": 2000,
    } | piece
    return parse(
        plan_document(
            piece={k: v for k, v in made.items() if v}, stages=[heat, stage("rest", 20)], rules=rules, target={}
        )
    )


def test_why_it_cannot_be_told():
    """The plan's missing condition, the readings' jump, or their contradiction; in that order."""
    held, jump = steps((30, 30, 4, 57), (60, 60, 57.3, 57.4)), steps((20, 5, 20, 20.5), (60, 60, 57.3, 57.4))
    args = {"rules": US, "food": "beef-lean", "form": "roast"}
    large = roast_plan(stage("oven", 80, medium_c=125), mass_g=None)
    for log, plan, words in ((held, large, "State the mass."), (jump, roast_plan(stage("oven", 80)), "follow a jump that no piece makes."),
                             (jump, large, "follow a jump that no piece makes."), (steps((2, 5, 20, 20.1)), None, "")):  # fmt: skip
        rule = judge_log(Log(*log), **args, plan=plan)["rule"]
        assert rule["needs"].endswith(words)
        assert rule["met"] is (None if words else False)
    hot = steps((60, 60, 57.3, 57.4))
    rule = judge_log(Log(*hot, medium_c=(50.0,) * 60), **args)["rule"]
    assert rule["needs"] == "Not known: the readings that would meet it contradict surface or medium."
    assert (rule["met_at_s"], rule["remaining_s"]) == (2160.0, None)  # as it would be, were they the core's


def test_two_readings_are_a_log_and_one_is_none():
    """Two trusted readings can meet an instant row; one cannot; none says so and credits nothing."""
    assert judge([0, 60], [73.0, 75.0])["rule"]["met"] is True
    one, none = judge([0, 60, 120], [75.0, 120.0, 130.0]), judge([0, 60], [120.0, 130.0])
    for answer in (one, none):
        assert (answer["rule"]["met"], answer["rule"]["met_at_s"], answer["rule"]["remaining_s"]) == (None, None, None)
        assert "hotter than water boils" in answer["rule"]["needs"]
    assert [m["log10"] for m in none["model"]] == [0.0, 0.0]
    assert judge([0, 60], [120.0, 130.0], rules=ANZ)["rule"]["needs"].startswith("The standard has no numeric")
    assert judge([0, 60, 120, 180], [75.0, 120.0, 130.0, 75.0])["model"][0]["log10"] > 100


COURSES = [
    # log → codes that are stops
    ("cooled from a core of 56", steps((30, 30, 4, 56), (2, 60, 56, 55.9), (130, 60, 55, 20.9), (10, 60, 20.9, 20)), {"food": "hake"}, {"cooling"}),
    ("cooled from a core of 56 in time", steps((30, 30, 4, 56), (2, 60, 56, 55.9), (115, 60, 55, 20.9), (10, 60, 20.9, 20)), {"food": "hake"}, set()),
    ("stays above 54.4", steps((30, 30, 4, 75), (300, 60, 75, 54.5)), {}, set()), ("a roast at 54.1 for 5 h", steps((30, 30, 4, 75), (30, 60, 75, 54.1), (300, 60, 54.1, 54.15), (2, 60, 54.2, 55)), ROAST, set()),
    ("a bird at 54.1 for 5 h", steps((30, 30, 4, 75), (30, 60, 75, 54.1), (300, 60, 54.1, 54.15), (2, 60, 54.2, 55)), {}, {"warm-after-cooking", "cooling"}),
    ("left in the room at the end", steps((30, 30, 4, 75), (60, 60, 75, 30), (100, 60, 30, 25)), {}, {"cooling"}),
    ("probe pulled out, then hours of air", steps((30, 30, 4, 75), (600, 60, 22, 22.5)), {}, set()),
]  # fmt: skip


@pytest.mark.parametrize(("name", "log", "more", "stops"), COURSES, ids=[c[0] for c in COURSES])
def test_what_follows_in_a_log(name, log, more, stops):
    """Cooling counts from the last reading near the peak; a roast may stand at 54 °C; what the probe reads in air is not the food."""
    assert {f["code"] for f in judge(*log, **more)["findings"] if f["level"] == "stop"} == stops


@pytest.mark.parametrize(("error", "fine"), [(0.0, True), (10.0, True), (10.01, False), (-0.01, False)])
def test_a_probe_error_has_bounds(error, fine):
    """0 to 10 K."""
    if fine:
        check_arguments(US, "hake", "fish", error)
        assert judge(*steps(RISE), probe_error_c=error)["rule"]["met"] is False
        return
    with pytest.raises(InputError) as caught:
        check_arguments(US, "hake", "fish", error)
    assert caught.value.path == "--probe-error-c"


def test_arguments_are_checked_before_the_log_is_read():
    """Rules, form, food, and a form against its food."""
    for args, path in (
        (("none", "hake", "fish"), "--rules"),
        ((US, "hake", "soup"), "--form"),
        ((US, "elk", "fish"), "--food"),
        ((US, "hake", "roast"), "--form"),
    ):
        with pytest.raises(InputError) as caught:
            check_arguments(*args, 0.0)
        assert caught.value.path == path
