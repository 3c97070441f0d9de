"""The words of the verdict: exact, for every state."""

from __future__ import annotations

from dataclasses import replace

import pytest

from ember_core.book.foods import food_row
from ember_core.plan.finding import Finding, Level
from ember_core.safety.forms import requirement
from ember_core.safety.rules import profiles
from ember_core.safety.verdict import eats, standing
from ember_core.wording.message import say

US, ANZ = "us-food-code-2022", "anz-fsanz-3.2.2"
CHICKEN, HAKE, CARROT = (requirement(food_row(f), None) for f in ("chicken-breast", "hake", "carrot"))


def rule(met=False, remaining=None, clause="3-401.11(A)(1)", profile=US, needs="Needs."):
    """A statement."""
    return {"profile": profile, "edition": "", "clause": clause, "met": met, "met_at_s": 0.0 if met else None, "remaining_s": remaining, "needs": needs}  # fmt: skip


STOP = Finding("x", Level.STOP, say("Too warm."), "")
CARE = replace(STOP, level=Level.CARE)
TABLE = [
    (rule(True), HAKE, "general", [], ("met", "met", "3-401.11(A)(1): Needs.")),
    (rule(remaining=119.4), HAKE, "general", [CARE], ("advisory", "served with advisory", "3-401.11(A)(1): Needs. Tell the guest it is undercooked; never for susceptible guests.")),
    (rule(remaining=119.9), HAKE, "general", [], ("advisory", "served with advisory", "3-401.11(A)(1): Needs. Tell the guest it is undercooked; never for susceptible guests.")),
    (rule(remaining=120.0), HAKE, "general", [], ("advisory", "served with advisory", "3-401.11(A)(1): Needs. Tell the guest it is undercooked; never for susceptible guests.")),
    (rule(remaining=121.0), HAKE, "susceptible", [], ("short", "short by 3 min", "3-401.11(A)(1): Needs.")),
    (rule(remaining=119.4), HAKE, "susceptible", [CARE], ("short", "short by 119 s", "3-401.11(A)(1): Needs.")),
    (rule(remaining=119.9), CHICKEN, "general", [], ("short", "short by 2 min", "3-401.11(A)(1): Needs.")),
    (rule(remaining=0.0), CHICKEN, "general", [], ("short", "short by 0 s", "3-401.11(A)(1): Needs.")),
    (rule(remaining=0.0), HAKE, "general", [], ("advisory", "served with advisory", "3-401.11(A)(1): Needs. Tell the guest it is undercooked; never for susceptible guests.")),
    (rule(), HAKE, "general", [], ("advisory", "served with advisory", "3-401.11(A)(1): Needs. Tell the guest it is undercooked; never for susceptible guests.")),
    (rule(), HAKE, "susceptible", [], ("stop", "stop: do not serve", "3-401.11(A)(1): Needs. Guests are highly susceptible: no advisory can stand in.")),
    (rule(clause="3-401.11(A)(3)"), CHICKEN, "general", [], ("stop", "stop: do not serve", "3-401.11(A)(3): Needs. No advisory can stand in for it.")),
    (rule(clause="3-401.13"), CARROT, "general", [], ("open", "nothing required when served at once", "3-401.13: Needs.")),
    (rule(), HAKE, "general", [CARE, STOP], ("stop", "stop: do not serve", "Too warm. 3-401.11(A)(1): Needs.")),
    (rule(remaining=30.0), HAKE, "general", [STOP], ("stop", "stop: do not serve", "Too warm. 3-401.11(A)(1): Needs.")),
    (rule(needs=say("Held, but: {why}", why=STOP.message)), HAKE, "general", [STOP], ("stop", "stop: do not serve", "3-401.11(A)(1): Held, but: Too warm.")),
    (rule(None, clause=None, profile=ANZ), HAKE, "general", [CARE], ("open", "no number in this rule", "Needs.")),
    (rule(None, clause=None, profile=ANZ), HAKE, "susceptible", [],
     ("stop", "stop: do not serve", "Needs. Guests are highly susceptible: nothing can stand in for it.")),
    (rule(None, clause=None, profile=ANZ), CHICKEN, "general", [STOP], ("stop", "stop: do not serve", "Too warm. Needs.")),
    (rule(None), HAKE, "general", [], ("open", "not yet known", "3-401.11(A)(1): Needs.")),
]  # fmt: skip


@pytest.mark.parametrize(("statement", "required", "guests", "findings", "said"), TABLE)
def test_words(statement, required, guests, findings, said):
    """State, words and detail."""
    found = standing(statement, required, guests, None, findings)
    assert (found.state, found.words, found.detail) == said
    assert found.profile is profiles()[statement["profile"]]


@pytest.mark.parametrize(
    ("peak", "target", "says"),
    [
        (55.0, None, "rare, core 55.0 °C"), (55.69, 55.0, "rare, core 55.7 °C"), (55.75, 55.0, "rare, core 55.8 °C, 0.8 °C over the target"),
        (54.31, 55.0, "rare, core 54.3 °C"), (54.0, 55.0, "rare, core 54.0 °C, 1.0 °C under the target"),
    ],
)  # fmt: skip
def test_how_it_eats(peak, target, says):
    """Within 0.7 K it is the target; beyond, by how much and on which side."""
    assert eats("rare", peak, target) == says


@pytest.mark.parametrize(
    ("peak", "coldest", "says"),
    [
        (55.2, 54.0, "medium, core 55.2 °C, coldest place 54.0 °C"), (57.0, 52.1, "medium, core 57.0 °C, coldest place 52.1 °C, 1.9 °C under the target"),
        (54.0, 53.6, "medium, core 54.0 °C"), (57.0, 56.0, "medium, core 57.0 °C, coldest place 56.0 °C, 2.0 °C over the target"),
    ],
)  # fmt: skip
def test_how_it_eats_where_a_place_stays_colder(peak, coldest, says):
    """The coldest place is compared with the target, and both are said."""
    assert eats("medium", peak, 54.0, coldest) == says
