"""Times by size, as a page: asked, computed by a worker, shown, kept, taken away."""

from __future__ import annotations

import csv

import pytest

from ember_core.entry.sentence import Sentence
from ember_core.wording.quantities import Units
from ember_web.jobs.long import perform_job
from ember_web.jobs.models import LongJob
from ember_web.plans.times import numbers_of
from ember_web.tenancy.models import User
from tests.web.acting import save_plan

pytestmark = pytest.mark.django_db
ASKED = "cut=bavette&size_mm=28&start_c=4&target_c=55&way=hot-pan-basted"
HERE = "/k/hut/plan/times/"


def asked(client, **more):
    return client.post(f"{HERE}?{ASKED}", {"sizes": "20 30", "targets": "55 60"} | more)


def test_from_the_sentence_to_the_table(as_):
    cook = as_("cook")
    page = cook.get(f"{HERE}?{ASKED}").content.decode()
    assert 'value="15 20 25 30' in page
    reply = asked(cook)
    assert reply.status_code == 302
    waiting = cook.get(reply.url).content.decode()
    assert 'hx-trigger="every 1s"' in waiting
    job = LongJob.objects.get()
    perform_job(job.pk)
    done = cook.get(reply.url, headers={"HX-Request": "true"}).content.decode()
    assert "hx-trigger" not in done
    assert done.count("<td>") == 4
    rows = list(csv.DictReader(cook.get(f"{reply.url}file/").content.decode().splitlines()))
    assert [(float(r["size_mm"]), float(r["target_c"])) for r in rows] == [(20, 55), (20, 60), (30, 55), (30, 60)]
    assert all(float(r["heat_min"]) < float(r["total_min"]) for r in rows)
    assert job.title in cook.get(f"{HERE}?{ASKED}").content.decode()


@pytest.mark.parametrize(
    ("sizes", "targets", "says"),
    [("", "55", "Sizes: give 1"), ("20 x", "55", "Sizes: &#x27;x&#x27; is no number"), ("20", "55 200", "Targets: give 0 °C to 100 °C")],
)  # fmt: skip
def test_what_cannot_be_used_is_said_and_kept(as_, sizes, targets, says):
    reply = asked(as_("cook"), sizes=sizes, targets=targets)
    assert reply.status_code == 400
    page = reply.content.decode()
    assert says in page
    assert f'value="{targets}"' in page
    assert not LongJob.objects.exists()


def test_a_table_of_another_kitchen_is_not_there(as_, stranger):
    reply = asked(as_("cook"))
    for address in (reply.url, f"{reply.url}file/"):
        other = address.replace("/k/hut/", "/k/barn/")
        assert as_("stranger").get(other).status_code == 404
    assert as_("stranger").post(f"{reply.url.replace('/k/hut/', '/k/barn/')}cancel/").status_code == 404
    assert LongJob.objects.get().is_open


def test_it_can_be_cancelled_and_a_viewer_starts_none(as_):
    reply = asked(as_("cook"))
    assert as_("viewer").post(f"{reply.url}cancel/").status_code == 403
    assert as_("cook").post(f"{reply.url}cancel/").status_code == 302
    assert "Cancelled" in as_("viewer").get(reply.url).content.decode()
    assert asked(as_("viewer")).status_code == 403


def test_in_inches_and_fahrenheit(as_):
    User.objects.filter(username="cook").update(temperature="F", length="in")
    reply = asked(as_("cook"), sizes="1 1.5", targets="131")
    told = LongJob.objects.get().asked
    assert told["sizes"] == pytest.approx([25.4, 38.1])
    assert told["targets"] == pytest.approx([55.0])
    assert reply.status_code == 302


@pytest.mark.parametrize("text", ["20 25,5 30", "30; 20; 25,5", "30, 25.5, 20", "20 20 25.5 30"])
def test_numbers_as_people_write_them(text):
    assert numbers_of(text, "length", Units(), "sizes", "Sizes") == [20.0, 25.5, 30.0]


def test_a_cell_whose_target_is_not_reached_says_so_in_the_readers_units(as_):
    User.objects.filter(username="cook").update(temperature="F", length="in")
    reply = asked(as_("cook"), sizes="15", targets="131")
    perform_job(LongJob.objects.get().pk)
    page = as_("cook").get(reply.url).content.decode()
    assert "Not reached: the core peaks at" in page
    assert "°F" in page.split("Not reached")[1][:60]
    assert "Not reached" in as_("cook").get(f"{reply.url}file/").content.decode()


def test_a_plan_with_stages_of_its_own_has_no_other_sizes(as_, kitchen):
    """It is said, on the page and when it is sent."""
    document = Sentence.for_cut("bavette").document()
    document["stages"] = [{"kind": "oven", "minutes": 30, "medium_c": 150}]
    document.pop("way", None)
    plan = save_plan(kitchen, User.objects.get(username="cook"), document)
    page = as_("cook").get(f"{HERE}?plan={plan.public_id}")
    assert page.status_code in {200, 400}
    sent = as_("cook").post(f"{HERE}?plan={plan.public_id}", {"sizes": "20", "targets": "55"})
    assert sent.status_code == 400
    assert "has its own stages" in sent.content.decode()
