"""Language and units by person: numbers as they were written, documents said again, what others wrote left alone."""

from __future__ import annotations

import json
import re

import pytest

from ember_core.wording.message import Message, say
from ember_core.wording.quantities import IMPERIAL, SI
from ember_web.line.models import Cook
from ember_web.plans import written
from ember_web.plans.models import Plan
from ember_web.tenancy.models import User

pytestmark = pytest.mark.django_db
ALL_IMPERIAL = {"language": "", "temperature": "F", "length": "in", "mass": "oz", "volume": "qt", "clock": "12"}


@pytest.fixture
def abroad(kitchen, as_):
    """A cook who reads °F, inches, ounces and half days."""
    User.objects.filter(username="cook").update(**ALL_IMPERIAL)
    return as_("cook")


def value(page, name):
    """What a field of the page shows."""
    tag = re.search(rf'<input[^>]*name="{name}"[^>]*>', page).group()
    return re.search(r'value="([^"]*)"', tag).group(1)


def test_preferences_are_a_persons_own(kitchen, as_):
    """Set in a form, kept with the person, seen by nobody else; what there is not is refused by name."""
    assert as_("viewer").post("/k/hut/preferences/", ALL_IMPERIAL).status_code == 302
    assert User.objects.get(username="viewer").units == IMPERIAL
    assert User.objects.get(username="cook").units == SI
    reply = as_("viewer").post("/k/hut/preferences/", ALL_IMPERIAL | {"temperature": "K"})
    assert reply.status_code == 422
    assert "°F" in as_("viewer").get("/k/hut/plan/").content.decode()
    assert "°F" not in as_("cook").get("/k/hut/plan/").content.decode()


@pytest.mark.parametrize("page", ["plan/", "plan/what-if/", "plan/schools/", "plans/", "line/", "logbook/"])
def test_no_page_of_numbers_names_a_unit_the_reader_does_not_have(abroad, page):
    """Headings and signs go with the numbers under them; a publication is quoted as it is."""
    found = abroad.get(f"/k/hut/{page}").content.decode()
    headed = re.findall(r"<(th|label|dt|legend|h\d|option)\b[^>]*>(.*?)</\1>", found, re.DOTALL)
    assert headed
    assert not [words for _tag, words in headed if "°C" in words]


def test_a_number_stays_as_it_was_entered(abroad, as_):
    """1.10 in and 130 °F come back as such, for a person of other units converted, and change nothing unless changed."""
    typed = {"cut": "bavette", "size_mm": "1.10", "target_c": "130", "units": IMPERIAL.code, "title": "ours"}
    page = abroad.get("/k/hut/plan/", typed).content.decode()
    assert (value(page, "size_mm"), value(page, "target_c")) == ("1.10", "130")
    saver = page[page.index('class="saver"') :]
    hidden = dict(re.findall(r'<input type="hidden"\s+name="(\w+)"\s+value="([^"]*)"', saver))
    hidden = {k: v.replace("&quot;", '"').replace("&amp;", "&") for k, v in hidden.items()}
    assert abroad.post("/k/hut/plan/save/", hidden | {"title": "ours"}).status_code == 302
    plan = Plan.objects.get(title="ours")
    assert plan.document["piece"]["shape"]["thickness_mm"] == pytest.approx(27.94)
    assert plan.entered == {"size_mm": ["1.10", "in"], "target_c": ["130", "°F"]}
    again = abroad.get(f"/k/hut/plan/{plan.public_id}/").content.decode()
    assert (value(again, "size_mm"), value(again, "target_c")) == ("1.10", "130")
    metric = as_("chef").get(f"/k/hut/plan/{plan.public_id}/").content.decode()
    assert value(metric, "size_mm") == "27.94"


