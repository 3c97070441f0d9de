"""The beginning of a shift: today's plans by when they must begin, with what is late and what can start together."""

from __future__ import annotations

from datetime import timedelta

import pytest

from ember_core.entry.sentence import Sentence
from ember_web.line.models import Cook
from ember_web.line.today import today_of
from ember_web.plans.due import LOOKED_AT
from ember_web.plans.models import Plan
from tests.web.acting import save_plan, start_cook

pytestmark = pytest.mark.django_db
LINE = "/k/hut/line/"


@pytest.fixture
def at(kitchen):
    """Noon today on the kitchen's clock."""
    return kitchen.now().astimezone(kitchen.tz).replace(hour=12, minute=0, second=0, microsecond=0)


@pytest.fixture
def planned(kitchen, django_user_model, at):
    """Saves a plan with a time on the plate, so many hours from noon, and what is known of it."""
    user = django_user_model.objects.get(username="cook")

    def make(title, hours, total_s=1800.0, **more):
        document = Sentence.for_cut("bavette", serve_at=at + timedelta(hours=hours), title=title).document()
        plan = save_plan(kitchen, user, document)
        known = {} if total_s is None else {"total_s": total_s, "state": "met"}
        Plan.objects.filter(pk=plan.pk).update(summary=known, **more)
        plan.refresh_from_db()
        return plan

    return make


def test_by_when_they_begin(kitchen, planned, at):
    """Not by when they are served; one that is not computed yet by its time on the plate."""
    planned("long", 7, total_s=6 * 3600.0)
    planned("short", 6)
    planned("unknown", 5, total_s=None)
    rows = today_of(kitchen, at)["rows"]
    assert [r["plan"].title for r in rows] == ["long", "unknown", "short"]
    assert [r["ahead_s"] for r in rows] == [3600.0, None, 6 * 3600.0 - 1800.0]
    assert [r["plan"].words for r in rows] == ["met", "", "met"]


def test_what_is_not_for_today_is_not_there(kitchen, planned, at):
    """Yesterday's, tomorrow's, what was served long ago, what is archived, what has no time, another kitchen's."""
    for hours in (-24, 24, -3):
        planned(f"{hours}", hours)
    planned("archived", 4, archived_at=at)
    planned("due", -1)
    assert [r["plan"].title for r in today_of(kitchen, at)["rows"]] == ["due"]
    assert today_of(kitchen, at)["rows"][0]["ahead_s"] == -3600.0 - 1800.0


def test_what_was_started_is_gone(kitchen, planned, at, django_user_model):
    """From today on only; one that was cooked yesterday is to be cooked again."""
    one, two = planned("one", 4), planned("two", 5)
    user = django_user_model.objects.get(username="cook")
    start_cook(kitchen, user, one)
    old = start_cook(kitchen, user, two)
    Cook.objects.filter(pk=old.pk).update(created_at=at - timedelta(days=1))
    Cook.objects.exclude(pk=old.pk).update(created_at=at)
    assert [r["plan"].title for r in today_of(kitchen, at)["rows"]] == ["two"]


def test_several_for_one_time_start_together(kitchen, planned, at, as_):
    """One link for all of them, to what they need set out; a viewer sees the list and starts nothing."""
    two = [planned("one", 4), planned("two", 4)]
    planned("three", 5)
    ((when, ids),) = today_of(kitchen, at)["together"]
    assert when == at + timedelta(hours=4)
    assert set(ids) == {p.public_id for p in two}
    page = as_("cook").get(LINE).content.decode()
    if kitchen.now() < at + timedelta(hours=5):  # the page goes by the clock of the day it is tried on
        assert page.count("/line/set-out/?plan=") >= 3
        assert "line/set-out" not in as_("viewer").get(LINE).content.decode()


def test_a_kitchen_with_many_plans_asks_for_few(kitchen, planned, at, django_assert_num_queries):
    """Two queries, however many there are, and no documents."""
    planned("due", 3)
    first = Plan.objects.get()
    Plan.objects.bulk_create(
        [
            Plan(
                kitchen=kitchen,
                title=f"old {k}",
                document={**first.document, "serve_at": "2020-01-01T12:00+00:00"},
                core_version="1",
                data_version="1",
            )
            for k in range(300)
        ]
    )
    Plan.objects.filter(pk=first.pk).update(updated_at=kitchen.now() + timedelta(days=1))
    assert LOOKED_AT < 300
    with django_assert_num_queries(2):
        assert [r["plan"].title for r in today_of(kitchen, at)["rows"]] == ["due"]


@pytest.mark.parametrize("serve", ["", "soon", "2026-13-40", None, "19:40"])
def test_a_time_that_cannot_be_read_hides_nothing_else(kitchen, planned, at, serve):
    """A document of an older version may hold anything."""
    odd = planned("odd", 3)
    Plan.objects.filter(pk=odd.pk).update(document=odd.document | {"serve_at": serve})
    planned("due", 4)
    assert [r["plan"].title for r in today_of(kitchen, at)["rows"]] == ["due"]
