"""Quick entry, the sentence, moves and names."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.book.book import shipped
from ember_core.entry.quick import VULGAR as SIGNS
from ember_core.entry.quick import parse as quick
from ember_core.entry.reading import sentence_of
from ember_core.entry.sentence import OWN_WAY, Sentence, from_document
from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.planning.moves import MoveKind, moves
from tests.conftest import plan_document

VULGAR = str.maketrans({sign: f" {written}" for sign, written in SIGNS.items()})
PHRASINGS = [
    line.split("\t") for line in (Path(__file__).parents[1] / "data/phrasings.tsv").read_text("utf-8").splitlines()[1:]
]
PHRASES = [
    line.split("\t") for line in (Path(__file__).parents[1] / "data/phrases.tsv").read_text("utf-8").splitlines()[1:]
]


@pytest.mark.parametrize(("text", "parts", "serve", "unknown"), PHRASINGS, ids=[p[0] for p in PHRASINGS])
def test_quick_entry(text, parts, serve, unknown):
    """What cooks type, in several units and orders; each stretch of it is accounted for, and a plan can be made of it."""
    reading = quick(text)
    wanted = json.loads(parts)
    assert json.loads(json.dumps(reading.parts)) == wanted
    assert ((reading.serve and reading.serve.strftime("%H:%M")) or "") == serve
    assert reading.unknown == json.loads(unknown)
    told = " ".join(s.text for s in reading.spans)
    assert set(re.findall(r"\d+", told)) == set(re.findall(r"\d+", text.translate(VULGAR))), told
    if "cut" in wanted:
        assert parse(sentence_of(reading).document()).document["piece"]["cut"] == wanted["cut"]


def test_enough_phrasings():
    """Tables that cannot shrink unseen."""
    assert len({p[0] for p in PHRASINGS}) >= 120
    assert len({p[0] for p in PHRASES}) >= 300


@pytest.mark.parametrize(("text", "meant"), PHRASES, ids=[p[0] for p in PHRASES])
def test_what_cooks_of_both_englishes_type(text, meant):
    """Planned as it was meant, answered by a calculator of eggs, or asked about: never another dish."""
    reading, wanted = quick(text), json.loads(meant)
    if "eggs" in wanted:
        assert reading.eggs == wanted["eggs"]
        with pytest.raises(FormatError):
            sentence_of(reading)
    elif "asks" in wanted:
        assert reading.unknown or "cut" not in reading.parts
    else:
        document = sentence_of(reading).document()
        found = {"way": document["way"]["id"], **json.loads(json.dumps(reading.parts))}
        found["serve"] = reading.serve and reading.serve.strftime("%H:%M")
        assert {k: found.get(k) for k in wanted} == wanted
        assert reading.unknown == []


@given(st.text(max_size=60))
def test_quick_entry_never_fails(text):
    """Anything may be typed; what is not understood is given back."""
    reading = quick("bavette " + text)
    assert set(reading.parts) <= {
        *("cut", "size_mm", "sizes_mm", "mass_g", "count", "target_c", "start_c", "way", "guests", "heat_c", "minutes"),
        *("altitude_m", "rules"),
    }


def test_quick_entry_says_what_it_did_not_understand():
    """Nothing is guessed silently; the nearest meaning is offered, and as it stands there it is understood."""
    assert quick("bavette 12").unknown == ["12"]  # no core, no size without its unit
    assert "glitter" in quick("bavette with glitter").unknown
    assert quick("bavette 99:99 rare").unknown == ["99:99"]
    for text, meant in (
        ("bavete 28mm", "bavette"),
        ("bavette 12", "12mm"),
        ("bavette medum", "medium"),
        ("hake steem", "steam"),
    ):
        (word, found), *_ = quick(text).nearest()
        assert meant in [m.text for m in found], text
        assert all(quick(text.replace(word, m.text)).unknown == [] for m in found), text


def test_several_sizes_are_spread_over_the_pieces():
    """A range of six pieces is six sizes from its thinnest to its thickest; a list is what it is."""
    spread = sentence_of(quick("6 cutlets 22-30mm"))
    assert spread.sizes_mm == (22.0, 23.6, 25.2, 26.8, 28.4, 30.0)
    assert spread.size_mm == 26.0
    listed = sentence_of(quick("bavettes 22, 26 and 30 mm"))
    assert (listed.sizes_mm, listed.count) == ((22.0, 26.0, 30.0), 3)
    document = spread.document()
    assert document["piece"]["x-sizes-mm"] == list(spread.sizes_mm)
    assert from_document(document, 0, 0).document() == document


@pytest.mark.parametrize(
    ("text", "stage", "wanted"),
    [
        ("hake 32mm oven 180", 0, {"medium_c": 180.0}),
        ("pheasant 15mm 63.3 bath 35 min", 0, {"medium_c": 63.3, "minutes": 35.0, "until": None}),
        ("chop 30mm pan 200 63", 1, {"until": {"peak_core_c": 63.0}}),
        ("rabbit saddle oven 230 12 minutes", 0, {"medium_c": 230.0, "minutes": 12.0, "until": None}),
    ],
)
def test_heat_and_minutes_that_were_stated_are_used(text, stage, wanted):
    """In the main stage, and back from the document."""
    sentence = sentence_of(quick(text))
    document = sentence.document()
    for key, value in wanted.items():
        assert document["stages"][stage].get(key) == value
    if "pan" in text:
        assert {
            f["medium_c"] for s in document["stages"][:2] for f in s["faces"].values() if f.get("kind") != "baste"
        } == {200.0}
    again = from_document(document, 0, 0)
    assert (again.way, again.document()) == (sentence.way, document)


def test_a_heat_for_boiling_water_is_refused():
    """The boiling point is not set by a number; the error says what to do."""
    with pytest.raises(FormatError, match="leave 180 °C out"):
        Sentence.for_cut("asparagus", way="blanch-and-shock", heat_c=180.0).document()


@pytest.mark.parametrize("cut", sorted(shipped().cuts))
def test_every_cut_cooks_to_its_target_by_its_way(cut):
    """The book's own combinations land where they say, and come back from their document as they were."""
    sentence = Sentence.for_cut(cut, altitude_m=1850.0)
    outcome = compute(parse(sentence.document()), with_forecast=False)
    assert outcome.cook.peak_core_c == pytest.approx(outcome.plan.core_goal_c, abs=0.1)
    assert outcome.plan.core_goal_c < outcome.plan.target_c + 12.0
    assert outcome.plan.targets or outcome.plan.target_c == sentence.target_c
    assert from_document(outcome.plan.document, 0, 0).way == sentence.way
    listed = moves(outcome.plan, outcome.cook)
    assert [m.offset_s for m in listed] == sorted(m.offset_s for m in listed)
    assert sum(m.kind == MoveKind.PULL for m in listed) == 1


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
    ("core", "name"),
    [
        (55.0, "medium rare"),
        (54.5, "medium rare"),
        (40.0, "still under blue"),
        (53.4, "rare"),
        (53.5, "medium rare"),
        (80.0, "well done"),
    ],
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


@pytest.mark.parametrize("way", ["hot-pan", "file"])
@pytest.mark.parametrize("done", [(), ("marinated",), ("tenderised",), ("tenderised", "scored")])
def test_what_was_done_to_a_piece_is_kept_and_can_be_changed(way, done):
    """Through a document and back, of a book's way and of a file's own stages; and taken away again."""
    document = Sentence.for_cut("bavette", way="hot-pan", done=done).document()
    if way == "file":
        document["stages"][0]["minutes"] = 3.3
    read = from_document(document, 0.0, 22.0)
    assert ((read.way == "file"), read.done) == ((way == "file"), done)
    assert read.document()["piece"] == document["piece"]
    plain = replace(read, done=()).document()["piece"]
    assert (plain["form"], "handling" in plain) == ("steak", False)
    marinated = replace(read, done=("marinated",)).document()["piece"]
    assert (marinated["form"], marinated["handling"]) == ("steak", ["marinated"])
