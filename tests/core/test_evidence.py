"""Measured logs: what the readings are evidence of, each limit at, just below and just above; judged by rule and model."""

from __future__ import annotations

import json
import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ember_core.errors import InputError
from ember_core.formats.log import Log, loads
from ember_core.formats.plan import parse
from ember_core.safety import evidence
from ember_core.safety.evidence import holes, weigh
from ember_core.safety.measured import by_its_outside, check_arguments, judge_log
from ember_core.safety.rules import profiles
from tests.conftest import plan_document
from tests.core.histories import stage

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
    ("nothing but 120", steps((40, 60, 120, 121)), {}, False, {"jump": "care"}),
    ("105 is the most", steps((40, 30, 4, 100), (10, 30, 100, 105)), {}, True, {}),
    ("an honest rise", steps(RISE, (20, 30, 73, 75)), {}, True, {}),
    ("a rise of 0.5 K/s", steps((140, 1, 4, 74)), {}, True, {}),
    ("probe pulled out at the end", steps(RISE, (20, 30, 73, 75), (400, 30, 22, 22.5)), {}, True, {"jump": "care"}),
    ("a probe that never moves", steps((40, 60, 75, 75)), {}, True, {"frozen-probe": "care"}),
    ("20 h at 40, then 80", steps((1200, 60, 40, 40.5), (40, 60, 40, 80)), {}, False, {"come-up": "stop"}),
    ("6 h from 10 to 54.4", steps((361, 60, 10, 54.35), (30, 60, 54.35, 75)), {}, True, {}),
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
    assert (answer["rule"]["met_at_s"] is None) is (met is not True)


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


JUMPS = [
    # dt, rise → trusted (5 K and 0.5 K/s, at most 40 K)
    (1, 5.4, True), (1, 5.6, False), (20, 14.9, True), (20, 15.1, False), (60, 34.9, True), (60, 35.1, False), (200, 39.9, True), (200, 40.1, False),
]  # fmt: skip


@pytest.mark.parametrize(("dt", "rise", "trusted"), JUMPS)
def test_how_fast_a_core_can_rise(dt, rise, trusted):
    """From one reading to the next, and with a slower piece less."""
    t = np.array([0.0, dt, 2.0 * dt, 3.0 * dt])
    core = np.array([20.0, 20.0, 20.0 + rise, 20.0 + rise])
    assert bool(weigh(t, core).trusted[2]) is trusted
    assert not weigh(t, core, fastest_k_s=0.0).trusted[2]
    assert bool(weigh(t, core[::-1].copy()).left == 4) is (rise <= 5 + 0.5 * dt)


def test_readings_come_back_after_a_spike():
    """After a spike the log goes on; what was read before and after counts, and the spike does not."""
    t, c = steps(RISE, (2, 30, 100, 100), (20, 30, 73, 75))
    e = weigh(np.array(t), np.array(c))
    assert (~e.trusted).sum() == (~e.possible).sum() == 2
    assert judge(t, c)["rule"]["met"] is True


@pytest.mark.parametrize(("apart", "frozen"), [(90, False), (91, False), (101, True)])
def test_frozen(apart, frozen):
    """Ten readings or more over more than a quarter of an hour without any change."""
    t = np.arange(10) * float(apart)
    said = [f["code"] for f in weigh(t, np.full(10, 50.0)).findings]
    assert ("frozen-probe" in said) is frozen
    assert "frozen-probe" not in [f["code"] for f in weigh(t, np.arange(10) * 0.002 + 50.0).findings]
    assert "frozen-probe" not in [f["code"] for f in weigh(t[:9] * 2, np.full(9, 50.0)).findings]


@settings(max_examples=150, deadline=None)
@given(st.lists(st.floats(1, 900), min_size=3, max_size=40), st.integers(0, 38))
def test_a_hole_stays_a_hole(apart, at):
    """No interval over five minutes is bridged, and leaving a reading out never closes one."""
    t = np.cumsum([0.0, *apart])
    found = holes(t)
    assert found[np.diff(t) > evidence.APART_S].all()
    assert not found[np.diff(t) <= evidence.GAP_LEAST_S].any()
    fewer = np.delete(t, min(at + 1, t.size - 2))
    assert holes(fewer)[np.diff(fewer) > evidence.APART_S].all()


