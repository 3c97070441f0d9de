"""After years: lists load no documents and ask as many questions as ever; a board that nobody watched catches up in bounded amounts."""

from __future__ import annotations

import json
from datetime import timedelta
from itertools import pairwise

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from ember_web.line import courses, live
from ember_web.line.courses import course
from ember_web.line.models import Cook, Probe, Reading
from ember_web.logbook.models import Record
from ember_web.tenancy.models import User
from tests.web.acting import start_cook
from tests.web.line.test_line import event, send

pytestmark = pytest.mark.django_db
LISTS = ("log/", "log/?q=bavette", "kitchen/", "kitchen/trail/", "plan/list/", "book/", "line/")


def read(kitchen, probe, many, since, apart_s=1.0):
    """Readings of a probe, one after another."""
    rows = [
        Reading(
            kitchen=kitchen, probe=probe, boot_id="b", sequence=i, core_c=20.0 + 0.01 * i,
            measured_at=since + timedelta(seconds=apart_s * i),
        )
        for i in range(many)
    ]  # fmt: skip
    Reading.objects.bulk_create(rows)


def asked_for(client, page):
    """The questions that a page asks the database."""
    with CaptureQueriesContext(
        connection,
    ) as found:
        assert client.get(f"/k/hut/{page}").status_code == 200
    return [q["sql"] for q in found.captured_queries]


@pytest.mark.parametrize("page", LISTS)
def test_lists_load_no_documents_and_ask_no_more_for_more_rows(kitchen, plan, as_, page):
    """Thirty finished cooks and three probes more: not one question more, and none for a cook's or a record's document."""
    client, person = as_("chef"), User.objects.get(username="cook")

    def finish(many):
        for _ in range(many):
            send(as_("cook"), event(kitchen, start_cook(kitchen, person, plan), kind="finish"))

    finish(1)
    before = asked_for(client, page)
    finish(12)
    for name in ("a", "b", "c"):
        read(kitchen, Probe.objects.create(kitchen=kitchen, name=name), 3, kitchen.now() - timedelta(minutes=1))
    after = asked_for(client, page)
    assert len(after) <= len(before) + (1 if "page" in page else 0)
    if page != "line/":
        for sql in after:
            assert '"line_cook"."document",' not in sql
            assert '"logbook_record"."document",' not in sql
    assert Record.objects.count() == 13


def test_a_course_is_bounded_and_its_newest_part_whole(kitchen, monkeypatch):
    """In order of time, the first and the newest in it, evenly thinned between; few are given whole."""
    probe, since = Probe.objects.get(), kitchen.now() - timedelta(hours=3)
    read(kitchen, probe, 900, since)
    rows = Reading.objects.filter(probe=probe)
    whole = course(rows, "core_c")
    assert len(whole) == 900
    monkeypatch.setattr(courses, "MAX_READINGS", 200)
    monkeypatch.setattr(courses, "NEWEST", 80)
    some = course(rows, "core_c")
    assert 190 <= len(some) <= 202
    assert some == sorted(some)
    assert some[-80:] == whole[-80:]
    assert set(some) <= set(whole)
    assert some[0][0] - whole[0][0] < 10.0
    gaps = [b[0] - a[0] for a, b in pairwise(some[:-80])]
    assert max(gaps) < 3 * min(gaps) + 8


def test_a_board_nobody_watched_catches_up(kitchen, plan, cook, monkeypatch):
    """More new readings than are taken one by one: the board begins anew with as many as it keeps, and its last is the newest."""
    monkeypatch.setattr(courses, "MAX_READINGS", 300)
    monkeypatch.setattr(live, "MAX_READINGS", 300)
    monkeypatch.setattr(courses, "NEWEST", 100)
    probe, since = Probe.objects.get(), Cook.objects.get().created_at
    kitchen.anchor(kitchen.now() + timedelta(hours=1))
    kitchen.save()
    live.line_text(kitchen)
    read(kitchen, probe, 1500, since)
    state = json.loads(live.line_text(kitchen))["cooks"][0]
    assert state["lastReading"][1] == pytest.approx(20.0 + 0.01 * 1499)
    piece = next(iter(live.board_of(kitchen).pieces.values()))
    assert 250 <= len(piece.track.times) <= 302
    assert piece.track.times == sorted(piece.track.times)
