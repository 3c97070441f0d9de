"""What plans need set out before heat."""

from __future__ import annotations

import pytest

from ember_core.book.book import shipped
from ember_core.data.loader import read_toml
from ember_core.eggs.stirred import Scramble
from ember_core.eggs.stirred_plan import scrambled_document
from ember_core.entry.sentence import Sentence
from ember_core.line.set_out import items


def of(cut, **more):
    return {item.id: item for item in items(Sentence.for_cut(cut, **more).document())}


@pytest.mark.parametrize("cut", sorted(shipped().cuts))
def test_every_cut_needs_something_and_each_thing_once(cut):
    found = items(Sentence.for_cut(cut).document())
    assert len(found) >= 2
    assert len({item.id for item in found}) == len(found)
    assert all("{" not in item.words and item.why for item in found)


def test_egg_in_a_pan_asks_for_fat_and_not_for_a_pan_that_browns():
    found = {i.id for i in items(scrambled_document(Scramble(egg_g=150.0)))}
    assert "egg-pan" in found
    assert "pan" not in found


@pytest.mark.parametrize(
    ("cut", "more", "has", "lacks"),
    [
        ("bavette", {}, {"pan", "baste", "rest", "probe"}, {"oven", "pouch", "ice", "raw", "two-places"}),
        ("whole-guinea-fowl", {}, {"raw", "two-places", "cloth", "oven"}, {"probe", "bath"}),
        ("guinea-fowl-supreme", {"way": "bath-chill-reheat"}, {"bath", "pouch", "ice", "raw"}, {"oven", "two-places"}),
        ("soft-egg", {}, {"water", "ice", "check"}, {"probe", "pouch", "rest"}),
        ("brisket-point", {"way": "cured-bath-press-glaze"}, {"brine", "press", "bath", "pouch"}, {"ice-cream"}),
    ],
)  # fmt: skip
def test_what_is_needed_follows_from_the_stages(cut, more, has, lacks):
    found = set(of(cut, **more))
    assert has <= found
    assert not lacks & found


def test_what_heats_says_how_hot_and_what_comes_first_stands_first():
    found = of("hake-loin", way="skin-crisp-then-oven")
    assert (found["oven"].kind, found["oven"].medium_c) == ("oven", 180.0)
    assert "180" in found["oven"].words
    assert list(found).index("pan") < list(found).index("oven") < list(found).index("rest")


def test_rows_ask_for_what_there_is():
    """Each row of the data is asked for by a kind, variant, cover, form, shape or need that is one."""
    known = read_toml("stage_kinds.toml")
    for key, row in read_toml("set_out.toml").items():
        asked = [n for n in ("kinds", "variants", "covers", "forms", "shapes", "needs") if n in row]
        assert len(asked) == 1, key
        assert set(row.get("kinds", ())) <= set(known), key
        assert set(row.get("forms", ())) <= set(read_toml("forms.toml")["forms"]), key