@pytest.mark.parametrize("mm", ["28", "26.5", "27.94", "33.333333"])
def test_what_is_shown_converted_comes_back_exact(abroad, mm):
    """Changing another part of the sentence leaves a converted size as it is."""
    page = abroad.get("/k/hut/plan/", {"cut": "bavette", "size_mm": mm}).content.decode()
    sent = {
        "cut": "bavette",
        "units": IMPERIAL.code,
        "si": value(page, "si").replace("&amp;", "&"),
        "size_mm": value(page, "size_mm"),
        "target_c": "140",
    }
    assert written.read_written(sent).values["size_mm"] == mm
    assert written.read_written(sent).values["target_c"] == "60"
    assert written.read_written(sent | {"size_mm": "2"}).values["size_mm"] == "50.8"


@pytest.mark.parametrize(
    ("sent", "name", "words"),
    [
        ({"size_mm": "99"}, "size_mm", "Thickness: give at most 15.75 in."), ({"size_mm": "thick"}, "size_mm", "Thickness: write a number in in"),
        ({"start_c": "300"}, "start_c", "Start: give at most 212 °F."), ({"mass_g": "0.01"}, "mass_g", "Mass: give at least"),
        ({"serve": "half past"}, "serve", "On the plate at: write a time such as 7:40 pm."),
    ],
)  # fmt: skip
def test_errors_in_the_readers_units(abroad, sent, name, words):
    """Named, with the remedy; what was typed stays."""
    page = abroad.get("/k/hut/plan/", {"cut": "bavette", "units": IMPERIAL.code} | sent).content.decode()
    assert words in page.replace("&#x27;", "'")
    assert value(page, name) == sent[name]


@pytest.mark.parametrize(
    ("text", "clock"), [("7:40 pm", "19:40"), ("7:40PM", "19:40"), ("7 pm", "19:00"), ("19:40", "19:40"), ("12:10 am", "00:10"), ("7,5", "7,5")]
)  # fmt: skip
def test_times_of_day(text, clock):
    """Either clock is read; what is none is left for the form to refuse."""
    assert written.read_written({"serve": text}).values["serve"] == clock


@pytest.mark.parametrize(
    "kept",
    [None, [], "x", {"size_mm": "1 in"}, {"size_mm": [1, 2]}, {"other": ["1", "in"]}, {"size_mm": ["1", "in", "x"]}],
)
def test_what_was_not_kept_by_us(kept):
    """Left out."""
    assert written.stored(kept) == {}
    assert written.posted(json.dumps(kept)) == {}
    assert written.posted("{") == {}


def test_kept_texts_follow_their_values():
    """A text is kept while it is what the value says."""
    one = written.Written({}, {"size_mm": ("1.10", "in"), "target_c": ("55", "°C")})
    assert one.entered({"size_mm": "27.94", "target_c": "56"}) == {"size_mm": ["1.10", "in"]}


def test_a_cook_on_the_line_is_said_to_each(abroad, as_, kitchen, cook):
    """One state in memory, each reader's words; what is stored can be said again, a plan file is never read as words."""
    stored = Cook.objects.get()
    assert isinstance(stored.moves[0]["cue"], Message)
    cues = [m["cue"] for m in abroad.get("/k/hut/line/state/").json()["cooks"][0]["moves"]]
    assert any("°F" in c for c in cues)
    assert not any(
        "°F" in c for m in as_("chef").get("/k/hut/line/state/").json()["cooks"] for c in [m["moves"][0]["cue"]]
    )
    raw = Cook.objects.extra(select={"raw": "moves::text"}).values_list("raw", flat=True)[0]  # as the database has it
    assert '"say"' in raw
    trap = {"say": "{a}" * 50, "with": {"a": "x" * 50}}
    stored.document = {**stored.document, "x-note": trap}
    stored.result = {**stored.result, "note": say("{c:temp}", c=55)}
    stored.save()
    stored.refresh_from_db()
    assert stored.document["x-note"] == trap
    assert (stored.result["note"], stored.result["note"].values) == ("55 °C", {"c": 55})


def test_unknown_languages_have_no_words(as_, client):
    """The scripts' catalogue exists for languages there are."""
    assert client.get("/words/en.js").status_code == 200
    assert client.get("/words/xx.js").status_code == 404
