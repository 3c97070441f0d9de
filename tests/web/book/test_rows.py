"""Cuts, ways and names of the book: shown, searched, changed with a look at the effect, retired, as a file and back."""

from __future__ import annotations

import json
import re

import pytest

from ember_core.book.book import shipped
from ember_web.book.models import BookRow
from ember_web.book.queries import book_of
from ember_web.book.row_forms import FORMS, WayForm
from ember_web.book.stage_forms import of_stage, to_stage
from ember_web.plans.models import Plan

pytestmark = pytest.mark.django_db
BOOK = "/k/hut/book/"


def filled(kind, key, **changed):
    """What the form of a row sends back untouched, but for what is changed."""
    form = FORMS[kind](shipped(), shipped().newest(kind)[key])
    out = {}
    for part in [form, *getattr(form, "stages", [])]:
        for field in part:
            value = field.value()
            if value in (None, False):
                continue
            out[field.html_name] = (
                value
                if isinstance(value, list) and field.name in {"shapes", "kinds", "gear"}
                else field.field.prepare_value(value)
            )
    return {**out, "rows_sent": form.rows_sent, **changed}


@pytest.mark.parametrize("kind", ["cut", "way", "doneness", "spread"])
def test_a_form_that_is_kept_as_it_was_changes_nothing(kind):
    """Every shipped row through its form and back."""
    for key, row in shipped().newest(kind).items():
        form = FORMS[kind](shipped(), row, filled(kind, key))
        assert form.is_valid(), (key, form.errors, [s.errors for s in getattr(form, "stages", [])])
        made, was = form.body(), json.loads(json.dumps({k: v for k, v in row.items() if k not in {"id", "version"}}))
        for stage in was.get("stage", []):  # the first files' words for it
            if stage.pop("solve", False):
                stage["until"] = {"peak_core_c": "target"}
            if "chill_to" in stage:
                stage["until"] = {"core_c": stage.pop("chill_to")}
        blank = {"skin": False, "bone": "no", "aliases": [], "allergens": []}
        assert blank | made == blank | was, key


@pytest.mark.parametrize("where", ["a", "b", "b-basted", "all"])
def test_a_stage_is_where_it_is_said_to_be(where):
    """Faces, heat, end and words."""
    told = {
        "stage": "pan", "minutes": 3.0, "ends": "surface_c", "value": 150.0, "heat": 200.0, "where": where, "variant": "good", "cover": "",
        "verb": "Slap it in", "cue": "", "why": "", "caution": "",
    }  # fmt: skip
    made = to_stage(told, {})
    shown = of_stage(1, made)
    assert {k: shown[k] for k in ("stage", "minutes", "ends", "value", "heat", "where", "variant", "verb")} == {
        "stage": "pan", "minutes": "3", "ends": "surface_c", "value": "150", "heat": "200", "where": where, "variant": "good", "verb": "Slap it in",
    }  # fmt: skip


def test_the_book_opens_on_cuts(kitchen, as_):
    """By species, with size, core and way; searched by any name; a cut and a way have pages of their own."""
    page = as_("viewer").get(BOOK).content.decode()
    assert "bavette" in page
    assert "kJ/(kg K)" not in page
    rows = as_("viewer").get(BOOK, {"q": "squab"}, headers={"HX-Request": "true"}).content.decode()
    assert "pigeon breast" in rows
    assert "bavette" not in rows
    assert "away from fat and bone" in as_("viewer").get(f"{BOOK}cuts/bavette/").content.decode()
    way = as_("viewer").get(f"{BOOK}ways/hot-pan-basted/").content.decode()
    assert "solved" in way
    assert len(re.findall(r"<h3>\s*[\d.]+ mm, \d", way)) == 3
    assert as_("viewer").get(f"{BOOK}cuts/unicorn/").status_code == 404


def test_ways_by_gear(kitchen, as_):
    """With a pan alone nothing asks for a bath; with nothing that fits, it says so."""
    pan = as_("viewer").get(f"{BOOK}ways/", {"gear": "pan"}).content.decode()
    assert "hot pan, turned once" in pan
    assert "bath, dry, sear" not in pan
    assert "No way goes with this gear" in as_("viewer").get(f"{BOOK}ways/", {"gear": "torch"}).content.decode()


def test_what_can_be_on_the_plate_in_time(kitchen, as_):
    """Only what is ready in time, the quickest first, each a link to its plan; asked again until all is looked at."""
    for _ in range(20):
        page = (
            as_("viewer")
            .get(f"{BOOK}time/", {"minutes": "12", "species": "fish", "gear": ["pan", "pot"]})
            .content.decode()
        )
        if "more to come" not in page:
            break
    took = [int(m) for m in re.findall(r"<b>\s*(\d+) min", page)]
    assert took == sorted(took)
    assert took
    assert took[-1] <= 12
    assert "cut=sole-fillet&amp;way=poach" in page or "cut=sole-fillet&way=poach" in page
    assert "way=bath" not in page


