"""Quick entry, the sentence, moves and names."""

from __future__ import annotations

from datetime import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.book.book import shipped
from ember_core.entry.quick import parse as quick
from ember_core.entry.sentence import OWN_WAY, Sentence, from_document
from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.planning.moves import moves
from tests.conftest import plan_document


@pytest.mark.parametrize(
    ("text", "parts", "serve"),
    [
        ("bavette 28mm mr 19:40", {"cut": "bavette", "size_mm": 28.0, "target_c": 55.0}, time(19, 40)),
        ("BAVETTE 2,8 cm Medium Rare 7.40pm", {"cut": "bavette", "size_mm": 28.0, "target_c": 55.0}, time(19, 40)),
        (
            "guinea fowl x6 1 1/8 in from 40f",
            {"cut": "guinea-fowl-supreme", "count": 6, "size_mm": 28.57, "start_c": 4.44},
            None,
        ),
        ("hake 180 g to 54 low oven", {"cut": "hake-loin", "mass_g": 180.0, "target_c": 54.0, "way": "low-oven"}, None),
        ("6 duck breasts 66", {"cut": "duck-breast", "count": 6, "target_c": 66.0}, None),
        ("rib of beef 4kg oven 19:00", {"cut": "rib-of-beef", "mass_g": 4000.0, "way": "hot-oven"}, time(19)),
        ("salmon 30mm 50 oven", {"cut": "salmon-fillet", "size_mm": 30.0, "target_c": 50.0, "way": "hot-oven"}, None),
        (
            "chicken breast 22mm bath 63 for 12 at 20:00",
            {"cut": "chicken-breast", "size_mm": 22.0, "way": "bath", "target_c": 63.0, "count": 12},
            time(20),
        ),
        ("12 scallops", {"cut": "scallop", "count": 12}, None),
        ("lamb legs 2.4kg 7pm", {"cut": "lamb-leg", "mass_g": 2400.0}, time(19)),
        ("25mm ribeye rare pan", {"cut": "ribeye", "size_mm": 25.0, "target_c": 51.0, "way": "hot-pan-basted"}, None),
        ("bath 131f chicken", {"cut": "chicken-breast", "target_c": 55.0, "way": "bath"}, None),
        ("strip 11oz 131f", {"cut": "strip-steak", "mass_g": 311.8, "target_c": 55.0}, None),
        (
            "brisk 4.5lb bath susceptible",
            {"cut": "brisket-point", "mass_g": 2041.2, "way": "bath", "guests": "susceptible"},
            None,
        ),
    ],
)
def test_quick_entry(text, parts, serve):
    """The same sentence typed short, in several units and orders."""
    reading = quick(text)
    assert reading.parts == parts
    assert reading.serve == serve
    assert reading.unknown == []


@given(st.text(max_size=60))
def test_quick_entry_never_fails(text):
    """Anything may be typed; what is not understood is given back."""
    reading = quick("bavette " + text)
    assert set(reading.parts) <= {"cut", "size_mm", "mass_g", "count", "target_c", "start_c", "way", "guests"}


def test_quick_entry_says_what_it_did_not_understand():
    """Nothing is guessed silently."""
    assert quick("6 duck breasts 66 skin").unknown == ["skin"]
    assert quick("bavette 12").unknown == ["12"]  # no core, no size without its unit
    assert (
        quick("bavette with glitter 99:99").unknown == ["99:99", "with", "glitter"]
        or "glitter" in quick("bavette with glitter").unknown
    )


@pytest.mark.parametrize("cut", sorted(shipped().cuts))
def test_every_cut_cooks_to_its_target_by_its_way(cut):
    """The book's own combinations land where they say, and come back from their document as they were."""
    sentence = Sentence.for_cut(cut, altitude_m=1850.0)
    outcome = compute(parse(sentence.document()), with_forecast=False)
    assert outcome.cook.peak_core_c == pytest.approx(sentence.target_c, abs=0.1)
    assert from_document(outcome.plan.document, 0, 0).way == sentence.way
    listed = moves(outcome.plan, outcome.cook)
    assert [m.offset_s for m in listed] == sorted(m.offset_s for m in listed)
    assert sum(m.verb == "Pull" for m in listed) == 1


def test_a_way_refuses_a_shape_it_cannot_cook():
    """A flat pan does not cook a round piece; the error says what to do."""
    with pytest.raises(FormatError, match="Choose another way"):
        Sentence.for_cut("rabbit-saddle", way="hot-pan-basted").document()
    assert "hot-pan-basted" in shipped().ways


def test_own_stages_survive_a_change_of_thickness():
    """A plan from a file keeps its stages when a part of the sentence changes."""
    document = plan_document()
    sentence = from_document(document, 0, 0)
    assert sentence.way == OWN_WAY
    again = Sentence(**{**sentence.__dict__, "size_mm": 31.0, "target_c": 58.0}).document()
    assert [s["kind"] for s in again["stages"]] == ["pan", "pan", "rest"]
    assert again["piece"]["shape"]["thickness_mm"] == 31.0
    assert again["stages"][1]["until"]["peak_core_c"] == 58.0
    assert document["piece"]["shape"]["thickness_mm"] == 28


@pytest.mark.parametrize(
    ("core", "name"), [(55.0, "medium rare"), (54.5, "medium rare"), (40.0, "under blue"), (80.0, "well done")]
)
def test_doneness_names(core, name):
    """The highest name reached."""
    assert shipped().doneness_reached("beef-lean", core) == name


@pytest.mark.parametrize(
    ("piece", "way", "says"),
    [
        ({"cut": "bavette", "food": "beef-lean"}, {"id": "hot-pan-basted"}, ("bavette", "hot pan, basted")),
        ({"food": "beef-lean"}, {}, ("beef, lean", "own stages")),
        ({"cut": "unicorn", "food": "none", "x-food": {"id": "o", "name": "Our blend"}}, {"id": "x"}, ("Our blend", "own stages")),
        ({"x-food": "not a table"}, {}, ("own piece", "own stages")),
    ],
)  # fmt: skip
def test_names_in_the_list(piece, way, says):
    """Names that a cook knows, never ids; what is not known is the kitchen's own."""
    assert (shipped().piece_name(piece), shipped().way_name(way)) == says
