"""The Kitchen page: place, gear that is not true, people; and a plan that is computed with what the gear really is."""

from __future__ import annotations

import re
from datetime import time

import pytest

from ember_core.entry.sentence import Sentence, from_document
from ember_core.errors import FormatError, ValueRangeError
from ember_core.formats.plan import parse
from ember_core.heat.physics.boiling import boiling_point
from ember_web.kitchens.models import Equipment, ServiceTime, Station
from ember_web.line.models import HubToken, Probe, Reading
from ember_web.plans.models import Plan
from ember_web.tenancy.models import Kitchen, Membership, User
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


SERVICE = {"name": "dinner", "begins": "18:30", "ends": "9 pm"}


def test_services_are_offered_to_a_plan(kitchen, as_):
    """Times as people write them; what cannot be is told and kept as typed; the next one stands beside the sentence."""
    chef = as_("chef")
    assert chef.post(f"{PAGE}service/", SERVICE).status_code == 302
    dinner = ServiceTime.objects.get()
    assert (dinner.begins, dinner.ends) == (time(18, 30), time(21, 0))
    assert 'data-value="18:30"' in as_("cook").get("/k/hut/plan/").content.decode()
    for change, says in (
        ({"begins": "half six"}, "begins: write a time"),
        ({"ends": "18:30"}, "another time"),
        ({"name": " "}, "name: write"),
        ({"name": "Dinner"}, "another name"),
        ({"pk": "999"}, "No such service"),
    ):
        reply = chef.post(f"{PAGE}service/", SERVICE | {"name": "supper"} | change)
        page = reply.content.decode()
        assert (reply.status_code, ServiceTime.objects.count()) == (422, 1)
        assert says in page
        assert f'value="{change.get("begins", "18:30")}"' in page
    assert chef.post(f"{PAGE}service/", SERVICE | {"pk": dinner.pk, "begins": "17.45"}).status_code == 302
    dinner.refresh_from_db()
    assert dinner.begins == time(17, 45)
    chef.post(f"{PAGE}service/", {"pk": dinner.pk, "gone": "1"})
    assert not ServiceTime.objects.exists()
    assert as_("cook").post(f"{PAGE}service/", SERVICE).status_code == 403


def test_stations_and_who_works_there(kitchen, as_):
    """Members only; gear may stand at one, and stays when it goes; the first is offered where a plan is started."""
    chef = as_("chef")
    sent = {"name": "Grill", "order": "1", "people": ["cook", "viewer"], "rows_sent": "3"}
    assert "not arrive whole" in chef.post(f"{PAGE}station/", sent | {"rows_sent": ""}).content.decode()
    assert chef.post(f"{PAGE}station/", sent).status_code == 302
    grill = Station.objects.get()
    assert [p.membership.user.username for p in grill.people.order_by("id")] == ["cook", "viewer"]
    assert chef.post(f"{PAGE}gear/", OVEN | {"station": "Grill"}).status_code == 302
    assert Equipment.objects.get().station == grill
    assert chef.post(f"{PAGE}gear/", OVEN | {"name": "b", "station": "Moon"}).status_code == 422
    for change, says in (
        ({"people": ["nobody"]}, "no member"),
        ({"order": "first"}, "whole number"),
        ({"name": ""}, "name:"),
    ):
        reply = chef.post(f"{PAGE}station/", sent | {"name": "Larder"} | change)
        assert reply.status_code == 422
        assert says in reply.content.decode()
    chef.post(f"{PAGE}station/", sent | {"pk": grill.pk, "name": "Fire", "people": ["cook"]})
    assert [p.membership.user.username for p in Station.objects.get(name="Fire").people.all()] == ["cook"]
    chef.post(f"{PAGE}station/", {"pk": grill.pk, "gone": "1", "rows_sent": "3"})
    assert Equipment.objects.get().station is None


def test_another_kitchens_rows_are_out_of_reach(kitchen, as_):
    """By their key, for change or removal."""
    other = Kitchen.objects.create(name="Other", public_id="other-place")
    service = ServiceTime.objects.create(kitchen=other, name="x", begins=time(1), ends=time(2))
    station = Station.objects.create(kitchen=other, name="x")
    chef = as_("chef")
    for where, row, sent in (("service", service, SERVICE), ("station", station, {"name": "y"})):
        assert chef.post(f"{PAGE}{where}/", sent | {"pk": row.pk}).status_code == 422
        assert chef.post(f"{PAGE}{where}/", sent | {"pk": row.pk, "gone": "1"}).status_code == 422
        row.refresh_from_db()
        assert row.name == "x"


