"""A record's note and its files: two people at one note, and words that a spreadsheet could take for a formula."""

from __future__ import annotations

import csv
import io
import re

import pytest

from ember_web.logbook.models import Record
from ember_web.ui.downloads import as_cell
from tests.web.line.test_line import event, send

pytestmark = pytest.mark.django_db
FORMULAS = ["=1+1", "+1", "-1", "@SUM(A1)", "|calc", "%x", "\t=1", " =cmd|'/c calc'!A0", "\r@x"]
PLAIN = ["Turn", "5 °C", "a=b", "résumé", ""]


@pytest.fixture
def record(kitchen, cook, as_):
    """The record of a cook that was finished."""
    send(as_("cook"), event(kitchen, cook, "finish"))
    return Record.objects.get()


def address(record, part=""):
    """Of a record's page, or of one of its files."""
    return f"/k/hut/log/{record.public_id}/{part}"


def version_on(page):
    """What the page says of the note's version."""
    return re.search(r'name="version"\s+value="(\w+)"', page)[1]


def test_the_second_of_two_at_one_note_is_told_and_loses_nothing(record, as_):
    """409 with both texts; sent again with the version that is now shown it is stored."""
    mine, theirs = as_("cook"), as_("chef")
    opened = version_on(mine.get(address(record)).content.decode())
    assert theirs.post(address(record), {"note": "theirs", "version": opened}).status_code == 302
    reply = mine.post(address(record), {"note": "mine", "version": opened})
    page = reply.content.decode()
    assert reply.status_code == 409
    assert re.search(r"<textarea[^>]*>\s*mine</textarea>", page)
    assert "theirs" in page
    record.refresh_from_db()
    assert record.note == "theirs"
    assert mine.post(address(record), {"note": "theirs and mine", "version": version_on(page)}).status_code == 302
    record.refresh_from_db()
    assert record.note == "theirs and mine"


@pytest.mark.parametrize(
    ("note", "version", "status"),
    [("x" * 2001, True, 422), ("x" * 2000, True, 302), ("ours", False, 302), ("ours\x00", True, 302)],
)
def test_what_a_note_may_be(record, as_, note, version, status):
    """Too long is refused and stays in the form; a character that cannot be stored is left out."""
    client = as_("cook")
    seen = {"version": version_on(client.get(address(record)).content.decode())} if version else {}
    reply = client.post(address(record), {"note": note, **seen})
    assert reply.status_code == status
    record.refresh_from_db()
    assert record.note == ("" if status == 422 else note.replace("\x00", ""))
    if status == 422:
        assert note in reply.content.decode()


@pytest.mark.parametrize("text", FORMULAS)
def test_a_cell_is_never_a_formula(text):
    """Whatever it begins with, also behind spaces."""
    assert as_cell(text) == f"'{text}"


@pytest.mark.parametrize("text", PLAIN)
def test_other_cells_stay_as_they_are(text):
    """Also where the sign stands within."""
    assert as_cell(text) == text


def test_an_imported_plans_words_stand_as_text_in_the_readings_file(record, as_):
    """The verb of a move becomes a note of the file: shown, and not computed."""
    document = record.document
    for move, words in zip(document["moves"], FORMULAS, strict=False):
        move |= {"verb": words, "done_s": 30.0}
    document["readings"] = [[10.0 * k, 20.0 + k] for k in range(8)]
    Record.objects.filter(pk=record.pk).update(document=document)
    rows = list(csv.DictReader(io.StringIO(as_("viewer").get(address(record, "csv/")).content.decode())))
    notes = [r["note"] for r in rows if r["note"]]
    assert notes
    assert all(n.startswith("'") for n in notes)
