"""What stands around a plan: other schools, what is done before heat, pieces of their own size, words that were not understood."""

from __future__ import annotations

import re
from datetime import timedelta
from urllib.parse import parse_qsl

import pytest

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence, from_document
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.planning.moves import MoveKind
from ember_core.planning.preparation import after, gain_k, moves_before_heat, set_out
from ember_core.planning.schools import contrast, school
from ember_core.planning.several import sizes_apart
from ember_web.kitchens.models import Equipment
from tests.web.plans.test_plan import SENTENCE

pytestmark = pytest.mark.django_db


def schools(sentence, book, chosen=()):
    """The ways that are set side by side, computed."""
    return [school(sentence, way, book) for way in contrast(sentence, book, chosen)]


def cooked(cut, **known):
    """A sentence, computed."""
    return compute(parse(Sentence.for_cut(cut, **known).document()), with_forecast=False)


@pytest.mark.parametrize("cut", ["bavette", "duck-breast", "hogget-shoulder", "potato", "short-rib"])
def test_schools_differ_and_add_up(cut):
    """Three ways by other heats, each landing where it says, its times within the whole."""
    found = schools(Sentence.for_cut(cut), shipped())
    assert len(found) == 3
    assert found[0].way["id"] == shipped().cuts[cut]["way"]
    assert len({f.way["id"] for f in found}) == 3
    for s in found:
        assert s.error is None
        assert 0 < s.hands_s <= s.total_s + 60 * len(s.way["stage"])
        assert 0 <= s.oven_s <= s.total_s
        assert 0 <= s.grey <= 1
        assert 0 <= s.loss < 0.6


def test_a_bath_bands_less_than_a_pan():
    """The difference the schools argue about, in numbers."""
    pan, bath = schools(Sentence.for_cut("bavette"), shipped(), ["hot-pan", "bath"])[:2]
    assert pan.grey > 0.2 > bath.grey
    assert pan.loss > bath.loss
    assert pan.total_s < bath.total_s


def test_what_cannot_be_computed_says_why():
    """A school that fails leaves the others standing."""
    found = schools(Sentence.for_cut("bavette", target_c=0.5), shipped(), ["hot-pan", "bath"])
    assert len(found) == 3
    assert all(s.outcome is not None or s.error for s in found)


def test_a_school_that_is_chosen_leaves_gear_that_is_not_its_own(kitchen, as_):
    """From a pan of the kitchen's to the bath: the link opens a plan, and not an error about the pan."""
    Equipment.objects.create(kitchen=kitchen, kind="pan", name="Pan 28", true_offset_c=-6.0)
    asked = SENTENCE | {"gear": "Pan 28", "ways": ["hot-pan-basted", "hot-pan", "bath"]}
    page = as_("viewer").get("/k/hut/plan/schools/", asked).content.decode()
    links = [m.replace("&amp;", "&") for m in re.findall(r'href="(/k/hut/plan/\?[^"]*way=[^"]*)"', page)]
    gear = {dict(parse_qsl(link.split("?")[1]))["way"]: "gear=Pan+28" in link for link in links}
    assert gear == {"hot-pan-basted": True, "hot-pan": True, "bath": False}
    for link in links:
        assert "choose one from the list" not in as_("viewer").get(link).content.decode()


def test_the_page_of_schools(kitchen, as_):
    """Columns, a way back, a way to choose each; a chosen way stands first; bad parts are named."""
    page = as_("viewer").get("/k/hut/plan/schools/", SENTENCE | {"ways": ["bath", "hot-pan"]}).content.decode()
    assert page.count('class="school"') == 3
    chosen = re.findall(r'href="/k/hut/plan/\?([^"]*)"[^>]*>\s*Cook it this way', page)
    assert ["way=bath" in chosen[0], "way=hot-pan" in chosen[1]] == [True, True]
    assert as_("viewer").get(f"/k/hut/plan/?{chosen[0].replace('&amp;', '&')}").status_code == 200
    assert (
        "give at least 1 mm" in as_("viewer").get("/k/hut/plan/schools/", SENTENCE | {"size_mm": "-1"}).content.decode()
    )
    doubt = as_("viewer").get("/k/hut/plan/schools/doubt/", SENTENCE).content.decode()
    assert re.search(r"within \d", doubt)


