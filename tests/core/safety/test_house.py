"""The house's own rules in a plan: stricter rows, weaker ones by a written plan, another base."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.book.foods import food_row
from ember_core.entry.sentence import Sentence, from_document
from ember_core.errors import InputError
from ember_core.formats.log import loads
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.safety.clocks import judge
from ember_core.safety.forms import requirement
from ember_core.safety.measured import judge_log
from ember_core.safety.rules import house_profile, profile_of
from ember_core.safety.verdict import standing
from tests.conftest import plan_document

POULTRY = "3-401.11(A)(3)"
BREAST = {"food": "chicken-breast", "shape": {"kind": "slab", "thickness_mm": 25}, "start_c": 4}


def rule(house, medium_c=75.0):
    """The rule's statement on a breast held in a bath for 90 minutes."""
    document = plan_document(
        piece=BREAST, target={}, rules="house", stages=[{"kind": "bath", "minutes": 90, "medium_c": medium_c}], **{"x-house": house}
    )  # fmt: skip
    return compute(parse(document)).result["rule"]


def test_stricter_rows_govern():
    """74 °C meets the base and not a house that asks for 76; the statement is the house's."""
    base, strict = {"base": "us-food-code-2022"}, {"base": "us-food-code-2022", "rows": {POULTRY: [[76, 0]]}}
    assert rule(base)["met"] is True
    assert rule(strict)["met"] is False
    assert rule(strict)["profile"] == "house"


def test_what_a_clause_asks_besides_is_kept():
    """The conditions written beside the rows of a table reach whoever reads the clause."""
    notes = {c.id: c.note for c in profile_of("us-food-code-2022").clauses}
    assert "humid (over 90 % RH for 1 h" in notes["3-401.11(B)(2)"]
    assert "hot holding" in notes["3-401.13"]
    assert notes[POULTRY] == ""


def test_weaker_rows_need_a_written_plan():
    """Without one the plan is refused with the clause; with one the edition names it."""
    weak = {"base": "us-food-code-2022", "rows": {POULTRY: [[60, 1800]]}}
    with pytest.raises(InputError, match="written plan"):
        rule(weak, 62.0)
    allowed = rule(weak | {"written_plan": "HACCP 7"}, 62.0)
    assert allowed["met"] is True
    assert "HACCP 7" in allowed["edition"]
    assert rule({"base": "us-food-code-2022"}, 62.0)["met"] is False


@pytest.mark.parametrize(
    "house",
    [
        "strict", [], {}, {"base": 3}, {"base": "house"}, {"base": "nowhere"}, {"base": "uk-fsa", "rows": [1]},
        {"base": "uk-fsa", "rows": {"core time and temperature": [[60]]}}, {"base": "uk-fsa", "rows": {"core time and temperature": 5}},
        {"base": "uk-fsa", "rows": {"core time and temperature": [["hot", 5]]}}, {"base": "uk-fsa", "rows": {"unknown": [[70, 120]]}},
    ],
)  # fmt: skip
def test_malformed_house_rules_are_errors(house):
    """Whatever stands in x-house: an error with its place, no traceback."""
    with pytest.raises(InputError) as caught:
        rule(house)
    assert "house" in caught.value.path


def test_another_base_brings_its_keeping_and_advisory():
    """Under a house that follows the UK, cooling is the UK's, and its clause may be served with an advisory."""
    document = plan_document(
        piece=BREAST | {"shape": {"kind": "slab", "thickness_mm": 60}}, target={}, rules="house",
        stages=[{"kind": "bath", "minutes": 200, "medium_c": 75}, {"kind": "chill", "minutes": 150, "medium_c": 2}],
        **{"x-house": {"base": "uk-fsa"}},
    )  # fmt: skip
    cooling = [f for f in compute(parse(document)).result["findings"] if f["code"] == "cooling"]
    assert cooling
    assert "UK" in cooling[0]["source"]
    profile = profile_of("house", {"base": "uk-fsa"})
    raw = judge(profile, "fish", np.array([0.0, 60.0]), np.full((2, 1), 50.0))
    fish = requirement(food_row("hake"), None)
    assert standing(raw, fish, "general", profile).state == "advisory"
    assert standing(raw, fish, "susceptible", profile).state == "stop"


def test_a_log_is_judged_by_the_house():
    """A measured log, by the same rows."""
    log = loads("t_s,core_c\n" + "\n".join(f"{60 * i},75" for i in range(10)))
    args = {"rules": "house", "food": "chicken-breast", "form": "poultry"}
    assert judge_log(log, **args)["rule"]["met"] is True
    strict = {"base": "us-food-code-2022", "rows": {POULTRY: [[76, 0]]}}
    assert judge_log(log, **args, house=strict)["rule"]["met"] is False


def test_a_sentence_carries_them():
    """House rules go into the document with the sentence, and out again with other rules."""
    house = {"base": "uk-fsa", "rows": {}}
    document = Sentence.for_cut("bavette", rules="house", house=house).document()
    assert document["x-house"] == house
    assert from_document(document, 0.0, 22.0).house == house
    assert "x-house" not in Sentence.for_cut("bavette", house=house).document()


