"""The set-out check before heat: what is missing needs a reason, nothing ticked is lost, an oven that reads right ticks itself."""

from __future__ import annotations

from datetime import timedelta

import pytest

from ember_core.entry.sentence import Sentence
from ember_core.line.set_out import items
from ember_web.line.models import Cook, MediumReading
from ember_web.tenancy.models import User
from tests.web.acting import save_plan
from tests.web.line.test_media import oven, roast, stage_heat  # noqa: F401 - fixtures

pytestmark = pytest.mark.django_db


def ids(plan):
    return [item.id for item in items(plan.document)]


def test_the_list_is_the_plans(kitchen, plan, as_):
    page = as_("cook").get("/k/hut/line/set-out/", {"plan": plan.public_id, "probe": "p1"}).content.decode()
    for item in items(plan.document):
        assert f'value="{item.id}"' in page
    assert 'name="probe" value="p1"' in page
    assert as_("viewer").get("/k/hut/line/set-out/", {"plan": plan.public_id}).status_code in {302, 403}
    assert as_("cook").get("/k/hut/line/set-out/", {"plan": "none"}).status_code == 404
    assert as_("cook").get("/k/hut/line/set-out/").status_code == 404


@pytest.mark.parametrize("answer", [{}, {"there": ["rest"]}, {"reason": "   "}, {"reason": "x" * 201}])
def test_without_all_of_it_nothing_starts(kitchen, plan, as_, answer):
    """And what was ticked and written is there again."""
    reply = as_("cook").post("/k/hut/line/start/", {"plan": plan.public_id, "probe": "p1"} | answer)
    page = reply.content.decode()
    assert reply.status_code == 422
    assert not Cook.objects.exists()
    assert 'role="alert"' in page
    assert 'name="probe" value="p1"' in page
    assert page.count("checked") == len(answer.get("there", ()))
    assert answer.get("reason", "") in page


def test_it_goes_on_without_with_a_reason_that_is_kept(kitchen, plan, as_):
    there = [i for i in ids(plan) if i != "rest"]
    body = {"plan": plan.public_id, "there": there, "reason": "the tray is in the oven"}
    assert as_("cook").post("/k/hut/line/start/", body).url == "/k/hut/line/"
    kept = Cook.objects.get().set_out
    assert kept["reason"] == "the tray is in the oven"
    assert [str(w) for w in kept["missing"]] == ["tray for the rest, in a warm place"]


def test_one_tap_says_that_all_is_there(kitchen, plan, as_):
    as_("cook").post("/k/hut/line/start/", {"plan": plan.public_id, "all": "1", "reason": "not asked for"})
    assert Cook.objects.get().set_out == {"missing": [], "reason": ""}


@pytest.mark.parametrize(("reads_k", "ago_s", "ticked"), [(0.0, 5, True), (-60.0, 5, False), (0.0, 900, False)])
def test_an_oven_that_reads_right_ticks_itself(kitchen, oven, roast, as_, reads_k, ago_s, ticked):  # noqa: F811
    MediumReading.objects.create(
        kitchen=kitchen, equipment=oven, boot_id="b", sequence=1, measured_at=kitchen.now() - timedelta(seconds=ago_s),
        medium_c=stage_heat(roast) - oven.true_offset_c + reads_k,
    )  # fmt: skip
    page = as_("cook").get("/k/hut/line/set-out/", {"plan": roast.plan.public_id}).content.decode()
    assert ("checked" in page) is ticked
    assert ("Oven 1" in page) is (ago_s < 60)


def test_a_plan_that_would_not_be_served_asks_before_it_starts(kitchen, as_):
    """A stop goes on heat only with a reason, which is kept beside what it was a stop for."""
    chef = User.objects.get(username="chef")
    short = save_plan(kitchen, chef, Sentence.for_cut("chicken-breast", target_c=60.0, altitude_m=1850.0).document())
    cook = as_("cook")
    reply = cook.post("/k/hut/line/start/", {"plan": short.public_id, "all": "1"})
    assert reply.status_code == 422
    assert "This plan is a stop" in reply.content.decode()
    assert not Cook.objects.exists()
    cook.post("/k/hut/line/start/", {"plan": short.public_id, "all": "1", "reason": "finished on the grill"})
    kept = Cook.objects.get().set_out
    assert kept["reason"] == "finished on the grill"
    assert "3-401.11(A)(3)" in str(kept["stop"])
