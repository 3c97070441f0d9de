"""Plans on paper and as files; the list and what is done with several at once; two people at one plan."""

from __future__ import annotations

import contextlib
import io
import json
import re
import zipfile
import zlib

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from icalendar import Calendar

from ember_core.entry.sentence import Sentence
from ember_web.plans.models import Plan, PlanRevision
from ember_web.plans.papers import SHEETS
from tests.web.plans.test_plan import SENTENCE

pytestmark = pytest.mark.django_db
LIST = "/k/hut/plan/list/"
SEEN = r'name="seen"\s+value="([\w:-]+)"'


@pytest.fixture
def four(kitchen, as_):
    """Four saved plans of different ways."""
    client = as_("cook")
    for cut, way in (
        ("bavette", "hot-pan-basted"),
        ("short-rib", "bath-and-chill"),
        ("duck-breast", "bath-then-skin"),
        ("hake-loin", "hot-oven"),
    ):
        s = Sentence.for_cut(cut, way=way)
        data = SENTENCE | {
            "cut": cut, "way": way, "size_mm": f"{s.size_mm:g}", "mass_g": f"{s.mass_g:g}", "target_c": f"{s.target_c:g}", "title": f"{cut}, four",
        }  # fmt: skip
        assert client.post("/k/hut/plan/save/", data).status_code == 302
    return [p.public_id for p in Plan.objects.filter(title__endswith=", four").order_by("id")]


def inside(pdf):
    """A PDF with its packed streams laid open."""
    out = [pdf]
    for packed in re.findall(rb"stream\r?\n(.*?)\r?\nendstream", pdf, re.DOTALL):
        with contextlib.suppress(zlib.error):
            out.append(zlib.decompress(packed))
    return b"\n".join(out)


@pytest.mark.parametrize(
    ("paper", "pages", "size"), [("a5", 4, (419.5, 595.3)), ("half-letter", 4, (396, 612)), ("a4", 2, (841.9, 595.3))]
)
def test_station_cards(kitchen, as_, four, paper, pages, size):
    """A page each, or two on a sheet; on the paper that was asked for."""
    reply = as_("viewer").get("/k/hut/plan/papers/", {"plan": four, "what": "cards", "paper": paper})
    assert reply["Content-Type"] == "application/pdf"
    assert reply.content.startswith(b"%PDF-")
    boxes = re.findall(rb"/MediaBox ?\[ ?0 0 ([\d.]+) ([\d.]+)", inside(reply.content))
    assert len(boxes) >= pages
    assert all((float(w), float(h)) == pytest.approx(size, abs=1.5) for w, h in boxes)
    assert paper in SHEETS or len(boxes) == pages


def test_prep_list_calendar_and_files(kitchen, as_, four):
    """What is done before heat in one list; moves as events in order of the plan; files that can be taken again."""
    client = as_("viewer")
    assert client.get("/k/hut/plan/papers/", {"plan": four, "what": "prep"}).content.startswith(b"%PDF-")
    events = Calendar.from_ical(client.get("/k/hut/plan/papers/", {"plan": four[:1], "what": "calendar"}).content).walk(
        "VEVENT"
    )
    names = [str(e["SUMMARY"]) for e in events]
    assert any(n.startswith("Pull · bavette") for n in names)
    assert any(n.startswith("Salt · bavette") for n in names)
    assert len({str(e["UID"]) for e in events}) == len(events)
    with zipfile.ZipFile(io.BytesIO(client.get("/k/hut/plan/papers/", {"plan": four, "what": "zip"}).content)) as found:
        assert len(found.namelist()) == 4
        assert json.loads(found.read(found.namelist()[0]))["format"] == "open-ember.plan/1"
    assert client.get("/k/hut/plan/papers/", {"what": "zip"}).status_code == 302
    assert client.get("/k/hut/plan/papers/", {"plan": four, "what": "poem"}).status_code == 400


