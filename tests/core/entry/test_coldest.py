"""A pull is solved for the place that stays coldest, where a way heats from one side."""

from __future__ import annotations

from dataclasses import replace

import pytest

from ember_core.book.book import shipped
from ember_core.entry.coldest import LARGEST_LEAD_K, WORTH_IT_K, lead_core
from ember_core.entry.sentence import OWN_WAY, Sentence, from_document
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
