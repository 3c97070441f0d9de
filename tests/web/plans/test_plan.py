"""Plan pages: computing, bad input beside the field, saving, files."""

from __future__ import annotations

import json
import re

import pytest
from django import forms
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase

from ember_core.book.book import shipped
from ember_web.plans.forms import Options
from ember_web.plans.models import Plan
from tests.conftest import plan_document

pytestmark = pytest.mark.django_db
SENTENCE = {
    "cut": "bavette", "count": "1", "size_mm": "28", "mass_g": "310", "start_c": "4", "target_c": "55", "way": "hot-pan-basted",
    "serve": "19:40", "rules": "us-food-code-2022", "guests": "general", "title": "",
}  # fmt: skip


@pytest.mark.parametrize(
    ("part", "value", "says"),
    [
        ("size_mm", "-3", "Thickness: give at least 1 mm"), ("size_mm", "thick", "Thickness: write a number in mm"),
        ("size_mm", "", "Thickness: give a number"), ("mass_g", "0", "Mass: give at least 1 g"), ("start_c", "900", "Start: give at most 100"),
        ("target_c", "nan", "Target: write a number"), ("serve", "tonight", "write a time such as 19:40"), ("way", "boiled-shoe", "Way: choose one"),
        ("count", "1.5", "Count: write a whole number"), ("cut", "unicorn", "Cut: choose one"), ("rules", "\x00", "choose one"), ("size_mm", "1e999", "Thickness"),
    ],
)  # fmt: skip
def test_bad_parts_are_named_and_kept(kitchen, as_, part, value, says):
    """A clear message, everything typed still there, never an error page."""
    reply = as_("cook").get("/k/hut/plan/", SENTENCE | {part: value})
    page = reply.content.decode()
    assert reply.status_code == 200
    assert says in page
    assert "19:40" in page
    assert 'name="start_c"' in page
    if value and value.isprintable() and part not in {"way", "cut", "rules"}:
        assert f'value="{value}"' in page


@pytest.mark.parametrize("said", [{}, {"size_mm": "-3"}])
def test_the_sentence_has_no_blank_before_a_stop(kitchen, as_, said):
    """With a doneness name and, refused, without one."""
    page = as_("cook").get("/k/hut/plan/", SENTENCE | said).content.decode()
    sentence = re.search(r'<p class="say">(.*?)</p>', page, re.DOTALL).group(1)
    filled = re.sub(
        r"<select.*?</select>|<input[^>]*>",
        "…",
        re.sub(r"<noscript>.*", "", sentence, flags=re.DOTALL),
        flags=re.DOTALL,
    )
    words = re.sub(r"\s+", " ", re.sub(r"<[^>]*>", "", filled))
    assert "°C" in words
    assert not re.search(r" [,.]", words), words


def test_a_way_that_cannot_cook_the_shape_is_an_error_beside_it(kitchen, as_):
    """Errors of the core find their part of the sentence."""
    page = as_("cook").get("/k/hut/plan/", SENTENCE | {"cut": "rabbit-saddle", "size_mm": "38"}).content.decode()
    assert "Choose another way" in page


def test_changing_the_cut_brings_its_own_values(kitchen, as_):
    """Another cut brings its size, doneness and way; the time of service stays."""
    page = as_("cook").get("/k/hut/plan/", SENTENCE | {"cut": "hake-loin", "was": "bavette"}).content.decode()
    for value in ('name="size_mm" value="32"', 'name="target_c" value="54"', 'value="19:40"'):
        assert value in page
    assert '<option value="hot-oven" selected>' in page


@pytest.mark.parametrize("cut", sorted(shipped().cuts))
def test_every_cut_of_the_book_can_be_planned(kitchen, as_, cut):
    """Each cut with its usual way: a pull, a picture, no complaint; its link gives the same plan again."""
    page = as_("cook").get("/k/hut/plan/", {"cut": cut, "serve": "19:40"}).content.decode()
    assert 'class="pull-core"' in page
    assert "data:image/png" in page
    assert 'class="errors"' not in page


def test_what_the_rules_add_is_shown_with_its_source(kitchen, as_):
    """Undercooked fish is told of parasites; susceptible guests are a stop, and come first."""
    page = as_("cook").get("/k/hut/plan/", {"cut": "hake-loin", "serve": "19:40"}).content.decode()
    assert "must have been frozen" in page
    assert "3-402.11" in page
    page = (
        as_("cook")
        .get("/k/hut/plan/", {"cut": "duck-breast", "serve": "19:40", "guests": "susceptible"})
        .content.decode()
    )
    listed = page[page.index('<ul class="findings">') :]
    assert listed.index('class="stop"') < listed.index('class="care"')


def test_the_likely_range_says_what_moves_it(kitchen, as_):
    """The fragment that comes after the page: a range of the pull, and what one change does to it."""
    page = as_("viewer").get("/k/hut/plan/forecast/", SENTENCE).content.decode()
    assert "likely" in page
    assert "2 mm thicker" in page
    assert "later" in page
    assert "sooner" in page


