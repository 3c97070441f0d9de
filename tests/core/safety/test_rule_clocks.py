"""The rule's clocks against a plain second-by-second count, and what must always hold for rules."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ember_core.safety.clocks import TOLERANCE_C, judge, met_times
from ember_core.safety.lethality import log_reduction, organisms
from ember_core.safety.rules import profiles

histories = st.lists(st.floats(40, 80), min_size=3, max_size=25).map(np.array)
FORMS = ["steak", "roast", "minced", "poultry", "fish", "egg-now", "egg-later", "stuffed", "game-wild"]


def count(temperature, row_c, row_s):
    """Second-by-second: readings every second, the clock runs while both ends are at or above the row."""
    clock, longest, met = 0, 0, np.inf
    if temperature[0] >= row_c - TOLERANCE_C and row_s <= 0:
        met = 0
    for i in range(1, len(temperature)):
        both = temperature[i - 1] >= row_c - TOLERANCE_C and temperature[i] >= row_c - TOLERANCE_C
        clock = clock + 1 if both else 0
        longest = max(longest, clock)
        hot = temperature[i] >= row_c - TOLERANCE_C or both
        if clock >= row_s and hot and np.isinf(met):
            met = i
    return met, longest


@settings(max_examples=200, deadline=None)
@given(histories, st.floats(45, 75), st.integers(0, 8))
def test_clocks_count_as_a_person_would(history, row_c, row_s):
    """On whole seconds and without interpolation both ways of counting agree."""
    met, longest = met_times(
        np.arange(len(history), dtype=float), history[:, None], [(row_c, float(row_s))], interpolate=False
    )
    expected = count(history, row_c, row_s)
    assert longest[0, 0] == expected[1]
    assert met[0, 0] == expected[0]


@settings(max_examples=100, deadline=None)
@given(histories, st.sampled_from(FORMS), st.sampled_from(sorted(profiles())), st.floats(0, 10), st.booleans())
def test_hotter_never_unmeets_a_rule(history, form, name, more, interpolate):
    """Raising every reading keeps a met rule met; holding on afterwards does, too."""
    t = np.arange(len(history)) * 120.0

    def met(values, times):
        return judge(profiles()[name], form, times, values[:, None], interpolate=interpolate)["met"]

    if met(history, t):
        assert met(history + more, t)
        assert met(np.append(history, history[-1]), np.append(t, t[-1] + 600))
    if name.startswith("anz"):
        assert met(history, t) is None


@settings(max_examples=60, deadline=None)
@given(histories, st.sampled_from(sorted(organisms())))
def test_lethality_grows_with_time_and_heat(history, organism):
    """Never negative, never falling, additive over time."""
    o = organisms()[organism]
    t = np.arange(len(history)) * 30.0

    def logs(values, times):
        return float(log_reduction(times, values, o.d_s, o.at_c, o.z_c))

    whole = logs(history, t)
    assert whole >= 0
    assert logs(history + 1, t) > whole
    middle = len(history) // 2
    assert logs(history[: middle + 1], t[: middle + 1]) + logs(history[middle:], t[middle:]) == pytest.approx(
        whole, rel=1e-9, abs=1e-12
    )


def test_the_coldest_depth_governs():
    """One cold layer keeps a rule from being met, and lowers the model."""
    t = np.array([0.0, 600.0])
    field = np.array([[75.0, 75.0, 61.0]] * 2)
    assert judge(profiles()["us-food-code-2022"], "minced", t, field)["met"] is False
    assert judge(profiles()["us-food-code-2022"], "minced", t, field[:, :2])["met"] is True


@pytest.mark.parametrize("name", sorted(profiles()))
def test_rows_are_ordered_and_sourced(name):
    """Hotter rows are shorter; each profile names authority, edition and confidence."""
    profile = profiles()[name]
    assert profile.authority
    assert profile.edition
    assert 0 < profile.confidence <= 1
    for clause in profile.clauses:
        rows = np.array(clause.rows)
        assert (np.diff(rows[:, 0]) > 0).all()
        assert (np.diff(rows[:, 1]) <= 0).all()