def test_a_chef_changes_a_way(kitchen, plan, as_):
    """Looked at beside the old one, kept as the next version; a saved plan stays, a new one takes it."""
    chef = as_("chef")
    address = f"{BOOK}change/way/hot-pan-basted/"
    hotter = filled(
        "way",
        "hot-pan-basted",
        **{"s0-heat": "240", "s2-minutes": "12", "s0-cue": "When it sings", "reason": "our plate"},
    )
    look = chef.post(address, hotter | {"look": "1"}).content.decode()
    assert "Before" in look
    assert "After" in look
    assert not BookRow.objects.exists()
    assert chef.post(address, hotter | {"keep": "1"}).status_code == 302
    row = book_of(kitchen).ways["hot-pan-basted"]
    assert (row["version"], row["stage"][0]["faces"]["a"]["medium_c"], row["stage"][0]["say"]) == (
        3,
        240.0,
        {"cue": "When it sings"},
    )
    before = Plan.objects.get(pk=plan.pk).document
    assert (
        f'value="{before["piece"]["shape"]["thickness_mm"]:g}"'
        in chef.get(f"/k/hut/plan/{plan.public_id}/").content.decode()
    )
    fresh = chef.get("/k/hut/plan/", {"cut": "bavette"}).content.decode()
    assert "When it sings" in fresh
    assert "version 3" in chef.get(f"/k/hut/plan/{plan.public_id}/").content.decode()


@pytest.mark.parametrize(
    ("kind", "key", "changed", "says"),
    [
        ("way", "hot-pan-basted", {"s0-minutes": "soon"}, "Write a number; or target"),
        ("way", "hot-pan-basted", {"s0-heat": ""}, "medium_c"),
        ("way", "hot-pan-basted", {"s0-ends": "core_c", "s0-value": ""}, "at which temperature it ends"),
        ("cut", "bavette", {"size_mm": "0"}, "at least 1"),
        ("cut", "bavette", {"shape": "sphere"}, "Choose another usual way"),
        ("doneness", "red-meat", {"lines": "blue"}, "name and its core"),
        ("doneness", "red-meat", {"usual": "pink"}, "choose one of"),
        ("spread", "usual", {"start_c": "99"}, "start_c"),
    ],
)
def test_what_cannot_be_used_is_told_and_kept(kitchen, as_, kind, key, changed, says):
    """With the remedy, and what was typed still there."""
    reply = as_("chef").post(f"{BOOK}change/{kind}/{key}/", filled(kind, key, **changed) | {"keep": "1"})
    assert reply.status_code == 422
    page = reply.content.decode()
    assert says in page
    assert not BookRow.objects.exists()
    assert all(f'value="{v}"' in page or v in page for v in changed.values() if v)


def test_copy_retire_and_bring_back(kitchen, as_):
    """A copy has an id of its own; what is retired is offered no more, and can be again."""
    chef = as_("chef")
    copied = filled("cut", "bavette", name="bavette, dry-aged", mass_g="300") | {"copy": "1", "keep": "1"}
    assert chef.post(f"{BOOK}change/cut/bavette/", copied).status_code == 302
    assert book_of(kitchen).cuts["bavette-dry-aged"]["mass_g"] == 300.0
    assert chef.post(f"{BOOK}retire/cut/bavette/").status_code == 302
    assert "bavette" not in book_of(kitchen).cuts
    assert "bavette, dry-aged" in chef.get(BOOK).content.decode()
    assert chef.get("/k/hut/plan/").status_code == 200
    assert chef.post(f"{BOOK}retire/cut/bavette/").status_code == 302
    assert "bavette" in book_of(kitchen).cuts


def test_a_cook_may_look_and_not_change(kitchen, as_):
    """Forms and retiring are a chef's."""
    cook = as_("cook")
    assert cook.get(f"{BOOK}cuts/bavette/").status_code == 200
    for reply in (
        cook.get(f"{BOOK}change/cut/bavette/"),
        cook.post(f"{BOOK}retire/cut/bavette/"),
        cook.get(f"{BOOK}import/"),
    ):
        assert reply.status_code == 403


def test_the_book_as_a_file_and_back(kitchen, stranger, as_):
    """The house's own rows into another kitchen; the same again is nothing new; an error names the place, all or nothing."""
    chef = as_("chef")
    chef.post(f"{BOOK}change/cut/bavette/", filled("cut", "bavette", mass_g="333") | {"keep": "1"})
    own = chef.get(f"{BOOK}file/", {"own": "1"}).content.decode()
    assert [c["mass_g"] for c in json.loads(own)["cuts"]] == [333.0]
    assert len(json.loads(chef.get(f"{BOOK}file/").content)["ways"]) == len(shipped().ways)
    barn = as_("stranger")
    assert "1 cuts" in barn.post("/k/barn/book/import/", {"text": own}, follow=True).content.decode()
    assert "Nothing in it is new" in barn.post("/k/barn/book/import/", {"text": own}, follow=True).content.decode()
    broken = json.loads(own)
    broken["cuts"].append(broken["cuts"][0] | {"id": "bad", "food": "unicorn"})
    broken["cuts"][0]["mass_g"] = 300.0
    reply = barn.post("/k/barn/book/import/", {"text": json.dumps(broken)})
    assert reply.status_code == 422
    assert "/cuts/1/food" in reply.content.decode()
    assert BookRow.objects.filter(kitchen__public_id="barn").count() == 1


def test_too_many_stages_are_not_read():
    """A form that claims thousands of stages is cut off."""
    assert len(WayForm(shipped(), None, {"s99-stage": "pan", "name": "x"}).stages) <= 40
