"""How sure the minutes are: sizes and old eggs, two waters, pairs; and what the rules ask of an egg."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from ember_core.doneness.eggs import WHITES, YOLKS
from ember_core.eggs.doubt import pairs, strips
from ember_core.eggs.map import egg_map, risen_weights
from ember_core.eggs.question import BATH, BOIL, HELD, LATER, TURNS, TWO, EggQuestion, ask
from ember_core.eggs.ruled import LATER as FOR_LATER
from ember_core.eggs.ruled import NOW, boiled_to_rule, products, ruled
from ember_core.formats.plan import parse
from ember_core.heat.egg_states import mesh_of
from ember_core.heat.geometry.egg_outline import species_of
from ember_core.planning.compute import compute
from ember_core.safety.rules import profiles

ORDER = list(YOLKS)


@pytest.mark.parametrize(("bath_c", "minutes"), [(58.0, 60.0), (60.0, 30.0), (62.0, 45.0), (66.0, 40.0)])
@pytest.mark.parametrize("mass_g", [48.0, 65.0])
def test_two_waters_on_the_map_are_what_the_solver_says(bath_c, minutes, mass_g):
    """A bath and two minutes of boiling water after it, by modes and by the solver: within 0.05, as one water is."""
    own = EggQuestion(water=TWO, mass_g=mass_g)
    state = ask(replace(own, water_c=bath_c, minutes=minutes)).state
    m = egg_map(own, np.array([minutes]), np.array([bath_c]))
    found = [float(v[0, 0]) for v in (m.yolk, m.firm, m.white, m.main)]
    assert found == pytest.approx([state.yolk, state.firm, state.white, state.main], abs=0.05)


@pytest.mark.parametrize("species", ["hen", "quail", "goose"])
def test_a_risen_yolk_is_all_there(species):
    """Weights sum to one; not risen at all it is the middle one; its middle lies where it rose to."""
    mass = {"hen": 57.0, "quail": 11.0, "goose": 145.0}[species]
    plan = parse(EggQuestion(species=species, mass_g=mass, minutes=1.0).document())
    mesh = mesh_of(plan)
    still, risen = risen_weights(plan.shape, mesh, 0.0), risen_weights(plan.shape, mesh, 1.0)
    assert still.sum() == pytest.approx(1.0)
    assert risen.sum() == pytest.approx(1.0)
    assert still[~mesh.inner].sum() < 0.12  # its edge falls between nodes
    assert risen[~mesh.inner].sum() > still[~mesh.inner].sum()
    assert 0.2 < species_of(plan.shape)["yolk"] < 0.4


@pytest.mark.parametrize("start_c", [4.0, 21.0])
def test_an_old_eggs_yolk_sets_sooner_at_first(start_c):
    """At the shell it gets hot before one in the middle does; in a bath, through and through warm, it makes no odds."""
    own = EggQuestion(start_c=start_c)
    minutes = np.linspace(3.0, 6.0, 7)
    fresh, old = (egg_map(own, minutes, np.array([99.97]), risen=r) for r in (0.0, 1.0))
    assert (old.yolk[0] > fresh.yolk[0]).all()
    bath = [
        egg_map(replace(own, water=BATH), np.array([60.0]), np.array([64.0]), risen=r).yolk[0, 0] for r in (0.0, 1.0)
    ]
    assert bath[0] == pytest.approx(bath[1], abs=0.03)


def test_a_batch_of_mixed_sizes():
    """Smaller ones are ready sooner; each strip is what the solver says of that egg, in words or the next word."""
    found = strips(EggQuestion(), np.linspace(0.5, 14.0, 55), [48.0, 57.0, 66.0])
    best = [s.best_min for s in found if not s.risen]
    assert best == sorted(best)
    assert [s.risen for s in found] == [False, False, False, True]
    for strip in found[:3]:
        solver = ask(EggQuestion(mass_g=strip.mass_g))
        assert strip.best_min == pytest.approx(solver.minutes, rel=0.02)
        yolk, white = strip.words_at(6.5)
        eaten = ask(EggQuestion(mass_g=strip.mass_g, minutes=6.5)).state
        assert abs(ORDER.index(yolk) - ORDER.index(eaten.yolk_word)) <= 1
        assert white in WHITES
    assert strips(EggQuestion(yolk="dry"), np.array([1.0, 2.0]), [57.0])[0].best_min is None


def test_every_pair_that_is_offered_can_be_had():
    """Each offered way, cooked by the solver, is its pair or borders on it by one word; most are it."""
    own = EggQuestion()
    found = pairs(own)
    assert len(found) >= 9
    exact = 0
    for (yolk, white), way in found.items():
        state = ask(replace(own, water=way.water, water_c=way.water_c, minutes=way.minutes)).state
        exact += (state.yolk_word, state.white_word) == (yolk, white)
        assert abs(ORDER.index(state.yolk_word) - ORDER.index(yolk)) <= 1
        assert abs(list(WHITES).index(state.white_word) - list(WHITES).index(white)) <= 1
    assert exact >= 0.8 * len(found)
    assert ("runny", "firm") not in found
    assert found["jammy", "firm"].water == BOIL
    assert found["jammy", "barely-set"].water == BATH


def test_in_turns_of_hot_and_cool_water():
    """So many whole turns that the yolk is as wanted: one less is not yet; the plan says them all."""
    found = ask(EggQuestion(water=TURNS))
    turns = round(found.minutes / 4.0)
    assert found.reached
    assert [s.kind for s in found.plan.stages] == ["boil", "simmer"] * turns + ["chill"]
    fewer = ask(EggQuestion(water=TURNS, minutes=4.0 * (turns - 1)))
    assert ORDER.index(fewer.state.yolk_word) < ORDER.index(found.state.yolk_word) or fewer.state.white_word == "unset"


@pytest.mark.parametrize("stop", [HELD, LATER])
def test_held_or_warmed_again(stop):
    """Warm when it is eaten, as wanted, and judged as an egg that is not for immediate service."""
    found = ask(EggQuestion(stop=stop))
    assert found.reached
    assert 48.0 < float(found.cook.core[-1]) < 61.0
    assert found.plan.required.form == FOR_LATER
    if stop == LATER:
        cold = found.cook.core[
            (found.cook.t >= found.cook.stages[0].end_s) & (found.cook.t <= found.cook.stages[1].end_s)
        ]
        assert cold.min() <= 5.1


@pytest.mark.parametrize("form", [NOW, FOR_LATER])
@pytest.mark.parametrize("rules", ["us-food-code-2022", "uk-fsa"])
@pytest.mark.parametrize("altitude_m", [0.0, 1850.0])
def test_boiled_to_its_rule_and_not_a_moment_less(form, rules, altitude_m):
    """The judge itself, of the plan with those minutes: met; with twenty seconds less: not. No wrong *met*."""
    own = EggQuestion(rules=rules, altitude_m=altitude_m, stop="plate")
    minutes = boiled_to_rule(own, form)
    document = own.by_minutes(minutes).document()
    document["piece"]["form"] = form
    document["piece"].pop("cut", None)
    for less, met in ((0.0, True), (1.0 / 3.0, False)):
        document["stages"] = [{"kind": "boil", "minutes": minutes - less}]
        assert compute(parse(document), with_forecast=False).result["rule"]["met"] is met


def test_a_profile_without_a_number_gives_none():
    assert boiled_to_rule(EggQuestion(rules="anz-fsanz-3.2.2"), NOW) is None
    assert boiled_to_rule(EggQuestion(rules="us-fsis-appendix-a"), NOW) is None


def test_the_rules_are_each_profiles_own():
    """No row of one stands under another; the Food Code's are those of the house that follows it."""
    for name in profiles():
        for row in ruled(name):
            assert row.clause
            assert row.level in {"stop", "care", "note"}
    assert {r.clause for r in ruled("us-food-code-2022")}.isdisjoint({r.clause for r in ruled("uk-fsa")})
    assert ruled("house", {"base": "uk-fsa", "clauses": []}) == ruled("uk-fsa") or ruled("house") == ruled(
        "us-food-code-2022"
    )
    assert ruled("us-fsis-appendix-a") == ()


def test_liquid_egg_by_its_row_and_by_the_model_beside_it():
    """9 CFR 590.570 as printed before 2020: whole egg 60 °C 3.5 min; by D60 of 1.26 min of the beef data 2.8 log10, computed here by hand."""
    whole = products("us-fsis-appendix-a")[0]
    assert (whole.at_c, whole.seconds) == (60.0, 210.0)
    assert whole.log10 == pytest.approx(3.5 / 1.26, rel=1e-6)
    assert products("us-food-code-2022") == ()