def test_a_plan_as_a_recipe(kitchen, as_, four):
    """schema.org's words, with the moves as steps."""
    reply = as_("viewer").get(f"/k/hut/plan/{four[0]}/recipe/")
    found = reply.json()
    assert reply["Content-Type"] == "application/ld+json"
    assert (found["@type"], found["name"]) == ("Recipe", "bavette, four")
    assert [s["name"] for s in found["recipeInstructions"]][-2:] == ["Pull", "Serve"]
    assert re.match(r"PT\d+M$", found["cookTime"])


def test_the_list_shows_time_state_and_picture(kitchen, as_, four):
    """Found by word, tag and order; a strip of the inside, how long from pull to plate, how it stands."""
    client = as_("cook")
    Plan.objects.filter(public_id__in=four).update(summary={})
    page = client.get(LIST).content.decode()
    assert page.count("data:image/png") == 0
    assert "4 plans are not computed yet" in page
    lacking = {"plan": re.findall(r'name="plan"\s+value="([\w-]+)"', page), "query": "sort=name"}
    assert client.post("/k/hut/plan/summaries/", lacking)["Location"] == LIST + "?sort=name"
    page = client.get(LIST).content.decode()
    assert page.count('class="p-name"') == 4
    assert page.count("data:image/png") == 4
    assert "pull to plate 8:00" in page
    assert 'class="stands met"' in page
    arrange = {"plan": four[:2], "do": "tag", "tag": "Late Table"}
    assert "2 plans updated" in client.post("/k/hut/plan/arrange/", arrange, follow=True).content.decode()
    assert client.get(LIST, {"tag": "late table"}).content.decode().count('class="p-name"') == 2
    assert "letters" in client.post("/k/hut/plan/arrange/", arrange | {"tag": "x" * 31}, follow=True).content.decode()
    names = re.findall(r'translate="no">(\w[\w-]+), four', client.get(LIST, {"sort": "name"}).content.decode())
    assert names == sorted(names)


def test_several_at_once(kitchen, plan, as_, four):
    """Duplicated, archived and restored, given one time on the plate; a viewer may not."""
    client = as_("cook")
    client.post("/k/hut/plan/arrange/", {"plan": four[:1], "do": "duplicate"})
    assert Plan.objects.filter(title="bavette, four, copy").count() == 1
    client.post("/k/hut/plan/arrange/", {"plan": four, "do": "archive"})
    assert "bavette, four, copy" in client.get(LIST).content.decode()
    assert ">bavette, four<" not in client.get(LIST).content.decode()
    client.post("/k/hut/plan/arrange/", {"plan": four, "do": "restore"})
    client.post("/k/hut/plan/arrange/", {"plan": four, "do": "serve", "serve": "20:15"})
    assert {Plan.objects.get(public_id=p).document["serve_at"][11:16] for p in four} == {"20:15"}
    assert (
        "write a time such as"
        in client.post(
            "/k/hut/plan/arrange/", {"plan": four, "do": "serve", "serve": "soon"}, follow=True
        ).content.decode()
    )
    assert as_("viewer").post("/k/hut/plan/arrange/", {"plan": four, "do": "archive"}).status_code == 403
    assert client.post("/k/hut/plan/arrange/", {"plan": [plan.public_id], "do": "burn"}).status_code == 403


def test_a_list_that_is_looked_at_writes_and_computes_nothing(kitchen, as_, four, monkeypatch):
    """A GET: no plan is solved for it, and nothing is written but the session's own."""
    monkeypatch.setattr(
        "ember_web.jobs.waiting.solver.run", lambda *_a, **_k: pytest.fail("a list that is shown solves nothing")
    )
    client = as_("viewer")
    client.get(LIST)
    with CaptureQueriesContext(connection) as asked:
        assert client.get(LIST).status_code == 200
    assert [q["sql"] for q in asked if q["sql"].split()[0] in {"UPDATE", "INSERT", "DELETE"}] == []


