"""Other saved plans in the same oven: offered, chosen, shown, saved, and each on the line by itself."""

from __future__ import annotations

import uuid

import pytest

from ember_core.entry.sentence import Sentence
from ember_web.line.models import Cook
from ember_web.tenancy.models import User
from tests.web.acting import save_plan

pytestmark = pytest.mark.django_db


@pytest.fixture
def hake(kitchen):
    document = Sentence.for_cut("hake-loin", altitude_m=1850.0, count=4, title="the late hake").document()
    return save_plan(kitchen, User.objects.get(username="chef"), document)


@pytest.fixture
def shoulder(kitchen, hake):
    document = Sentence.for_cut("hogget-shoulder", altitude_m=1850.0, target_c=61.0).document()
    return save_plan(kitchen, User.objects.get(username="chef"), document)


def chips(page):
    """What is offered: titles of the chips of the field."""
    import re

    return re.findall(r'data-set="beside"\s+data-value="[^"]*"\s+translate="no">([^<]+)<', page)


def test_what_fits_is_offered_and_shown_when_it_is_chosen(kitchen, hake, shoulder, plan, as_):
    """The bavette in its pan is not; the hake is, and has a row of its own once it lies there."""
    address = f"/k/hut/plan/{shoulder.public_id}/"
    page = as_("cook").get(address).content.decode()
    assert chips(page) == ["the late hake"]
    assert "In the same heat" not in page
    with_it = as_("cook").get(address, {"beside": hake.public_id}).content.decode()
    assert "In the same heat" in with_it
    assert with_it.count("the late hake") == 2
    assert chips(as_("cook").get(f"/k/hut/plan/{plan.public_id}/").content.decode()) == []


def test_it_is_saved_and_each_goes_on_the_line_once(kitchen, hake, shoulder, as_):
    """A double tap starts none twice; the other has its own plan, pulled by its own clock."""
    client = as_("chef")
    form = {
        "cut": "hogget-shoulder", "was": "hogget-shoulder", "count": "1", "size_mm": "90", "mass_g": "1100", "start_c": "4", "target_c": "61", "way": "low-oven",
        "rules": "us-food-code-2022", "guests": "general", "title": "shoulder with hake", "beside": hake.public_id,
    }  # fmt: skip
    client.post("/k/hut/plan/save/", form | {"plan": shoulder.public_id})
    shoulder.refresh_from_db()
    assert [o["x-plan"] for s in shoulder.document["stages"] for o in s.get("also", ())] == [hake.public_id]
    body = {"plan": shoulder.public_id, "event": str(uuid.uuid4()), "all": "1"}
    for _ in range(2):
        assert client.post("/k/hut/line/start/", body).status_code == 302
    cooks = list(Cook.objects.order_by("id"))
    assert [c.title for c in cooks] == [shoulder.title, "the late hake"]
    assert cooks[1].document["piece"]["count"] == 4
    assert cooks[1].result["coast"]["pull_s"] < cooks[0].result["coast"]["pull_s"]


def test_a_plan_of_another_kitchen_is_none(kitchen, shoulder, stranger, as_):
    other = save_plan(
        stranger.memberships.get().kitchen, stranger, Sentence.for_cut("hake-loin", title="theirs").document()
    )
    page = as_("cook").get(f"/k/hut/plan/{shoulder.public_id}/", {"beside": other.public_id}).content.decode()
    assert "theirs" not in page
    assert "In the same heat" not in page
