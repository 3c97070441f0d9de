"""The book as a file: there and back, and what is refused."""

from __future__ import annotations

import json

import pytest

from ember_core.book.book import shipped
from ember_core.entry.checking import check_row
from ember_core.errors import InputError
from ember_core.formats.book import COMMON, SHELVES, as_plain, document, read

CUT = as_plain(shipped().cuts["bavette"])
WAY = as_plain(shipped().ways["hot-pan"])


def test_the_shipped_book_is_a_file_and_every_row_of_it_can_be_used():
    """Written, read, and checked as if a kitchen had made it."""
    rows = read(json.dumps(document(shipped(), title="as it comes")))
    assert {kind: len(found) for kind, found in rows.items()} == {k: len(shipped().newest(k)) for k in SHELVES}
    for kind, found in rows.items():
        for row in found:
            check_row(shipped(), kind, row | {"version": row["version"] + 1})
    written = [r for key in SHELVES.values() for r in document(shipped())[key]]
    assert {r["source"] for r in written} == {COMMON}
    assert not [r for found in rows.values() for r in found if "source" in r]
    own = document(shipped(), {"cut": {"bavette"}})
    assert [r["id"] for r in own["cuts"]] == ["bavette"]
    assert set(own) == {"format", "cuts"}


@pytest.mark.parametrize(
    ("kind", "row", "path", "says"),
    [
        ("cut", CUT | {"food": "unicorn"}, "/food", "choose one of"),
        ("cut", CUT | {"way": "hot-pan-rolled"}, "/way", "choose one of"),
        ("cut", CUT | {"shape": "sphere"}, "/way", "Choose another usual way"),
        ("cut", CUT | {"size_mm": 0}, "/size_mm", "at least 1"),
        ("cut", CUT | {"colour": "red"}, "/colour", "Unknown key"),
        ("cut", CUT | {"shape": "sphere", "way": "hot-oven"}, "/piece/mass_g", "Correct the mass"),
        ("way", WAY | {"gear": ["pan", "catapult"]}, "/gear/1", "choose one of"),
        ("way", WAY | {"size_mm": [30, 10]}, "/size_mm", "lower number first"),
        ("way", WAY | {"stage": []}, "/stage", "non-empty"),
        ("way", WAY | {"stage": [{"kind": "pan", "minutes": "soon"}]}, "/stage/0/minutes", "not valid"),
        ("way", WAY | {"stage": [{"kind": "pan", "minutes": 3}]}, "/stage/0/medium_c", "needs medium_c"),
        ("way", WAY | {"stage": [{"kind": "bath", "minutes": 3, "medium_c": 60, "fan": True}]}, "/stage/0/fan", "Unknown key"),
        ("way", WAY | {"stage": [WAY["stage"][0] | {"say": "no-such"}]}, "/stage/0/say", "choose one of"),
        ("doneness", {"id": "house-beef", "version": 1, "names": [["pink", 55], ["blue", 47]], "usual": "pink"}, "/names", "in order"),
        ("doneness", {"id": "house-beef", "version": 1, "names": [["pink", 55]], "usual": "grey"}, "/usual", "choose one of"),
    ],
)  # fmt: skip
def test_a_row_that_no_plan_could_use_is_refused_by_its_place(kind, row, path, says):
    """By the place in the row, with the remedy."""
    with pytest.raises(InputError) as error:
        check_row(shipped(), kind, row | {"version": 2})
    assert error.value.path == path
    assert says in str(error.value.message)


def test_a_file_holds_a_row_once():
    """Two versions of one row are for no file."""
    with pytest.raises(InputError, match="stands twice") as error:
        read(json.dumps({"format": "open-ember.book/1", "cuts": [CUT, CUT | {"version": 2}]}))
    assert error.value.path == "/cuts/1/id"


def test_a_retired_row_is_no_longer_offered_but_old_plans_keep_it():
    """Its versions stay; its name is gone from the lists."""
    book = shipped().with_rows(cut=[CUT | {"version": 2, "retired": True}])
    assert "bavette" not in book.cuts
    assert "bavette" in book.retired("cut")
    assert book.cut("bavette", 1)["name"] == "bavette"
    assert book.cut("bavette") is None