ROWS = [
    # rows for poultry (74 °C at once) → taken, refused as no rows, or refused as less than the base
    ([(76, 0)], None), ([(129.9, 0)], None), ([(80, 86400)], None), ([(76, 0), (80, 0)], None), ([], "range"), ([(130, 0)], "range"),
    ([(130.5, 0)], "range"), ([(80, 0), (140, 0)], "range"), ([(0, 10)], "range"), ([(0.5, 10)], "weaker-than-base"), ([(80, 86400.5)], "range"),
    ([(80, -1)], "range"), ([(76, 0), (60, 60)], "weaker-than-base"), ([(73.9, 60)], "weaker-than-base"),
]  # fmt: skip


@pytest.mark.parametrize(("rows", "code"), ROWS)
def test_rows_of_a_house(rows, code):
    """Rows within their bounds that would meet the base are taken; others are refused for what they are."""
    if code is None:
        made = house_profile("us-food-code-2022", {POULTRY: rows})
        assert made.weaker == ()
        return
    with pytest.raises(InputError) as refused:
        house_profile("us-food-code-2022", {POULTRY: rows})
    assert (refused.value.code == "weaker-than-base") is (code == "weaker-than-base")
    assert refused.value.path == f"/house/{POULTRY}"


def test_one_row_of_several_is_enough():
    """71 °C at once meets one row of 3-401.11(A)(2), 70 °C at once, and none of the others: it allows no less."""
    assert house_profile("us-food-code-2022", {"3-401.11(A)(2)": [(71, 0)]}).weaker == ()


@pytest.mark.parametrize("celsius", [55.0, 57.0, 62.0])
def test_the_floor_by_the_slowest_published_d(celsius):
    """Five log of Salmonella at D60 5.5 min, z 5.6 K (Juneja, Eblen & Ransom 2001): a hundredth less is refused."""
    needed = 5 * 60 * 5.5 * 10 ** ((60 - celsius) / 5.6)
    house_profile("us-food-code-2022", {POULTRY: [(celsius, 1.01 * needed)]}, written_plan="HACCP 7")
    with pytest.raises(InputError, match="slowest published D"):
        house_profile("us-food-code-2022", {POULTRY: [(celsius, 0.99 * needed)]}, written_plan="HACCP 7")


GOOD = {
    "organism": "salmonella",
    "species": "chicken",
    "log10": 7,
    "by": "a laboratory",
    "file": "report 12",
    "date": "2026-03-31",
}
SHOWN = [
    # a reduction shown for 60 °C, 10 min (7.9 log10 by D60 1.26 min) → taken, or what the refusal says
    ({}, None), ({"log10": 5}, None), ({"log10": 7.9}, None), ({"log10": 8}, "are said to be shown"), ({"log10": 12.1}, "validated needs"),
    ({"log10": 4.99}, "validated needs"), ({"log10": True}, "validated needs"), ({"by": "ABCD "}, "validated needs"), ({"by": None}, "validated needs"),
    ({"file": "x"}, "validated needs"), ({"date": "last year"}, "validated needs"), ({"species": "dragon"}, "validated needs"),
    ({"organism": "yeast"}, "validated needs"), ({"organism": "listeria"}, "are said to be shown"),
]  # fmt: skip


@pytest.mark.parametrize(("other", "refusal"), SHOWN)
def test_a_shown_reduction(other, refusal):
    """Whole, dated and named, and never believed further than the product's own model goes."""
    house = {"validated": GOOD | other, "written_plan": "HACCP 7"}
    if refusal is None:
        assert "a laboratory" in house_profile("us-food-code-2022", {POULTRY: [(60, 600)]}, **house).shown
        return
    with pytest.raises(InputError, match=refusal):
        house_profile("us-food-code-2022", {POULTRY: [(60, 600)]}, **house)


def test_no_plan_allows_what_kills_nothing():
    """52.5 °C at once, 7 log10 "by the chef"."""
    for row in ([52.5, 0], [52.3, 86400], [74.0 - 1e-3, 0]):
        with pytest.raises(InputError):
            house_profile("us-food-code-2022", {POULTRY: [row]}, written_plan="HACCP 7", validated=GOOD)


def test_a_plan_needs_a_name_that_says_something():
    """A letter is none."""
    with pytest.raises(InputError, match="written plan"):
        house_profile("us-food-code-2022", {POULTRY: [(60, 3600)]}, written_plan="x")


def test_what_was_shown_of_one_species_holds_for_no_other():
    """Rows shown of chicken do not judge a duck."""
    house = {"base": "us-food-code-2022", "rows": {POULTRY: [[60, 600]]}, "written_plan": "HACCP 7", "validated": GOOD}
    rows = {s: profile_of("house", house, species=s).clauses_for("poultry")[0].rows for s in ("chicken", "duck")}
    assert rows == {"chicken": ((60.0, 600.0),), "duck": ((74.0, 0.0),)}