def test_a_part_of_a_page_does_not_ask_for_the_strip(kitchen, as_, four, monkeypatch):
    """The clock strip is computed for whole pages only."""
    asked = []
    monkeypatch.setattr("ember_web.ui.context.ask", lambda name, *_a, otherwise=None: asked.append(name) or otherwise)
    client = as_("cook")
    client.get("/k/hut/plan/to-meet/", SENTENCE)
    assert "strip" not in asked
    client.get(LIST)
    assert asked.count("strip") == 1


def test_several_at_once_are_changed_all_or_none(kitchen, as_, four):
    """One that somebody saved since the list was shown: it is named, and none has the new time; then the list as it is now works."""
    mine, theirs = as_("cook"), as_("chef")
    seen = re.findall(SEEN, mine.get(LIST).content.decode())
    assert len(seen) == 4
    before = {p.public_id: p.document.get("serve_at") for p in Plan.objects.filter(public_id__in=four)}
    assert (
        theirs.post("/k/hut/plan/save/", SENTENCE | {"plan": four[1], "title": "theirs", "size_mm": "33"}).status_code
        == 302
    )
    asked = {"plan": four, "do": "serve", "serve": "20:15", "seen": seen}
    page = mine.post("/k/hut/plan/arrange/", asked, follow=True).content.decode()
    assert "Somebody saved theirs since this list was shown" in page
    now = {p.public_id: p.document.get("serve_at") for p in Plan.objects.filter(public_id__in=four)}
    assert {k: v for k, v in now.items() if k != four[1]} == {k: v for k, v in before.items() if k != four[1]}
    assert Plan.objects.get(public_id=four[1]).document["piece"]["shape"]["thickness_mm"] == 33
    again = re.findall(SEEN, mine.get(LIST).content.decode())
    mine.post("/k/hut/plan/arrange/", asked | {"seen": again})
    assert {Plan.objects.get(public_id=p).document["serve_at"][11:16] for p in four} == {"20:15"}


@pytest.mark.parametrize("do", ["duplicate", "serve"])
def test_a_plan_that_cannot_be_used_any_more_stops_all(kitchen, as_, four, do):
    """The last of four is of a format that is read no more: nothing of the others is changed, no copy is left."""
    last = Plan.objects.filter(public_id__in=four).order_by("-pk").first()
    Plan.objects.filter(pk=last.pk).update(document=last.document | {"format": "open-ember.plan/0"})
    count, revisions = Plan.objects.count(), PlanRevision.objects.count()
    asked = {"plan": four, "do": do, "serve": "20:15"}
    page = as_("cook").post("/k/hut/plan/arrange/", asked, follow=True).content.decode()
    assert "open-ember.plan/1" in page  # what is read, named
    assert "plans updated" not in page
    assert (Plan.objects.count(), PlanRevision.objects.count()) == (count, revisions)


def test_two_people_at_one_plan(kitchen, as_, four):
    """The second is told, sees both, and loses nothing; saving again replaces, as new keeps both."""
    mine, theirs = as_("cook"), as_("chef")
    opened = mine.get(f"/k/hut/plan/{four[0]}/").content.decode()
    seen = re.search(r'name="seen" value="(\d+)"', opened)[1]
    data = SENTENCE | {"plan": four[0], "seen": seen}
    assert theirs.post("/k/hut/plan/save/", data | {"size_mm": "33", "mass_g": ""}).status_code == 302
    reply = mine.post("/k/hut/plan/save/", data | {"size_mm": "22", "mass_g": ""})
    page = reply.content.decode()
    assert reply.status_code == 409
    assert "Somebody saved this plan meanwhile" in page
    assert 'value="22"' in page
    assert f"/k/hut/plan/{four[0]}/" in page
    assert Plan.objects.get(public_id=four[0]).document["piece"]["shape"]["thickness_mm"] == 33
    again = re.search(r'name="seen" value="(\d+)"', page)[1]
    assert mine.post("/k/hut/plan/save/", data | {"size_mm": "22", "mass_g": "", "seen": again}).status_code == 302
    assert Plan.objects.get(public_id=four[0]).document["piece"]["shape"]["thickness_mm"] == 22
    assert Plan.objects.get(public_id=four[0]).revisions.count() == 3
