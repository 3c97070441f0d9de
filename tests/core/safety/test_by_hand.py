"""What was read by hand, of which part, and with which error: a log as it is judged."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import pytest

from ember_core.formats.plan import parse
from ember_core.plan.log import Log
from ember_core.safety.evidence import JUMP_K_S, fastest_core
from ember_core.safety.measured import fastest_of_plan, judge_log, of_both
from ember_core.safety.readings_by_hand import end_of_heat, merge_readings, plausible_readings
from tests.core.safety.histories import US

SLAB = parse({
    "format": "open-ember.plan/1", "piece": {"food": "beef-lean", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 20}},
    "stages": [{"kind": "bath", "minutes": 60, "medium_c": 60}],
})  # fmt: skip


def points(readings, by_hand, fastest=0.1):
    log = merge_readings(readings, by_hand, fastest, SLAB, None)
    return [(round(t, 3), c) for t, c in zip(log.t_s, log.core_c, strict=True)]


HAND = [
    # readings, by hand → the log's points
    ([], [(600.0, 70.0)], [(585.0, 68.5), (600.0, 70.0), (600.001, 70.0)]),
    ([], [(15.0, 70.0)], [(15.0, 70.0), (15.001, 70.0)]),
    ([], [(16.0, 70.0)], [(1.0, 68.5), (16.0, 70.0), (16.001, 70.0)]),
    ([(500.0, 69.0)], [(600.0, 70.0)], [(500.0, 69.0), (600.0, 70.0), (600.001, 70.0)]),
    ([(479.0, 69.0)], [(600.0, 70.0)], [(479.0, 69.0), (585.0, 68.5), (600.0, 70.0), (600.001, 70.0)]),
    ([(800.0, 69.0)], [(600.0, 70.0)], [(585.0, 68.5), (600.0, 70.0), (600.001, 70.0), (800.0, 69.0)]),
    ([], [(600.0, 70.0), (720.0, 66.0)], [(585.0, 64.5), (600.0, 66.0), (600.001, 66.0), (705.0, 64.5), (720.0, 66.0), (720.001, 66.0)]),
    ([], [(600.0, 70.0), (721.0, 66.0)], [(585.0, 68.5), (600.0, 70.0), (600.001, 70.0), (706.0, 64.5), (721.0, 66.0), (721.001, 66.0)]),
    ([(600.0, 70.0)], [], [(600.0, 70.0), (600.001, 70.0)]), ([(0.0, 5.0), (600.0, 70.0)], [], [(0.0, 5.0), (600.0, 70.0)]),
]  # fmt: skip


@pytest.mark.parametrize(("readings", "by_hand", "expected"), HAND)
def test_what_was_read_by_hand_as_a_log(readings, by_hand, expected):
    """It settles for 15 s; of readings within two minutes the coldest counts."""
    assert points(readings, by_hand) == expected


@pytest.mark.parametrize(
    ("shape", "fastest"),
    [
        ({"kind": "slab", "thickness_mm": 20.0}, fastest_core(20.0)), ({"kind": "cylinder", "diameter_mm": 60.0, "length_mm": 100.0}, fastest_core(36.0)),
        ({"kind": "sphere", "diameter_mm": 50.0}, fastest_core(30.0)), ({"kind": "slab", "thickness_mm": 400.0}, 0.02), ({"kind": "slab", "thickness_mm": 2.0}, JUMP_K_S),
    ],
)  # fmt: skip
def test_the_fastest_core_goes_by_the_size(shape, fastest):
    """A round piece is heated from all around, as one of six tenths of its size."""
    plan = parse(
        {
            "format": "open-ember.plan/1",
            "piece": {"food": "beef-lean", "start_c": 4, "shape": shape},
            "stages": [{"kind": "bath", "minutes": 60, "medium_c": 60}],
        }
    )
    assert fastest_of_plan(plan) == pytest.approx(min(max(fastest, 0.02), JUMP_K_S))


def test_two_logs_of_a_bird_are_told_as_one():
    """What both say once, of the organisms the lesser kill, that one part was measured only where one was not."""
    log = Log(tuple(60.0 * i for i in range(120)), tuple(np.linspace(4.0, 84.0, 120)))
    cooler = Log(log.t_s, tuple(np.linspace(4.0, 68.0, 120)))
    plan = parse({
        "format": "open-ember.plan/1", "rules": US, "target": {"core_c": 75, "leg_c": 80}, "stages": [{"kind": "oven", "minutes": 120, "medium_c": 170}],
        "piece": {"food": "chicken-whole", "start_c": 4, "shape": {"kind": "bird", "mass_g": 1800}},
    })  # fmt: skip
    one, two = (judge_log(x, rules=US, food="chicken-whole", form=None, plan=plan) for x in (log, cooler))
    for all_of in (True, False):
        for first, second in ((one, two), (two, one), (one, one)):
            told = of_both(first, second, all_of=all_of)
            codes = [f["code"] for f in told["findings"]]
            assert ("one-part-measured" in codes) is not all_of
            assert len({(f["code"], f["message"]) for f in told["findings"]}) == len(codes)
            assert {m["organism"]: m["log10"] for m in told["model"]} == {
                m["organism"]: min(m["log10"], n["log10"]) for m, n in zip(first["model"], second["model"], strict=True)
            }
            states = {p["id"]: p["state"] for p in told["rule"]["premises"]}
            assert (states["parts"] == "shown") is all_of
            assert (told["rule"]["met"] is True) is (all_of and second is one and first is one)


@pytest.mark.parametrize(("error_c", "broken"), [(0.0, False), (3.0, True)])
def test_a_probes_error_works_against_what_cools(error_c, broken):
    """From 57 to 21 °C within 2 h by the numbers; by an error of 3 K either way it is 27 °C then."""
    t = np.arange(0.0, 8.2 * 3600.0, 60.0)
    c = np.where(t < 1800.0, 80.0, np.maximum(4.0, 80.0 - 60.5 * (t - 1800.0) / 7200.0))
    told = judge_log(Log(tuple(t), tuple(c)), rules=US, food="beef-lean", form="steak", probe_error_c=error_c)
    assert ("cooling" in {f["code"] for f in told["findings"] if f["level"] == "stop"}) is broken


PLAUSIBLE = [
    # begins at, fastest, s, °C → whether a core can be there by then, give or take three kelvins
    (4.0, 0.1, 100.0, 17.0, True), (4.0, 0.1, 100.0, 17.01, False), (20.0, 0.1, 100.0, 33.0, True), (20.0, 0.1, 100.0, 33.2, False),
    (-18.0, 0.05, 600.0, 15.0, True), (-18.0, 0.05, 600.0, 15.2, False), (60.0, 0.02, 10.0, 20.0, True), (4.0, 0.5, 0.0, 7.0, True),
]  # fmt: skip


@pytest.mark.parametrize(("start_c", "fastest", "at", "c", "kept"), PLAUSIBLE)
def test_what_a_core_can_have_risen_to(start_c, fastest, at, c, kept):
    assert plausible_readings([(at, c)], start_c, fastest) == ([(at, c)] if kept else [])


@dataclass
class When:
    start_s: float
    end_s: float


TWO = parse({
    "format": "open-ember.plan/1", "piece": {"food": "beef-lean", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 20}},
    "stages": [{"kind": "bath", "minutes": 10, "medium_c": 60}, {"kind": "rest", "minutes": 10}, {"kind": "bath", "minutes": 10, "medium_c": 60}],
})  # fmt: skip
RAN = [When(0.0, 600.0), When(600.0, 1200.0), When(1200.0, 1800.0)]


@pytest.mark.parametrize(
    ("at", "ends"), [(0.0, 600.0), (599.0, 600.0), (600.0, 600.0), (601.0, 601.0), (1199.0, 1199.0), (1200.0, 1800.0), (1800.0, 1800.0)]
)  # fmt: skip
def test_when_the_heat_ends_that_it_is_in(at, ends):
    """A stage's first second is in it, its last is the next one's."""
    assert end_of_heat(TWO, RAN, at) == ends
    assert end_of_heat(TWO, None, at) == at


def test_a_lower_reading_at_the_very_end_of_the_heat_counts_and_one_in_the_rest_does_not():
    def read_at(later):
        log = merge_readings((), [(300.0, 70.0), (later, 65.0)], 0.1, TWO, RAN)
        return dict(zip(log.t_s, log.core_c, strict=True))[300.0]

    assert (read_at(600.0), read_at(601.0)) == (65.0, 70.0)


def test_a_probe_that_read_within_the_same_search_needs_no_settling():
    """Two minutes apart are one search; further apart what it settled from is said."""
    assert points([(480.0, 69.0)], [(600.0, 70.0)]) == [(480.0, 69.0), (600.0, 70.0), (600.001, 70.0)]


def test_a_log_has_a_reading_that_counts_by_itself_twice():
    log = merge_readings((), [(600.0, 70.0)], 0.1, SLAB, None)
    assert log.t_s[-1] - log.t_s[-2] == pytest.approx(0.001, rel=1e-9)
