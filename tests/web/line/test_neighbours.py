"""Pieces of two plans in one pan: what one leaves behind is said of the other."""

from __future__ import annotations

from datetime import timedelta

import pytest

from ember_web.kitchens.models import Equipment
from ember_web.line.actions.start_cook import StartCook, start_cook
from ember_web.logbook.models import Record
from ember_web.plans.actions.save_plan import SavePlan, save_plan
from ember_web.tenancy.models import Kitchen, User
from tests.web.acting import member
from tests.web.line.test_line import event, send

pytestmark = pytest.mark.django_db

PAN = {"kind": "pan", "minutes": 4, "faces": {"a": {"medium_c": 210}}}
STEAK = {
    "format": "open-ember.plan/1", "title": "Steak", "rules": "us-food-code-2022", "target": {"core_c": 66},
    "piece": {"food": "beef-lean", "form": "steak", "start_c": 4, "mass_g": 250, "shape": {"kind": "slab", "thickness_mm": 22}},
    "stages": [PAN | {"minutes": 7}, PAN | {"minutes": 6, "faces": {"b": {"medium_c": 210}}}, {"kind": "rest", "minutes": 5}],
}  # fmt: skip
CHICKEN = STEAK | {
    "title": "Breast", "target": {"core_c": 75}, "stages": [PAN, {"kind": "oven", "minutes": 30, "medium_c": 190}, {"kind": "rest", "minutes": 5}],
    "piece": {"food": "chicken-breast", "start_c": 4, "mass_g": 200, "shape": {"kind": "slab", "thickness_mm": 30}},
}  # fmt: skip
CARROT = CHICKEN | {"title": "Carrot", "piece": CHICKEN["piece"] | {"food": "carrot"}}


def mark(kitchen, actor, cook, moves):
    """Mark moves as done when they were planned."""
    began = cook.created_at.timestamp()
    done = [event(kitchen, cook, move=m["id"], occurred_at=(began + m["offset_s"]) * 1000) for m in moves]
    assert {a["status"] for a in send(actor, *done)} <= {"taken"}


def start(kitchen, document, pan):
    actor = member(kitchen, User.objects.get(username="cook"))
    plan = save_plan(actor, SavePlan(document, ""))
    return start_cook(actor, StartCook(plan.public_id, gear=(pan,)))


def pass_time(kitchen, minutes):
    Kitchen.objects.filter(pk=kitchen.pk).update(clock_kitchen=kitchen.clock_kitchen + timedelta(minutes=minutes))
    kitchen.refresh_from_db()


@pytest.mark.parametrize(
    ("beside", "gear", "apart_min", "raw"),
    [
        (CHICKEN, ("Pan 1", "Pan 1"), 0, True),  # it leaves the pan for the oven after 4 min
        (CHICKEN, ("Pan 1", "Pan 2"), 0, False),
        (CHICKEN, ("Pan 1", "Pan 1"), 20, False),  # it had been in the pan long before
        (CARROT, ("Pan 1", "Pan 1"), 0, False),
        (CHICKEN | {"stages": [PAN | {"minutes": 60, "faces": {"a": {"medium_c": 160}, "b": {"medium_c": 160}}}]}, ("Pan 1", "Pan 1"), 0, False),
    ],
)  # fmt: skip
def test_what_leaves_the_same_pan_raw_is_said(kitchen, as_, beside, gear, apart_min, raw):
    for name in ("Pan 1", "Pan 2"):
        Equipment.objects.create(kitchen=kitchen, kind="pan", name=name)
    actor = as_("cook")
    other = start(kitchen, beside, gear[1])
    pass_time(kitchen, apart_min)
    mine = start(kitchen, STEAK, gear[0])
    pass_time(kitchen, 30)
    mark(kitchen, actor, other, other.moves[1:2])
    mark(kitchen, actor, mine, mine.moves[1:])
    read = event(kitchen, mine, "check", check="thermometer", core_c=72.0, width="trained")
    send(actor, read, event(kitchen, mine, "finish"))
    rule = Record.objects.get(cook=mine).document["judged"]["rule"]
    neighbours = {p["id"]: p for p in rule["premises"]}["neighbours"]
    assert (neighbours["state"] in {"broken", "unknown"}) is raw
    assert (rule["met"] is True) is not raw
    assert ("Breast" in str(neighbours["needs"])) is raw
