"""Colour of the outside: against cooks' marks, and what must hold anyway."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.book.foods import foods
from ember_core.data.loader import read_toml
from ember_core.doneness.browning import browned_min, colour_of, skin_of
from ember_core.doneness.outside import outside
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup

BIRD = {"food": "chicken-whole", "start_c": 5, "cut": "whole-chicken"}
STEAK = {"food": "beef-lean", "start_c": 5, "shape": {"kind": "slab", "thickness_mm": 28}}
PALE, GOLDEN, BROWN = "pale", "golden", "brown"


def bird(mass_g=1700):
    return BIRD | {"shape": {"kind": "bird", "mass_g": mass_g}, "mass_g": mass_g}


def oven(medium_c, minutes, **more):
    return [{"kind": "oven", "minutes": minutes, "medium_c": medium_c, "variant": "fan"} | more]


def pan(medium_c, minutes):
    return [{"kind": "pan", "minutes": minutes, "faces": {f: {"medium_c": medium_c}}} for f in "ab"]


def faces(piece, stages):
    plan = parse({"format": "open-ember.plan/1", "piece": piece, "stages": stages})
    return outside(plan, run(plan, setup(plan))).faces


# what is cooked, and the words that a cook would use of its palest outside; common practice, no published source
MARKS = [
    (bird(1600), oven(190, 60), {GOLDEN, BROWN}), (bird(2000), oven(200, 60), {GOLDEN, BROWN}), (bird(1600), oven(190, 20), {PALE}),
    (bird(1600), oven(200, 45), {GOLDEN}), (bird(1600), oven(140, 60), {PALE}), (bird(1600), oven(230, 60), {BROWN}),
    (bird(1600), [{"kind": "simmer", "minutes": 60, "medium_c": 92}], {PALE}), (bird(1600), oven(200, 60, cover="wrapped"), {PALE}),
    (STEAK, pan(200, 3), {GOLDEN, BROWN}), (STEAK, pan(230, 3), {BROWN}), (STEAK, pan(230, 0.3), {PALE}), (STEAK, pan(120, 4), {PALE}),
    (STEAK, [{"kind": "bath", "minutes": 90, "medium_c": 58}], {PALE}), (STEAK, [{"kind": "boil", "minutes": 30}], {PALE}),
]  # fmt: skip


@pytest.mark.parametrize(("piece", "stages", "words"), MARKS)
def test_cooks_marks(piece, stages, words):
    assert min(faces(piece, stages), key=lambda f: f.browned_min).colour in words


def test_a_bird_is_golden_when_cooks_say():
    """1.6 to 2 kg at 190 to 200 °C with fan: golden after 45 to 60 minutes, common practice; pale after 15, not burnt after 75."""
    for mass_g, medium_c in ((1600, 190), (1600, 200), (2000, 190), (2000, 200)):
        words = [faces(bird(mass_g), oven(medium_c, m))[0].colour for m in (15, 45, 60, 75)]
        assert words[:3] == [PALE, GOLDEN, GOLDEN]
        assert words[3] in {GOLDEN, BROWN}


@pytest.mark.parametrize("change", ["hotter", "longer", "no skin"])
def test_more_heat_browns_more_and_skin_sooner_than_bare_flesh(change):
    bare = {"food": "chicken-thigh", "start_c": 5, "shape": {"kind": "slab", "thickness_mm": 30}}
    other = {
        "hotter": (bird(), oven(210, 50)), "longer": (bird(), oven(190, 65)),
        "no skin": (bare | {"cut": "chicken-thigh"}, oven(190, 25)),
    }[change]  # fmt: skip
    base = (bare, oven(190, 25)) if change == "no skin" else (bird(), oven(190, 50))
    assert faces(*base)[0].browned_min < faces(*other)[0].browned_min


def test_the_clock_counts_minutes_at_180():
    """One minute at 180 °C is one; 20 K more are a bit more than two (73 kJ/mol); what is wet counts nothing."""
    t = np.linspace(0.0, 60.0, 61)
    dry = np.ones(t.size, dtype=bool)
    assert browned_min(t, np.full(t.size, 180.0), dry) == pytest.approx(1.0, rel=1e-6)
    assert browned_min(t, np.full(t.size, 200.0), dry) == pytest.approx(2.28, rel=0.02)
    assert browned_min(t, np.full(t.size, 200.0), ~dry) == 0.0
    assert [colour_of(m) for m in (0.0, 0.19, 0.21, 1.9, 2.1, 14.0, 16.0)] == [
        PALE,
        PALE,
        GOLDEN,
        GOLDEN,
        BROWN,
        BROWN,
        "dark",
    ]


def test_a_seared_steak_of_the_book_is_no_longer_pale():
    plan = parse(Sentence.for_cut("ribeye", way="bath-then-sear").document())
    assert {f.colour for f in outside(plan, run(plan, setup(plan))).faces} == {GOLDEN}


def test_every_skin_is_of_a_species_of_the_food_table():
    """A name that the table does not have would be a bird without its skin."""
    species = {row["species"] for row in foods().values()}
    assert set(read_toml("browning.toml")["skin"]["thickness_mm"]) <= species
    assert skin_of(parse(Sentence.for_cut("whole-guinea-fowl").document())) is not None
