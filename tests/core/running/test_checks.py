"""Checks of doneness as likelihoods: ordered answers, widths by person, and what a check is worth."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.data.loader import read_toml
from ember_core.errors import InputError
from ember_core.running.checks import (
    SLIP,
    THERMOMETER,
    chances,
    checks,
    checks_for,
    grey_share,
    learnt_width,
    likelihood,
    tells,
)

ORDERED = [c for c in checks().values() if c.id != THERMOMETER]


@pytest.mark.parametrize("check", ORDERED, ids=lambda c: c.id)
def test_answers_share_the_odds_in_their_order(check):
    """They sum to one; a warmer core never makes a colder answer likelier; at a cut both sides are even."""
    cores = np.linspace(0.0, 100.0, 201)
    p = chances(check, cores, check.trained)
    assert p.sum(axis=1) == pytest.approx(1.0)
    assert p.min() >= SLIP / len(check.answers) - 1e-12
    assert (np.diff(np.cumsum(p, axis=1)[:, :-1], axis=0) <= 1e-12).all()
    for i, cut in enumerate(check.cuts_c):
        below = chances(check, np.array([cut]), check.trained)[0, : i + 1].sum()
        assert below == pytest.approx((1.0 - SLIP) * 0.5 + SLIP * (i + 1) / len(check.answers))


def test_the_table_is_whole():
    for c in ORDERED:
        assert len(c.answers) == len(c.cuts_c) + 1
        assert list(c.cuts_c) == sorted(c.cuts_c)
        assert 0.0 < c.trained < c.untrained
    assert all("source" in row for row in read_toml("checks.toml").values())


def test_which_check_suits_which_food():
    assert "wobble" in checks_for("custard")
    assert "wobble" not in checks_for("red-meat")
    assert "opaque" in checks_for("prawn")
    assert {"tester", "touch", "juices", "cut", THERMOMETER} <= set(checks_for("red-meat"))
    assert "tester" not in checks_for("egg")
    assert "pan" in checks_for("red-meat", "pan")
    assert "pan" not in checks_for("red-meat", "oven")
    assert "pan" not in checks_for("red-meat")
    for body, of_it in (("shell", set()), ("opened", {"floats"}), ("spread", {"tracks"})):
        assert {"floats", "tracks"} & set(checks_for("egg", "simmer", body)) == of_it
    assert "floats" not in checks_for("egg", "bath", "opened")


@given(st.floats(20, 80), st.sampled_from([c.id for c in ORDERED]), st.floats(0.5, 10))
def test_a_check_is_worth_no_more_than_there_is_to_know(core, name, width):
    """What it is expected to take off the variance lies between nothing and all of it; far from its cuts it is next to nothing."""
    rng = np.random.default_rng(1)
    members = core + 3.0 * rng.standard_normal(200)
    weights = np.full(200, 1 / 200)
    worth = tells(checks()[name], members, weights, members, width)
    assert 0.0 <= worth <= members.var() + 1e-6
    if min(abs(core - cut) for cut in checks()[name].cuts_c) > 12.0 + 3.0 * width:
        assert worth < 0.05 * members.var()


def test_a_thermometer_is_worth_what_regression_says():
    rng = np.random.default_rng(2)
    core = rng.normal(55.0, 2.0, 4000)
    worth = tells(checks()[THERMOMETER], core, np.full(4000, 1 / 4000), core, 1.0)
    assert worth == pytest.approx(core.var() ** 2 / (core.var() + 1.0), rel=1e-6)


@pytest.mark.parametrize("name", ["tester", "touch", "cut"])
@pytest.mark.parametrize("factor", [0.5, 2.0])
def test_a_wrong_width_is_found_out_from_thirty_confirmed_checks(name, factor):
    """A hand twice as sure, or half, as was taken: after thirty checks that a probe confirmed the learnt width is nearer to the truth
    than to what was taken, in nine of ten hands; a right one stays within a fifth in the middle."""
    check, found, right = checks()[name], [], []
    rng = np.random.default_rng(5)
    for _ in range(60):
        cores = rng.uniform(check.cuts_c[0] - 8.0, check.cuts_c[-1] + 8.0, 30)
        for out, true in ((found, factor * check.untrained), (right, check.untrained)):
            seen = cores + true * rng.standard_normal(30)
            answers = [check.answers[int(np.searchsorted(check.cuts_c, s))] for s in seen]
            out.append(learnt_width(check, cores, answers)[0] / check.untrained)
    nearer = np.abs(np.log(np.array(found) / factor)) < np.abs(np.log(found))
    assert nearer.mean() >= 0.85
    assert np.median(right) == pytest.approx(1.0, abs=0.2)


def test_what_is_no_answer_is_refused_by_name():
    with pytest.raises(InputError) as said:
        likelihood(checks()["tester"], "blue", None, np.array([50.0]), "trained")
    assert "lukewarm" in said.value.message


@pytest.mark.parametrize(
    ("core", "mean", "share"), [(40.0, 41.0, 0.0), (70.0, 72.0, 1.0), (55.0, 61.667, 1 - 0.5**0.5)]
)
def test_how_much_of_a_section_is_grey(core, mean, share):
    """None while all is under 65 °C, all where the middle is over it; between, by the parabola."""
    found = float(grey_share(np.array([core]), np.array([mean]), 3.0)[0])
    assert found == pytest.approx(share, abs=1e-3)
