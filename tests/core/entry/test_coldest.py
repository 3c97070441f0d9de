"""A pull is solved for the place that stays coldest, where a way heats from one side."""

from __future__ import annotations

from dataclasses import replace

import pytest

from ember_core.book.book import shipped
from ember_core.entry.coldest import LARGEST_LEAD_K, WORTH_IT_K, _core_for_coldest, lead_core
from ember_core.entry.sentence import OWN_WAY, Sentence, from_document
from ember_core.errors import ComputationError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup

SLABS = [c for c, row in shipped().cuts.items() if row["shape"] == "slab" and row["kind"] != "egg"]
LED = ("cod-loin", "chicken-thigh", "salmon-fillet", "sardine")


def cooked(plan):
    """The nominal cook."""
    return run(plan, setup(plan))


@pytest.mark.parametrize("cut", SLABS)
def test_no_default_leaves_a_place_short(cut):
    """Every slab of the book, as it starts: where its pull is solved the coldest place reaches the target, and little more."""
    plan = parse(Sentence.for_cut(cut).document())
    cook = cooked(plan)
    solved = any(s.until == "peak_core_c" for s in plan.stages)
    if solved:
        assert cook.stages[cook.pull_stage].ended_by == "peak_core_c"
        assert plan.target_c - WORTH_IT_K <= cook.coldest[0] <= plan.target_c + 0.7


@pytest.mark.parametrize("cut", LED)
def test_a_core_that_leads(cut):
    """The core peaks higher than its target, the plan's target stays, and the plan is still that of its way."""
    document = Sentence.for_cut(cut).document()
    plan = parse(document)
    assert plan.target_c + 0.5 < plan.core_goal_c < plan.target_c + LARGEST_LEAD_K
    again = from_document(document, 0.0, 22.0)
    assert (again.way, again.target_c) == (Sentence.for_cut(cut).way, plan.target_c)
    assert again.document()["stages"] == document["stages"]


def test_a_plan_of_a_file_keeps_what_it_states():
    """Stages of a file are not led; another target moves the core's goal with it; a lead another core made is no other way."""
    document = Sentence.for_cut("cod-loin").document()
    stage = next(s for s in document["stages"] if "until" in s)
    made = stage["until"]["peak_core_c"]
    stage["until"]["peak_core_c"] = made + 0.3
    assert from_document(document, 0.0, 22.0).way != OWN_WAY
    stage["until"]["peak_core_c"] = made + 4.0
    kept = from_document(document, 0.0, 22.0)
    assert kept.way == OWN_WAY
    assert kept.document()["stages"] == document["stages"]
    moved = replace(kept, target_c=kept.target_c + 3.0).document()
    assert next(s for s in moved["stages"] if "until" in s)["until"]["peak_core_c"] == pytest.approx(made + 7.0)


@pytest.mark.parametrize(
    ("cut", "more"), [("strip-steak", {"way": "bath-then-sear"}), ("cod-loin", {"minutes": 9.0}), ("ribeye", {})]
)
def test_what_needs_no_lead_has_none(cut, more):
    """Both faces alike, a time instead of a target, a place less than a thermometer's error below it: nothing is changed."""
    document = replace(Sentence.for_cut(cut), **more).document()
    before = [dict(s) for s in document["stages"]]
    lead_core(document)
    assert document["stages"] == before
    assert parse(document).core_goal_c == pytest.approx(document["target"]["core_c"])


def test_one_face_only_is_said_and_not_chased():
    """A thick slab that is never turned: its core is not driven past all use; the finding names the cold place and what to do."""
    document = {
        "format": "open-ember.plan/1",
        "piece": {"food": "pork-loin", "form": "steak", "shape": {"kind": "slab", "thickness_mm": 40}, "start_c": 4},
        "target": {"core_c": 60},
        "stages": [
            {"kind": "pan", "minutes": 90, "faces": {"a": {"medium_c": 190}}, "until": {"peak_core_c": 60}},
            {"kind": "rest", "minutes": 5, "cover": "bare"},
        ],
    }  # fmt: skip
    lead_core(document)
    plan = parse(document)
    cook = cooked(plan)
    assert plan.core_goal_c == 60
    assert cook.coldest[0] < 55
    (said,) = [f for f in cook.findings if f.code == "below-target"]
    assert "coldest place" in str(said.message)
    assert "both sides" in str(said.message)


