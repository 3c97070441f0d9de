"""Scrambled eggs and omelettes as plans: the solver of every plan against the balance by hand; what their moves say; their rule."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.eggs.omelette import SCHOOLS, Omelette, omelette
from ember_core.eggs.stirred import Pan, Scramble, scramble
from ember_core.eggs.stirred_plan import omelette_document, scrambled_document
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.planning.moves import MoveKind, moves

PANS = {
    "a few, slowly": Scramble(150.0, 6.0, Pan(240, 1.2, "steel", 650.0, 100.0), "slow", 71.0),
    "a few, whisked": Scramble(150.0, 6.0, Pan(240, 1.2, "steel", 1000.0, 100.0), "whisked", 69.0),
    "an ostrich's": Scramble(900.0, 12.0, Pan(320, 3.0, "cast-iron", 1600.0, 110.0), "slow", 72.0),
    "in copper": Scramble(300.0, 20.0, Pan(260, 1.8, "copper", 1000.0, 130.0), "folded", 70.0),
}


def computed(document):
    return compute(parse(document), with_forecast=False)


@pytest.mark.parametrize("name", PANS)
def test_scrambled_eggs_land_where_the_two_balances_say(name):
    """Off the heat at the same second within 2 %, as warm within 0.3 K, and together at what is wanted."""
    m = PANS[name]
    by_hand, found = scramble(m), computed(scrambled_document(m)).cook
    assert found.pull_s == pytest.approx(by_hand.off_s, rel=0.02)
    assert found.stages[0].core_c == pytest.approx(by_hand.off_c, abs=0.3)
    assert found.peak_core_c == pytest.approx(m.target_c, abs=0.05)
    assert found.medium[found.at(found.pull_s)] == pytest.approx(by_hand.pan_c, abs=1.0)


def test_their_moves_are_pour_off_the_heat_and_serve():
    """The pull is the moment the pan leaves its burner; each move is that of eggs in a pan."""
    outcome = computed(scrambled_document(PANS["a few, slowly"]))
    told = moves(outcome.plan, outcome.cook)
    assert [m.kind for m in told] == [MoveKind.BEGIN, MoveKind.PULL, MoveKind.SERVE]
    assert [str(m.verb) for m in told] == ["Pour in", "Off the heat", "Serve"]
    assert outcome.result["rule"]["clause"] == "3-401.11(A)(1)"


@pytest.mark.parametrize("school", SCHOOLS)
def test_an_omelette_is_folded_when_its_answer_says(school):
    """Within 4 % and a second, by the same pan; it ends by what it waits for, and is judged by eggs for an order."""
    o = Omelette(3, school, power_w=1000.0)
    by_hand, outcome = omelette(o), computed(omelette_document(o))
    cook = outcome.cook
    assert cook.stages[0].ended_by == ("core_c" if SCHOOLS[school]["stirring"] else "surface_c")
    assert cook.stages[0].end_s == pytest.approx(by_hand.set_s, rel=0.04, abs=1.1)
    assert moves(outcome.plan, cook)[1].kind == MoveKind.PULL


@pytest.mark.parametrize("school", SCHOOLS)
@pytest.mark.parametrize("power_w", [700.0, 2500.0])
def test_a_moist_omelette_meets_its_rule_only_where_it_stood_long_enough(school, power_w):
    """63 °C for 15 s everywhere, counted here along its coldest place second by second."""
    outcome = computed(omelette_document(Omelette(2, school, diameter_mm=200.0, power_w=power_w)))
    cook = outcome.cook
    t = np.arange(0.0, float(cook.t[-1]), 0.25)
    coldest = np.min([np.interp(t, cook.t, place) for place in cook.everywhere.T], axis=0)
    stood = 0.25 * int((coldest >= 63.0 - 0.05).sum())
    assert abs(stood - 15.0) > 0.5  # none of these cases hangs on a hair
    assert outcome.result["rule"]["met"] is (stood >= 15.0)