def test_before_heat_counts_the_clock_back():
    """Salt by the piece's mass and in its time, the pan hot when it is needed, ice for twice the mass."""
    out = cooked("bavette", count=4)
    found = {m.id.removeprefix("before-"): m for m in moves_before_heat(out.plan, out.cook, shipped())}
    assert "3.7 g for each piece (14.8 g in all)" in found["salt"].cue
    assert (found["salt"].offset_s, found["pan"].offset_s) == (-2400.0, -300.0)
    assert found["trim"].offset_s < found["salt"].offset_s
    assert all(m.kind == MoveKind.PREPARE for m in found.values())
    chilled = cooked("short-rib", count=3)
    ice = {m.id: m for m in moves_before_heat(chilled.plan, chilled.cook, shipped())}["before-ice"]
    assert ice.offset_s == chilled.cook.stages[1].start_s - 300.0
    assert "2.5 kg of ice" in ice.cue
    assert "string and scissors; off before serving" in set_out(cooked("hogget-shoulder").plan, shipped())


def test_tempering_shows_what_it_gains():
    """Half an hour out of the cold is a stage: the core gains what the model says, and the pull comes sooner."""
    cold, warm = cooked("pork-chop"), cooked("pork-chop", temper_min=30)
    gained = gain_k(warm.plan, warm.cook)
    assert gain_k(cold.plan, cold.cook) is None
    assert 1.0 < gained < 8.0
    assert gained == pytest.approx(warm.cook.stages[0].core_c - 4.0)
    assert warm.cook.pull_s - 1800 < cold.cook.pull_s
    raw = cooked("pork-chop", temper_min=239, air_c=35.0)
    assert {"stop", "care"} & {f.level for f in raw.findings}


def test_what_ends_in_the_cold_says_how_long_it_keeps():
    """By the plan's profile; a dip that only stops the cooking keeps nothing."""
    kept = cooked("short-rib")
    assert after(kept.plan, kept.cook).days == 7
    for served in (cooked("soft-egg"), cooked("bavette")):
        assert after(served.plan, served.cook) is None


def test_pieces_of_their_own_size():
    """All ready together: the thickest first in, each to the same peak, at its own times."""
    out = cooked("veal-cutlet", size_mm=26.0, sizes_mm=(22.0, 26.0, 26.0, 30.0), count=4)
    own = sizes_apart(out.plan)
    assert [(p.size_mm, p.count) for p in own] == [(30.0, 1), (26.0, 2), (22.0, 1)]
    assert own[0].in_s == 0.0 < own[1].in_s < own[2].in_s
    assert {round(p.ready_s) for p in own} == {round(own[0].ready_s)}
    assert all(p.in_s < p.turn_s < p.pull_s < p.ready_s for p in own)
    assert all(p.peak_c == pytest.approx(55.0, abs=0.15) for p in own)
    assert sizes_apart(cooked("bavette").plan) == ()


@pytest.mark.parametrize(
    ("entry", "says"),
    [
        ("6 cutlets 22-30mm 19:40", "Each by its own size, all ready together"),
        ("bavete 28mm", 'href="/k/hut/plan/quick/?q=bavette%2028mm"'),
        ("bavette 12", "q=bavette%2012mm"),
        ("hake oven 180", 'value="180"'),
        ("pheasant 15mm bath 63.3 35 min", 'value="35"'),
    ],
)
def test_quick_entry_shows_what_it_heard(kitchen, as_, entry, says):
    """Sizes apart, meanings to tap, heat and minutes in the sentence."""
    page = as_("viewer").get("/k/hut/plan/quick/", {"q": entry}).content.decode()
    assert says in page