@settings(max_examples=100, deadline=None)
@given(
    st.floats(50, 74), st.lists(st.floats(-4, 4), min_size=4, max_size=60), st.floats(1, 400), st.sampled_from([US, FSIS, UK]),
    st.integers(0, 58), st.floats(0, 300),
)  # fmt: skip
def test_no_reading_that_cannot_be_makes_it_met(first, moves, apart, rules, at, hot):
    """An impossible reading put between two others, or a hole, never turns what is not met into met."""
    c = np.clip(first + np.cumsum([0.0, *moves]), 0, 104).tolist()
    t = [i * apart for i in range(len(c))]
    before = judge(t, c, rules=rules)["rule"]["met"]
    i = min(at, len(c) - 2)
    assert (
        judge([*t[: i + 1], t[i] + apart / 2, *t[i + 1 :]], [*c[: i + 1], 106.0 + hot, *c[i + 1 :]], rules=rules)[
            "rule"
        ]["met"]
        == before
    )
    assert (
        judge([x if k <= i else x + 5000 for k, x in enumerate(t)], c, rules=rules)["rule"]["met"] is not True
        or before is True
    )


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
    log = Log(*steps((30, 30, 4, 57), (60, 60, 57.3, 57.4)))
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


SHORT = {"met": False, "clause": "3-401.11(A)(1)", "needs": "", "met_at_s": None, "remaining_s": None}
STOPS = [{"code": "x", "level": "stop", "message": "", "source": ""}]


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


