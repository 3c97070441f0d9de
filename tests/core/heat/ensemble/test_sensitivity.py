"""Sensitivities: the sign and size of what one change does to the pull."""

from __future__ import annotations

import pytest

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.ensemble.sensitivity import sensitivities
from ember_core.heat.setup import setup
from tests.conftest import plan_document


@pytest.mark.parametrize("cut", sorted(shipped().cuts))
def test_thicker_and_colder_later_hotter_and_better_sooner(cut):
    """For every cut of the book by its usual way."""
    plan = parse(Sentence.for_cut(cut, altitude_m=1850.0).document())
    cook = run(plan, setup(plan))
    thicker, colder, hotter, better = sensitivities(plan, cook)
    assert thicker.pull_later_s > 0
    assert colder.pull_later_s > 0
    # behind a boiling front a hotter pan makes more crust and hardly more heat: no later, but for what the grid leaves
    assert hotter.pull_later_s < max(1.0, 0.002 * (cook.pull_s or 0.0))
    late = any(
        s.until and s.until.startswith("surface") for s in plan.stages
    )  # a sear that is sooner brown brings less
    assert late or better.pull_later_s < (0.01 * (cook.pull_s or 0.0) if plan.target_c and plan.target_c > 74 else 0)


def test_it_is_what_the_changed_plan_gives():
    """2 mm thicker: the difference of two full computations, within 5 %."""
    documents = [Sentence.for_cut("hake-loin", size_mm=mm).document() for mm in (32.0, 34.0)]
    cooks = [run(parse(d), setup(parse(d))) for d in documents]
    found = sensitivities(parse(documents[0]), cooks[0])[0]
    assert found.change == "2 mm thicker"
    assert found.pull_later_s == pytest.approx(cooks[1].pull_s - cooks[0].pull_s, rel=0.05)


def test_without_a_solved_pull_the_peak_moves():
    """A fixed time: no pull to move, but the core's peak falls for a thicker piece and rises with the heat."""
    plan = parse(
        plan_document(stages=[{"kind": "oven", "minutes": 20, "medium_c": 160}, {"kind": "rest", "minutes": 10}])
    )
    thicker, colder, hotter, better = sensitivities(plan, run(plan, setup(plan)))
    assert thicker.pull_later_s is None
    assert thicker.peak_higher_c < 0
    assert colder.peak_higher_c < 0
    assert hotter.peak_higher_c > 0
    assert better.peak_higher_c > 0