SEARCHES = [
    # the coldest place by the core, target 55 → cores that are tried, what the pull is solved for
    (lambda c: c - 0.59, [55.0], 55.0), (lambda c: c - 0.61, [55.0, 55.7], 55.7), (lambda c: c - 3.0, [55.0, 58.0], 58.0),
    (lambda c: 50.0 + 0.5 * (c - 55.0), [55.0, 60.0, 65.0], 65.0), (lambda c: 54.0 + 0.1 * (c - 55.0), [55.0, 56.0, 60.5, 62.8, 63.9, 64.5], 64.5),
    (lambda c: 49.0 + 0.5 * (c - 55.0), [55.0, 61.0, 67.0], 67.0), (lambda c: 48.95 + 0.5 * (c - 55.0), [55.0, 61.1, 67.1], 55.0),
    (lambda c: 52.0 if c < 58.0 else 54.951, [55.0, 58.0], 58.0), (lambda c: 52.0 if c < 58.0 else 54.94 + (c - 58.0), [55.0, 58.0, 58.1], 58.1),
    (lambda c: 52.0, [55.0, 58.0, 61.0, 64.0, 67.0, 70.0], 55.0), (lambda c: None, [55.0], 55.0), (lambda c: 52.0 if c == 55.0 else None, [55.0, 58.0], 55.0),
]  # fmt: skip


@pytest.mark.parametrize(("coldest", "tried", "found"), SEARCHES)
def test_the_search_for_the_core(monkeypatch, coldest, tried, found):
    """By the slope that was seen, each time rounded up to a tenth; what gains nothing, or leads too far, is left alone."""
    seen = []

    class Made:
        def __init__(self, plan):
            seen.append(plan.core_goal_c)
            self.coldest = (coldest(plan.core_goal_c),)
            if self.coldest[0] is None:
                raise ComputationError("no")

    monkeypatch.setattr("ember_core.heat.ensemble.coarse.compared_cook", Made)
    made = {
        "format": "open-ember.plan/1", "target": {"core_c": 55}, "piece": {"food": "beef-lean", "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 30}},
        "stages": [{"kind": "pan", "minutes": 60, "faces": {"a": {"medium_c": 180}}, "until": {"peak_core_c": 55}}, {"kind": "rest", "minutes": 9}],
    }  # fmt: skip
    _core_for_coldest.cache_clear()
    lead_core(made)
    _core_for_coldest.cache_clear()
    assert made["stages"][0]["until"]["peak_core_c"] == pytest.approx(found)
    assert seen == pytest.approx(tried)


UNTOUCHED = [
    {"shape": {"kind": "cylinder", "diameter_mm": 30}, "kind": "pan"}, {"shape": {"kind": "slab", "thickness_mm": 30}, "kind": "bath"},
    {"shape": {"kind": "slab", "thickness_mm": 30}, "kind": "pan", "also": []},
]  # fmt: skip


@pytest.mark.parametrize("case", UNTOUCHED)
def test_what_is_heated_alike_or_shares_its_heat_is_left_alone(monkeypatch, case):
    """A round piece, a bath, and a medium that others are in, whatever comes before."""
    monkeypatch.setattr("ember_core.entry.coldest._core_for_coldest", lambda document: 99.0)
    first = {"kind": "rest", "minutes": 10, "medium_c": 20}
    heat = {
        "kind": case["kind"],
        "minutes": 9,
        "until": {"peak_core_c": 55},
        **({"also": case["also"]} if "also" in case else {}),
    }
    if case["kind"] == "pan":
        heat["faces"] = {"a": {"medium_c": 180}}
    made = {"piece": {"shape": case["shape"]}, "stages": [first, heat], "target": {"core_c": 55}}
    lead_core(made)
    assert made["stages"][1]["until"]["peak_core_c"] == 55


def test_one_stage_that_heats_from_one_side_is_enough(monkeypatch):
    monkeypatch.setattr("ember_core.entry.coldest._core_for_coldest", lambda document: 99.0)
    pan = {"kind": "pan", "minutes": 9, "faces": {"a": {"medium_c": 180}}}
    made = {"piece": {"shape": {"kind": "slab", "thickness_mm": 30}}, "target": {"core_c": 55}, "stages": [pan, {"kind": "bath", "minutes": 9, "until": {"peak_core_c": 55}}]}  # fmt: skip
    lead_core(made)
    assert made["stages"][1]["until"]["peak_core_c"] == 99.0