N = None
WEIGHED = [
    # times, core, surface, medium → trusted, possible, left, findings (code and its words)
    ("steady", [0, 10, 20], [20, 21, 22], N, N, "111", "111", 3, {}),
    ("105 and over", [0, 100, 200, 300], [70, 100, 105, 105.1], N, N, "1110", "1110", 4, {"jump": "once (first at 300 s, 105.1 °C)"}),
    ("a peak of 20 K", [0, 100, 200], [20, 40, 20], N, N, "111", "111", 3, {}),
    ("a peak of 18.5 K", [0, 100, 200], [20, 38.5, 20], N, N, "111", "111", 3, {}),
    ("a peak of 20.1 K", [0, 100, 200, 300], [20, 40.1, 20, 20], N, N, "1011", "1011", 4, {"jump": "once (first at 100 s, 40.1 °C)"}),
    ("a peak over the higher neighbour", [0, 100, 200, 300], [20, 45, 30, 30], N, N, "1111", "1111", 4, {}),
    ("a first reading that falls as a piece can", [0, 10, 20], [35, 25, 25], N, N, "111", "111", 3, {}),
    ("a first reading that falls faster", [0, 10, 20], [35.1, 25, 25], N, N, "011", "011", 3, {"jump": "once (first at 0 s, 35.1 °C)"}),
    ("two first readings", [0, 10, 20, 30], [120, 90, 20, 20], N, N, "0011", "0011", 4, {"jump": "2 times (first at 0 s, 120.0 °C)"}),
    ("a last reading alone", [0, 10, 20], [20, 20, 90], N, N, "110", "110", 3, {"jump": "once (first at 20 s, 90.0 °C)"}),
    ("a jump that stays", [0, 10, 20, 30, 40], [20, 20, 60, 60, 60], N, N, "11000", "11111", 5, {"jump": "3 times (first at 20 s, 60.0 °C)"}),
    ("a jump that comes back below where it could have been", [0, 10, 20, 30, 40, 50], [20, 20, 60, 60, 60, 30], N, N, "110001", "111111", 6, {"jump": "3 times"}),
    ("and stays above it", [0, 10, 20, 30, 40, 50], [20, 20, 60, 60, 60, 30.1], N, N, "110000", "111111", 6, {"jump": "4 times"}),
    ("40 K in a long step", [0, 200, 400], [20, 60, 60], N, N, "111", "111", 3, {}),
    ("40.1 K in a long step", [0, 200, 400, 600, 800], [20, 60.1, 60.1, 60.1, 60.1], N, N, "10000", "11111", 5, {"jump": "4 times"}),
    ("pulled out", [0, 100, 200, 210, 220], [20, 50, 70, 22, 22], N, N, "11111", "11111", 3, {"jump": "2 times (first at 210 s, 22.0 °C)"}),
    ("a fall that a piece can make", [0, 100, 200, 210, 220], [20, 50, 70, 60, 50], N, N, "11111", "11111", 5, {}),
    ("a fall and back", [0, 100, 200, 210, 220, 230], [20, 50, 70, 22, 70, 70], N, N, "111111", "111111", 3, {"gap": "once", "jump": "once (first at 210 s, 22.0 °C)"}),
    ("a fall before the peak", [0, 10, 20, 60, 160, 260], [22, 22, 4, 6, 30, 50], N, N, "111111", "111111", 6, {"jump": "once (first at 20 s, 4.0 °C)"}),
    ("alone after a hole", [0, 60, 120, 5000, 5010, 5020], [20, 20, 20, 50, 30, 30], N, N, "111011", "111011", 6, {"gap": "4,880 s, once (first after 120 s)", "jump": "once"}),
    ("borne out after a hole", [0, 60, 120, 5000, 5010, 5020], [20, 20, 20, 50, 40, 40], N, N, "111111", "111111", 6, {"gap": "once"}),
    ("the last after a hole", [0, 60, 120, 5000], [20, 20, 20, 50], N, N, "1111", "1111", 4, {"gap": "once"}),
    ("alone, but no hole before it", [0, 60, 120, 420, 430, 440], [20, 20, 20, 40, 29, 29], N, N, "111111", "111111", 4, {"jump": "once (first at 430 s, 29.0 °C)"}),
    ("a fall, then a spike", [0, 10, 20, 30, 40], [60, 60, 20, 120, 60], N, N, "11101", "11101", 2, {"jump": "2 times (first at 20 s, 20.0 °C)"}),
    ("a spike, then a fall", [0, 10, 20, 30, 40, 50], [60, 60, 120, 60, 20, 20], N, N, "110111", "110111", 4, {"jump": "3 times (first at 20 s, 120.0 °C)"}),
    ("a fall and a spike before the peak", [0, 10, 20, 60, 70, 160, 260], [22, 22, 4, 6, 120, 30, 50], N, N, "1111011", "1111011", 7, {"jump": "2 times"}),
    ("a peak in three", [0, 200, 400], [20, 55, 20], N, N, "101", "101", 3, {"jump": "once"}),
    ("two impossible ones first", [0, 10, 20], [120, 130, 20], N, N, "001", "001", 3, {"jump": "2 times"}),
    ("a first that falls as a piece can, and a jump", [0, 10, 20, 30], [35, 25, 25, 90], N, N, "1110", "1110", 4, {"jump": "once"}),
    ("alone after a hole, and the end", [0, 60, 120, 5000, 5010], [20, 20, 20, 50, 30], N, N, "11101", "11101", 5, {"gap": "once", "jump": "once"}),
    ("the last after a hole, with a spike", [0, 10, 20, 30, 5000], [20, 90, 20, 20, 50], N, N, "10111", "10111", 5, {"gap": "once", "jump": "once"}),
    ("borne out after a hole, with a spike", [0, 10, 20, 5000, 5010, 5020], [20, 90, 20, 50, 40, 40], N, N, "101111", "101111", 6, {"gap": "once", "jump": "once"}),
    ("a fall that a piece can just make, with a spike", [0, 100, 200, 210, 220, 230], [20, 50, 70, 60, 110, 60], N, N, "111101", "111101", 6, {"gap": "once", "jump": "once"}),
    ("two spikes of two", [0, 10, 20, 30, 40, 50, 60, 70, 80], [20, 20, 90, 90, 20, 20, 90, 90, 20], N, N, "110011001", "110011001", 9, {"jump": "4 times"}),
    ("medium read from the second on", [0, 60, 120], [60, 61, 64], N, [N, 20, 20], "110", "111", 3, {"contradiction": "once"}),
    ("two holes", [0, 60, 1000, 1060, 3000], [20] * 5, N, N, "11111", "11111", 5, {"gap": "1,940 s, 2 times (first after 60 s)"}),
    ("medium below", [0, 60, 120], [60, 63, 64], N, [61, 61, 61], "110", "111", 3, {"contradiction": "64.0 °C at 120 s, above everything that was around it until then (once)"}),
    ("medium that was hot", [0, 60, 120], [60, 63, 64], N, [63, 30, 30], "111", "111", 3, {}),
    ("surface below", [0, 60, 120], [60, 63.1, 64], [61, 61, 61], N, "100", "111", 3, {"contradiction": "63.1 °C at 60 s, above everything that was around it until then (2 times)"}),
    ("medium read late, core hot before", [0, 60, 120, 180], [60, 63, 64, 65], N, [N, N, 20, 20], "1111", "1111", 4, {}),
    ("medium read late, core hotter after", [0, 60, 120, 180], [60, 63, 64, 65.1], N, [N, N, 20, 20], "1110", "1111", 4, {"contradiction": "65.1 °C at 180 s"}),
    ("medium read once, at first", [0, 60, 120], [60, 63, 64], N, [60, N, N], "100", "111", 3, {"contradiction": "2 times"}),
    ("medium never read", [0, 60, 120], [60, 63, 64], N, [N, N, N], "111", "111", 3, {}),
]  # fmt: skip


def mask(text):
    """A row of truth values."""
    return [x == "1" for x in text]