def test_page_and_fragment_are_the_same_plan(kitchen, as_):
    """htmx gets the fragment that the full page includes."""
    client = as_("viewer")
    full = client.get("/k/hut/plan/", SENTENCE).content.decode()
    part = client.get("/k/hut/plan/", SENTENCE, headers={"HX-Request": "true"}).content.decode()
    assert "<html" in full
    assert "<html" not in part
    pull = part.split('class="clock">')[1].split("<")[0]
    assert f'class="clock">{pull}<' in full
    assert "3-401.11(C)" in part
    assert (
        "served with advisory" in client.get("/k/hut/plan/", {"cut": "trout-fillet", "serve": "19:40"}).content.decode()
    )
    unfrozen = client.get("/k/hut/plan/", {"cut": "hake-loin", "serve": "19:40"}).content.decode()
    assert "not yet known" in unfrozen
    assert "Say that it was frozen" in unfrozen


def test_forecast_part_gives_clock_times(kitchen, as_):
    """Earliest and latest likely pull, as a fragment."""
    part = as_("viewer").get("/k/hut/plan/forecast/", SENTENCE).content.decode()
    assert "likely 19:" in part
    assert "ribbon-data" in part


def test_save_change_export_import(kitchen, as_):
    """A plan saved, changed in the address, saved over, exported and taken in again."""
    client = as_("cook")
    saved = client.post("/k/hut/plan/save/", SENTENCE)
    plan = Plan.objects.get()
    assert saved["Location"] == f"/k/hut/plan/{plan.public_id}/"
    changed = SENTENCE | {"size_mm": "33"}
    assert "Save changes" in client.get(saved["Location"], changed).content.decode()
    client.post("/k/hut/plan/save/", changed | {"plan": plan.public_id})
    plan.refresh_from_db()
    assert plan.document["piece"]["shape"]["thickness_mm"] == 33
    file = client.get(f"{saved['Location']}file/")
    assert json.loads(file.content) == plan.document
    client.post("/k/hut/plan/import/", {"file": SimpleUploadedFile("plan.json", file.content)})
    assert Plan.objects.count() == 2
    assert Plan.objects.first().document == plan.document


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("{", "Not readable as JSON"), (json.dumps(plan_document() | {"odd": 1}), "Unknown key"), ("[]", "must be a"),
        (json.dumps(plan_document(stages=[{"kind": "bath", "minutes": 5, "medium_c": 900}])), "give at most 400"), ("x" * 1_500_000, "1,000,000 are taken"),
    ],
)  # fmt: skip
def test_import_refusals(kitchen, as_, text, says):
    """A bad file is refused with its place; pasted text is kept."""
    reply = as_("cook").post("/k/hut/plan/import/", {"text": text})
    assert reply.status_code == 422
    assert says in reply.content.decode()
    assert text[:20].replace('"', "&quot;") in reply.content.decode()


def test_import_of_a_large_file(kitchen, as_):
    """2 MB: refused with words, not with an error page."""
    reply = as_("cook").post("/k/hut/plan/import/", {"file": SimpleUploadedFile("plan.json", b"x" * 2_000_000)})
    assert reply.status_code == 422
    assert "1,000,000 are taken" in reply.content.decode()


@pytest.mark.parametrize("text", ["bavette 28mm mr 19:40", "glitter", "", "\x00", "x" * 5000])
def test_quick_entry_page(kitchen, as_, text):
    """Understood, or told what to begin with."""
    page = as_("cook").get("/k/hut/plan/quick/", {"q": text}).content.decode()
    assert ("Quick entry read" in page) is text.startswith("bavette")
    assert "No cut was recognised" in page or text.startswith("bavette")


def test_list_and_search(kitchen, plan, as_):
    """Plans are found by title; an empty list teaches."""
    client = as_("viewer")
    page = client.get("/k/hut/plan/list/", {"q": "bav"}).content.decode()
    assert plan.title in page
    assert "hot pan, basted" in page
    assert "No plan has that name" in client.get("/k/hut/plan/list/", {"q": "\x00zz"}).content.decode()


def test_sign_in_locks_out(kitchen, client, settings):
    """Many wrong passwords lock the name for a while."""
    settings.AXES_ENABLED = True
    for _ in range(8):
        reply = client.post("/sign-in/", {"username": "chef", "password": "wrong"})
    assert reply.status_code == 429
    assert "Wait 15 minutes" in reply.content.decode()


def test_clock_can_run_fast_without_a_jump(kitchen, as_):
    """The chef of a simulated kitchen changes the rate; the time does not jump."""
    before = kitchen.now()
    assert as_("chef").post("/k/hut/clock/", {"rate": "60"}).status_code == 302
    kitchen.refresh_from_db()
    assert kitchen.clock_rate == 60
    assert 0 <= (kitchen.now() - before).total_seconds() < 300
    as_("chef").post("/k/hut/clock/", {"rate": "7"})
    kitchen.refresh_from_db()
    assert kitchen.clock_rate == 60


