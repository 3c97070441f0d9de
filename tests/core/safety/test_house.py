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


SHOWN = [
    ({"log10": 5, "by": "ABCDE"}, True), ({"log10": 12, "by": "a laboratory"}, True), ({"log10": 12.1, "by": "a laboratory"}, False),
    ({"log10": 4.99, "by": "a laboratory"}, False), ({"log10": 7, "by": "ABCD "}, False), ({"log10": True, "by": "a laboratory"}, False),
]  # fmt: skip


@pytest.mark.parametrize(("shown", "taken"), SHOWN)
def test_a_shown_reduction(shown, taken):
    """From 5 to 12 log10, and by someone with a name."""
    house = {"validated": {"organism": "salmonella", **shown}, "written_plan": "HACCP 7"}
    if taken:
        assert house_profile("us-food-code-2022", {POULTRY: [(53, 600)]}, **house).shown
        return
    with pytest.raises(InputError, match="validated needs"):
        house_profile("us-food-code-2022", {POULTRY: [(53, 600)]}, **house)