def test_probes_and_hubs(kitchen, as_):
    """Named by their hub, called by the kitchen; one with readings stays; a token is shown once and works."""
    chef, probes = as_("chef"), "/k/hut/line/probe/"
    assert chef.post(probes, {"name": "p7", "label": "Probe 7"}).status_code == 302
    assert "Probe 7" in chef.get(PAGE).content.decode()
    for sent, says in (
        ({"name": "p 8"}, "what the hub calls it"),
        ({"name": "p9", "label": "probe 7"}, "another name"),
    ):
        reply = chef.post(probes, sent)
        assert reply.status_code == 422
        assert says in reply.content.decode()
    told = chef.post("/k/hut/line/hub/", {"instead": "1"}, follow=True).content.decode()
    token = re.search(r"shown this once: (\S+)\.", told).group(1)
    assert HubToken.objects.get().digest == HubToken.digest_of(token)
    assert token not in chef.get(PAGE).content.decode()
    probe = Probe.objects.get(name="p7")
    Reading.objects.create(
        kitchen=kitchen, probe=probe, boot_id="b", sequence=1, measured_at=kitchen.now(), core_c=41.3
    )
    assert "41.3" in chef.get(PAGE).content.decode()
    assert "rename it" in chef.post(probes, {"name": "p7", "gone": "1"}).content.decode()
    Reading.objects.all().delete()
    chef.post(probes, {"name": "p7", "gone": "1"})
    assert not Probe.objects.filter(name="p7").exists()
    assert as_("cook").post(probes, {"name": "p1"}).status_code == 403


def test_in_the_readers_units(kitchen, as_):
    """Feet, °F, quarts and differences of °F; what comes back as it was shown changes nothing."""
    User.objects.filter(username="chef").update(temperature="F", length="in", volume="qt")
    chef = as_("chef")
    chef.post(f"{PAGE}gear/", OVEN | {"true_offset_c": "-15", "litres": "60"})
    oven = Equipment.objects.get()
    assert oven.true_offset_c == pytest.approx(-15 / 1.8)
    assert oven.litres == pytest.approx(60 * 0.946352946)
    page = chef.get(PAGE).content.decode()
    shown = {
        n: re.search(rf'name="{n}"[^>]*?value="([^"]*)"', page, re.DOTALL).group(1) for n in ("altitude_m", "air_c")
    }
    assert shown == {"altitude_m": f"{kitchen.altitude_m / 0.3048:.0f}", "air_c": f"{kitchen.air_c * 1.8 + 32:g}"}
    before = (kitchen.altitude_m, kitchen.air_c)
    chef.post(f"{PAGE}place/", {"name": "Hut", "zone": "America/Denver", "rules": "uk-fsa", **shown})
    kitchen.refresh_from_db()
    assert (kitchen.altitude_m, kitchen.air_c) == before


def test_a_chef_opens_another_kitchen(kitchen, as_):
    """And is its chef; nobody else's."""
    chef = as_("chef")
    reply = chef.post(f"{PAGE}another/", {"name": "Valley", "altitude_m": "300", "zone": "Europe/Vienna"})
    valley = Kitchen.objects.get(name="Valley")
    assert (reply.status_code, reply.url) == (302, f"/k/{valley.public_id}/kitchen/")
    assert [(m.user.username, m.role) for m in Membership.objects.filter(kitchen=valley)] == [("chef", "chef")]
    for change in ({"altitude_m": "9999"}, {"zone": "Moon"}, {"name": ""}):
        assert chef.post(f"{PAGE}another/", {"name": "V2", "altitude_m": "300"} | change).status_code == 422
    assert as_("cook").post(f"{PAGE}another/", {"name": "V3"}).status_code == 403


def test_which_pan_may_go_into_the_oven(kitchen, as_):
    """Named where a way puts one in; told where none on the list may; nothing in another way, or without a list."""
    chef = as_("chef")

    def said(way="pan-into-oven"):
        page = chef.get("/k/hut/plan/", SENTENCE | {"way": way}).content.decode()
        return "names" if "Into the oven may go" in page else "none" if "No pan on this kitchen" in page else ""

    assert said() == ""
    chef.post(f"{PAGE}gear/", {"kind": "pan", "name": "Coated"})
    assert (said(), said("hot-pan")) == ("none", "")
    chef.post(f"{PAGE}gear/", {"kind": "pan", "name": "Steel", "into_oven": "1"})
    assert (said(), said("hot-pan")) == ("names", "")


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