@pytest.mark.parametrize(("data", "mass"), [({"size_mm": "80"}, "1134.6"), ({"size_mm": "80", "mass_g": "1200"}, "1200"),
                                            ({"size_mm": "70", "was_size": "80", "mass_g": "1134.6"}, "868.7")])  # fmt: skip
def test_the_usual_mass_follows_the_size(kitchen, as_, data, mass):
    """A rolled shoulder 80 mm across does not weigh what one of 95 mm does; a mass of the cook's own stays."""
    start = {"cut": "hogget-shoulder", "was": "hogget-shoulder", "mass_g": "1600", "serve": "19:40"}
    page = as_("cook").get("/k/hut/plan/", start | data).content.decode()
    assert f'name="mass_g" value="{mass}"' in page
    assert 'class="errors"' not in page


def test_a_mass_that_the_shape_cannot_hold_is_told_beside_it(kitchen, as_):
    """What is wrong stands with the mass; nothing else is lost."""
    page = (
        as_("cook").get("/k/hut/plan/", {"cut": "hogget-shoulder", "mass_g": "5000", "serve": "19:40"}).content.decode()
    )
    assert 'id="error-mass_g"' in page
    assert "The mass is 5000 g, and this shape holds about 1,578 g" in page


@pytest.mark.parametrize("value", ["a", "b & c", "", None, 3, "none of them"])
def test_a_select_is_written_as_djangos_own(value):
    """Plain and grouped, with what must be escaped, and every kind of value."""
    choices = [("", "any"), ("a", "A < B"), ("Beef & veal", [("b & c", 'the "best"'), (3, "three")])]
    attrs = {"class": "part", "aria-label": "cut", "translate": "no"}
    ours, theirs = (kind(attrs=attrs, choices=choices) for kind in (Options, forms.Select))
    same = SimpleTestCase().assertHTMLEqual
    same(ours.render("cut", value, {"id": "id_cut"}), theirs.render("cut", value, {"id": "id_cut"}))


def test_the_likely_range_says_how_much_sooner_a_piece_that_shrinks_may_be_ready(kitchen, as_):
    """A breast at 74 °C loses a third; a steak at 55 °C next to nothing, and nothing is said of it."""
    page = as_("viewer").get("/k/hut/plan/forecast/", {"cut": "chicken-breast", "serve": "19:40"}).content.decode()
    found = re.search(r"Losing (\d+) % it draws together to (\d+) % each way and may be ready (\d+) min sooner", page)
    assert found is not None
    lost, left, sooner = (int(x) for x in found.groups())
    assert 20 <= lost <= 40
    assert left == pytest.approx(100.0 * (1.0 - lost / 100.0) ** (1.0 / 3.0), abs=1.0)
    assert 3 <= sooner <= 20
    page = (
        as_("viewer").get("/k/hut/plan/forecast/", {"cut": "bavette", "way": "bath", "serve": "19:40"}).content.decode()
    )
    assert "likely" in page
    assert "draws together" not in page


@pytest.mark.parametrize(
    ("sentence", "by_eye"),
    [
        ({"cut": "lamb-rack", "way": "hot-oven", "target_c": "55"}, True),
        ({"cut": "whole-chicken", "way": "hot-oven", "target_c": "74"}, False),
        ({"cut": "bavette", "way": "hot-pan", "target_c": "55"}, False),
        ({"cut": "bavette", "way": "bath", "target_c": "55"}, False),
    ],
)
def test_a_colour_that_the_model_does_not_give_is_left_to_the_eye(kitchen, as_, sentence, by_eye):
    """Of bare meat in hot air; not of skin, nor of what a pan or a bath does."""
    page = as_("cook").get("/k/hut/plan/", sentence).content.decode()
    assert ("judge it by eye" in page) is by_eye
    assert ("keeps bare meat wet too long" in page) is by_eye


@pytest.mark.parametrize(
    ("text", "where"), [("3 scrambled eggs", "scrambled/?count=3"), ("2 eggs over easy", "fried/?count=2"), ("omelet", "omelette/"), ("hollandaise", "sauce/")]
)  # fmt: skip
def test_eggs_that_a_calculator_answers_go_there(kitchen, as_, text, where):
    reply = as_("cook").get("/k/hut/plan/quick/", {"q": text})
    assert reply.status_code == 302
    assert reply.url == f"/k/hut/eggs/open/{where}"
    assert as_("cook").get(reply.url).status_code == 200


@pytest.mark.parametrize(
    ("text", "left"), [("ribeye 300mm mr", "300mm"), ("chicken breast 2kg", "2kg"), ("turkey burger", "burger")]
)
def test_what_a_cut_never_is_is_asked_about(kitchen, as_, text, left):
    page = as_("cook").get("/k/hut/plan/quick/", {"q": text}).content.decode()
    assert f"“{left}”" in page
    assert "Quick entry read" not in page