def test_the_ways_own_heat_is_not_taken_as_stated(kitchen, as_):
    """The heat shown with a way follows the way and the target; one that was written stays."""
    client = as_("viewer")
    shown = client.get("/k/hut/plan/", SENTENCE | {"way": "bath"}).content.decode()
    assert re.search(r'name="heat_c"\s+value="55.5"', shown)
    again = {
        "way": "bath",
        "was_way": "bath",
        "heat_c": "55.5",
        "was_heat": "55.5",
        "target_c": "60",
        "units": "c-mm-g-l-24",
    }
    page = client.get("/k/hut/plan/", SENTENCE | again).content.decode()
    assert re.search(r'name="heat_c"\s+value="60.5"', page)
    page = client.get("/k/hut/plan/", SENTENCE | again | {"heat_c": "62"}).content.decode()
    assert re.search(r'name="heat_c"\s+value="62"', page)
    page = client.get("/k/hut/plan/", SENTENCE | again | {"heat_c": "62", "way": "hot-oven"}).content.decode()
    assert re.search(r'name="heat_c"\s+value="200"', page)


def test_what_would_meet_the_rule_is_one_tap(kitchen, as_):
    """The page asks for it when it is not met; each change is an address at which it is."""
    client = as_("viewer")
    short = SENTENCE | {"cut": "pork-chop", "size_mm": "30", "mass_g": "320", "target_c": "58"}
    assert "plan/to-meet/" in client.get("/k/hut/plan/", short).content.decode()
    assert "plan/to-meet/" not in client.get("/k/hut/plan/", SENTENCE).content.decode()
    part = client.get("/k/hut/plan/to-meet/", short).content.decode()
    address = re.search(r'href="(/k/hut/plan/\?[^"]*)"', part)[1].replace("&amp;", "&")
    assert 'class="stands met"' in client.get(address).content.decode()


def test_what_if_page(kitchen, as_):
    """Nine pictures, the plan itself marked, each a link to its plan; how thick for a time, or how to write one."""
    client = as_("viewer")
    page = client.get("/k/hut/plan/what-if/", SENTENCE | {"across": "heat_c", "down": "target_c"}).content.decode()
    assert page.count("if-cell") == 9
    assert page.count("is-now") == 1
    assert "200 °C" in page
    later = (kitchen.local(kitchen.now()) + timedelta(minutes=40)).strftime("%H:%M")
    page = client.get("/k/hut/plan/what-if/", SENTENCE | {"by": later}).content.decode()
    assert re.search(r"up to <b>\d+", page)
    assert "Write a time such as" in client.get("/k/hut/plan/what-if/", SENTENCE | {"by": "soon"}).content.decode()
    boiled = SENTENCE | {
        "cut": "asparagus",
        "way": "blanch-and-shock",
        "across": "heat_c",
        "target_c": "83",
        "mass_g": "20",
    }
    assert "not set by a number" in client.get("/k/hut/plan/what-if/", boiled).content.decode()


def test_rule_of_thumb_page(kitchen, as_):
    """For which sizes it is true, what it leaves out; what is no rule is told."""
    client = as_("viewer")
    page = client.get("/k/hut/plan/thumb/", {"text": "63.3 °C, 35 min", "food": "pheasant"}).content.decode()
    assert "holds for" in page
    assert "start temperature" in page
    assert (
        "states 0 times"
        in client.get("/k/hut/plan/thumb/", {"text": "until done", "food": "pheasant"}).content.decode()
    )
    assert "Unknown food" in client.get("/k/hut/plan/thumb/", {"text": "4 min a side", "food": "\x00"}).content.decode()


def test_the_ring_and_its_batches(kitchen, as_):
    """Drawn in order, with batches where they do not all fit; a pan of the kitchen's own says how many it takes."""
    client = as_("viewer")
    six = SENTENCE | {"cut": "veal-cutlet", "size_mm": "18", "mass_g": "180", "count": "6"}
    page = client.get("/k/hut/plan/", six).content.decode()
    assert page.count("ring-piece") == 2
    assert "In batches of 2 + 2 + 2" in page
    Equipment.objects.create(kitchen=kitchen, kind="pan", name="Plate, wide", places=6)
    page = client.get("/k/hut/plan/", six | {"gear": "Plate, wide"}).content.decode()
    assert page.count("ring-piece") == 6
    assert "In batches" not in page
    assert "ring-piece" not in client.get("/k/hut/plan/", SENTENCE).content.decode()


