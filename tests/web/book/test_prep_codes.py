"""Own cuts of before: what dries and what holds a piece together was found by its words, and is told apart once."""

from __future__ import annotations

import importlib

import pytest

from ember_core.formats.book import check_shape

with_codes = importlib.import_module("ember_web.book.migrations.0006_prep_codes").with_codes


@pytest.mark.parametrize(
    ("prep", "made"),
    [
        (["pat dry"], {"prep": [], "drying": ["pat dry"]}),
        (["tie it", "pat the skin dry"], {"prep": ["tie it"], "drying": ["pat the skin dry"], "bind": ["string"]}),
        (["shape into even patties"], {"prep": ["shape into even patties"]}),  # no string for what only has its letters
        (
            ["close it with skewers", "roll, tied"],
            {"prep": ["close it with skewers", "roll, tied"], "bind": ["string", "skewers"]},
        ),
        ([], {"prep": []}),
    ],
)
def test_steps_are_told_apart(prep, made):
    """Each step once, with the codes that its words mean; everything else of the row stays."""
    row = with_codes({"name": "ours", "prep": prep})
    assert row == {"name": "ours", **made}
    assert with_codes(row)["prep"] == row["prep"]


def test_a_row_with_codes_has_the_books_shape():
    """The keys are the format's."""
    row = {
        "id": "ours", "version": 1, "name": "ours", "food": "beef-lean", "form": "steak", "shape": "slab", "size_mm": 20, "mass_g": 200,
        "way": "hot-pan", "kind": "steak", **with_codes({"prep": ["tie it", "pat dry"]}),
    }  # fmt: skip
    check_shape("cut", row)
