"""The Kitchen page: place, gear that is not true, people; and a plan that is computed with what the gear really is."""

from __future__ import annotations

import re

import pytest

from ember_core.entry.sentence import Sentence, from_document
from ember_core.errors import FormatError, ValueRangeError
from ember_core.formats.plan import parse
from ember_core.heat.physics.boiling import boiling_point
from ember_web.kitchens.models import Equipment
from ember_web.plans.models import Plan
from ember_web.tenancy.models import Membership
from tests.web.plans.test_plan import SENTENCE

pytestmark = pytest.mark.django_db
PAGE = "/k/hut/kitchen/"
OVEN = {"kind": "oven", "name": "Oven, left", "true_offset_c": "-8"}


def test_place_and_what_it_does_to_boiling(kitchen, as_):
    """Altitude says where water boils; what cannot be is told by its field and changes nothing."""
    chef = as_("chef")
    assert f"{boiling_point(1850.0):.1f}" in chef.get(PAGE).content.decode()
    told = {"name": "Hut", "altitude_m": "600", "air_c": "21", "zone": "America/Denver", "rules": "uk-fsa"}
    assert chef.post(f"{PAGE}place/", told).status_code == 302
    kitchen.refresh_from_db()
    assert (kitchen.altitude_m, kitchen.zone, kitchen.rules) == (600.0, "America/Denver", "uk-fsa")
    assert f"{boiling_point(600.0):.1f}" in chef.get(PAGE).content.decode()
    for field, value in (
        ("altitude_m", "9000"),
        ("altitude_m", "high"),
        ("zone", "Nowhere/Land"),
        ("rules", "mine"),
        ("name", ""),
    ):
        reply = chef.post(f"{PAGE}place/", told | {field: value})
        assert reply.status_code == 422
        assert field.split("_")[0] in reply.content.decode()
        kitchen.refresh_from_db()
        assert kitchen.altitude_m == 600.0


def test_gear_is_added_changed_and_taken_away(kitchen, as_):
    """By a chef; a second of the same name and numbers that cannot be are told."""
    chef = as_("chef")
    assert chef.post(f"{PAGE}gear/", OVEN).status_code == 302
    oven = Equipment.objects.get()
    assert (oven.name, oven.true_offset_c) == ("Oven, left", -8.0)
    assert "another name" in chef.post(f"{PAGE}gear/", OVEN).content.decode()
    assert chef.post(f"{PAGE}gear/", OVEN | {"pk": oven.pk, "true_offset_c": "−5,5"}).status_code == 302
    oven.refresh_from_db()
    assert oven.true_offset_c == -5.5
    for change in ({"true_offset_c": "900"}, {"litres": "much"}, {"kind": "catapult"}, {"name": ""}):
        assert chef.post(f"{PAGE}gear/", OVEN | {"name": "other"} | change).status_code == 422
    assert Equipment.objects.count() == 1
    chef.post(f"{PAGE}gear/", {"pk": oven.pk, "gone": "1"})
    assert not Equipment.objects.exists()
    assert as_("cook").post(f"{PAGE}gear/", OVEN).status_code == 403
    assert "Oven" not in as_("viewer").get(PAGE).content.decode()


def test_people(kitchen, as_):
    """Somebody new with a good password, another role; not the own one taken away."""
    chef = as_("chef")
    assert (
        chef.post(
            f"{PAGE}people/", {"username": "newcomer", "role": "cook", "password": "bellows-and-tongs"}
        ).status_code
        == 302
    )
    assert Membership.objects.get(user__username="newcomer").role == "cook"
    assert chef.post(f"{PAGE}people/", {"username": "another", "role": "cook", "password": "1"}).status_code == 422
    assert "from yourself" in chef.post(f"{PAGE}people/", {"username": "chef", "role": "cook"}).content.decode()


def test_an_oven_that_runs_low_is_computed_as_it_is(kitchen, as_):
    """The dial is shown, the true heat is computed; saved, it stays as it was, though the oven is mended or gone."""
    chef = as_("chef")
    chef.post(f"{PAGE}gear/", OVEN)
    hot = SENTENCE | {"cut": "hake-loin", "way": "hot-oven", "size_mm": "32", "mass_g": "180", "target_c": "54"}
    low = chef.get("/k/hut/plan/", hot | {"gear": "Oven, left"}).content.decode()
    assert re.search(r'name="heat_c"\s+value="200"', low)
    assert chef.post("/k/hut/plan/save/", hot | {"gear": "Oven, left", "title": "left"}).status_code == 302
    document = Plan.objects.get(title="left").document
    assert document["stages"][0]["medium_c"] == 192.0
    assert document["x-gear"] == {"name": "Oven, left", "offset_c": -8.0}
    Equipment.objects.all().delete()
    again = chef.get(f"/k/hut/plan/{Plan.objects.get(title='left').public_id}/").content.decode()
    assert "Oven, left" in again
    sentence = from_document(document, 0, 22)
    assert (sentence.way, sentence.document()["stages"]) == ("hot-oven", document["stages"])


def test_an_offset_shifts_the_main_heat_only():
    """Every stage on the pan, not the basting; nothing where the heat is not set; nonsense in a file is refused."""
    basted = Sentence.for_cut("bavette", gear={"name": "p", "offset_c": 12.0}).document()["stages"]
    assert [f["medium_c"] for s in basted[:2] for f in s["faces"].values()] == [232.0, 150, 232.0]
    boiled = Sentence.for_cut("asparagus", way="blanch-and-shock", gear={"name": "p", "offset_c": 12.0}).document()
    assert "medium_c" not in boiled["stages"][0]
    for bad in ({"name": "p"}, {"offset_c": "hot"}, {"offset_c": 99.0}, [1]):
        with pytest.raises((FormatError, ValueRangeError)) as error:
            parse(Sentence.for_cut("bavette").document() | {"x-gear": bad})
        assert error.value.path == "/x-gear"


def test_gear_that_nobody_has_is_refused(kitchen, as_):
    """A name in the address that is neither the kitchen's nor the saved plan's is told, not ignored."""
    page = as_("cook").get("/k/hut/plan/", SENTENCE | {"gear": "Oven of a neighbour"}).content.decode()
    assert "Gear: choose one from the list" in page