@pytest.mark.parametrize(
    ("gear", "way", "said"),
    [
        ({"kind": "pan", "mass_kg": 0.9, "material": "aluminium", "watts": 500}, "hot-pan-basted", "the pan"),
        ({"kind": "bath", "litres": 2, "watts": 120}, "bath", "the bath"),
    ],
)
def test_gear_that_is_known_brings_its_store_of_heat(kitchen, as_, gear, way, said):
    """Chosen in the sentence, a light pan or a small bath falls, is drawn above the trace and said; unknown, it does not."""
    Equipment.objects.create(kitchen=kitchen, name="Own", **gear)
    Equipment.objects.create(kitchen=kitchen, name="Unknown", kind=gear["kind"])
    chef = as_("chef")
    page = chef.get(f"/k/{kitchen.public_id}/plan/?cut=bavette&count=4&way={way}&gear=Own").content.decode()
    assert "l-medium" in page
    assert f"the pieces pull {said} down by" in page
    plain = chef.get(f"/k/{kitchen.public_id}/plan/?cut=bavette&count=4&way={way}&gear=Unknown").content.decode()
    assert "l-medium" not in plain


def test_an_oven_that_is_known_tells_what_one_more_tray_does(kitchen, as_):
    """Its places are trays: all pieces share its heat, and one more tray is told in its own words."""
    Equipment.objects.create(kitchen=kitchen, name="Own", kind="oven", litres=60, watts=2500, places=3)
    page = (
        as_("chef").get(f"/k/{kitchen.public_id}/plan/?cut=hake-loin&count=24&way=hot-oven&gear=Own").content.decode()
    )
    assert re.search(r"with one more tray \(of \d+\) the oven falls by [\d.]+ °C instead of [\d.]+;", page)
    gear = {"name": "Own", "offset_c": 0.0, "store": Equipment.objects.get(name="Own").store()}
    stages = Sentence.for_cut("hake-loin", count=24, way="hot-oven", gear=gear).document()["stages"]
    assert {s["store"]["pieces"] for s in stages if "store" in s} == {24}


def test_what_a_pan_holds_at_once_shares_its_heat(kitchen):
    """Twelve in a pan of four places are three batches: four share it."""
    pan = Equipment(kitchen=kitchen, kind="pan", name="P", mass_kg=2.0, watts=1200, places=4)
    sentence = Sentence.for_cut("bavette", count=12, gear={"name": "P", "offset_c": 0.0, "store": pan.store()})
    stages = sentence.document()["stages"]
    assert {s["store"]["pieces"] for s in stages if "store" in s} == {4}
    assert from_document(sentence.document(), 0.0, 22.0).document()["stages"] == stages
    assert Equipment(kind="pan", name="light").store() is None
    assert Equipment(kind="hot-cabinet", name="C", watts=900).store() == {"kind": "cabinet", "power_w": 900}
    assert Equipment(kind="oven", name="O", litres=60).store() is None


def test_pieces_laid_in_one_after_another_by_the_sentence(kitchen, as_):
    """Every ten seconds, chosen by a chip, stands in the plan, in its address, and in what the pan needs; dragged, all go in at once."""
    Equipment.objects.create(kitchen=kitchen, name="Own", kind="pan", mass_kg=1.5, watts=1400, places=4)
    chef = as_("chef")
    asked = f"/k/{kitchen.public_id}/plan/?cut=bavette&count=4&way=hot-pan-basted&gear=Own"
    page = chef.get(f"{asked}&apart_s=10").content.decode()
    assert "Laid in one after another" in page
    assert 'data-value="10"' in page
    assert "0:30" in page  # so long takes laying in four
    assert "Laid in one after another" not in chef.get(asked).content.decode()
    assert "Laid in one after another" not in chef.get(f"{asked}&apart_s=10&live=1").content.decode()
    assert 'data-set="apart_s"' not in chef.get(f"{asked}&count=1").content.decode()
    gear = {"name": "P", "offset_c": 0.0, "store": {"kind": "pan", "mass_kg": 1.5, "places": 4}}
    document = Sentence.for_cut("bavette", count=4, apart_s=10.0, gear=gear).document()
    assert {s["store"]["lay_in_every_s"] for s in document["stages"] if "store" in s} == {10.0}
    assert from_document(document, 0.0, 22.0).apart_s == 10.0
    likely = chef.get(
        f"/k/{kitchen.public_id}/plan/forecast/?cut=bavette&count=4&way=hot-pan-basted&gear=Own&apart_s=10"
    )
    assert likely.status_code == 200