@pytest.mark.parametrize(("name", "t", "core", "surface", "medium", "trusted", "possible", "left", "said"), WEIGHED, ids=[w[0] for w in WEIGHED])  # fmt: skip
def test_every_reading_is_weighed(name, t, core, surface, medium, trusted, possible, left, said):
    """Which readings are evidence, which may be, when the probe left, and the words."""
    around = [
        None if x is None else np.array([np.nan if v is None else v for v in x], dtype=float) for x in (surface, medium)
    ]
    e = weigh(np.array(t, dtype=float), np.array(core, dtype=float), *around)
    assert e.trusted.tolist() == mask(trusted)
    assert e.possible.tolist() == mask(possible)
    assert e.left == left
    assert [f["code"] for f in e.findings] == list(said)
    for f in e.findings:
        assert said[f["code"]] in f["message"]
        assert f["level"] == "care"
    reason = {"11": "", "10": "jump"}["1" + ("1" if trusted == possible else "0")]
    assert (
        (reason in e.why) and (bool(e.why) is bool(reason))
        if medium is None and surface is None
        else ("contradict" in e.why) is (trusted != possible)
    )


HOLES = [
    # steps → which are holes
    ([10, 10, 10, 50, 10, 10], "000000"), ([10, 10, 10, 52, 10, 10], "000100"), ([10, 10, 10, 48, 10, 10], "000000"), ([1, 1, 1, 20, 1, 1], "000000"),
    ([1, 1, 1, 20.1, 1, 1], "000100"), ([1, 1, 1, 50, 50, 1, 1], "0001100"), ([1] * 9 + [50] * 4 + [1], "0" * 9 + "1001" + "0"),
    ([60, 60, 60, 10, 55, 10, 60, 60], "0" * 8), ([300, 300, 300], "000"), ([300, 300.1, 300], "010"), ([400, 400], "11"), ([5], "0"), ([301], "1"),
    ([10, 10, 5, 50, 5, 10, 10], "0000000"), ([5, 5, 5, 5, 10, 50, 10, 5, 5], "000000000"), ([10, 10, 52], "001"), ([52, 10, 10], "100"),
]  # fmt: skip


@pytest.mark.parametrize(("apart", "found"), HOLES)
def test_holes(apart, found):
    """Longer than five minutes; or over 20 s and five times both the log's usual step and the shorter neighbour."""
    assert holes(np.cumsum([0.0, *apart])).tolist() == mask(found)
    assert holes(np.array([3.0])).tolist() == []


STILL = [
    # seconds apart, readings → said (10 readings, over 900 s)
    ([(10, 100.0)], False), ([(10, 100.1)], True), ([(9, 200.0)], False), ([(3, 10.0), (11, 100.0)], True), ([(11, 100.0), (20, 100.0)], True),
    ([(3, 1000.0), (11, 10.0)], False), ([(12, 10.0), (4, 1000.0)], False),
]  # fmt: skip


@pytest.mark.parametrize(("runs", "said"), STILL)
def test_how_long_a_probe_stands_still(runs, said):
    """Each run at its own temperature; the longest and how many are told."""
    t, c = [0.0], [50.0]
    for k, (count, apart) in enumerate(runs):
        for i in range(count):
            if (k, i) != (0, 0):
                t.append(t[-1] + apart)
                c.append(50.0 + k)
    found = [f["message"] for f in weigh(np.array(t), np.array(c)).findings if f["code"] == "frozen-probe"]
    assert bool(found) is said
    if len(runs) == 2 and said:
        assert (
            "1,900 s, 2 times"
            if runs[1][0] == 20
            else "51.00 °C without any change from 120 s, for up to 1,000 s, once"
        ) in found[0]


@pytest.mark.parametrize(("step", "still"), [(0.0, True), (0.0009, True), (0.0011, False)])
def test_what_counts_as_standing_still(step, still):
    """A thousandth of a kelvin."""
    found = weigh(np.arange(20) * 100.0, 50.0 + step * np.arange(20)).findings
    assert bool(found) is still


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
    assert rule["needs"] == "It cannot be told: the readings that would meet it contradict surface or medium."
    assert (rule["met_at_s"], rule["remaining_s"]) == (None, None)


def test_two_readings_are_a_log_and_one_is_none():
    """Two trusted readings can meet an instant row; one cannot; none says so and credits nothing."""
    assert judge([0, 60], [73.0, 75.0])["rule"]["met"] is True
    one = judge([0, 60, 120], [75.0, 120.0, 130.0])
    assert one["rule"] == one["rule"] | {
        "met": False,
        "needs": "No reading of this log can be the core's.",
        "remaining_s": None,
    }
    none = judge([0, 60], [120.0, 130.0])
    assert none["rule"]["needs"] == "No reading of this log can be the core's."
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
