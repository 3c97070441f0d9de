"""Long-cook models against their published points, and what must hold for any history."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.doneness.long_cooks import equivalent_hours, long_cook, myoglobin_denatured, water_held


@pytest.mark.parametrize(("t_c", "loss"), [(55, 0.02), (60, 0.07), (65, 0.16), (70, 0.26), (80, 0.34)])
def test_cooking_loss(t_c, loss):
    """van der Sman 2007 as summarised in the project's notes: 2 % at 55 °C … 34 % at 80 °C."""
    assert float(water_held(20.0) - water_held(t_c)) == pytest.approx(loss, abs=0.015)


@pytest.mark.parametrize(("t_c", "share"), [(55, 0.25), (65, 0.65), (75, 0.90)])
def test_colour(t_c, share):
    """Hunt 1999: myoglobin denatured at three temperatures; the logistic curve meets them within 0.03."""
    assert float(myoglobin_denatured(t_c)) == pytest.approx(share, abs=0.03)


def test_hours_at_the_reference_count_as_they_are():
    """An hour at 70 °C is an hour; z near 25 K about 80 °C for 90 kJ/mol: ten times faster 25 K higher."""
    t = np.array([0.0, 3600.0])
    assert float(equivalent_hours(t, np.full(2, 70.0), 90e3)) == pytest.approx(1.0)
    assert float(equivalent_hours(t, np.full(2, 95.0), 90e3)) == pytest.approx(8.5, abs=1.5)


@given(st.lists(st.floats(5, 90), min_size=2, max_size=20), st.floats(0, 10))
def test_hotter_loses_more_softens_more_and_is_less_pink(values, more):
    """Every answer is monotone in temperature and stays in its range."""
    t = np.arange(len(values)) * 600.0
    a, b = (long_cook(t, np.array(values)[:, None] + x) for x in (0.0, more))
    assert 0 <= a.loss <= b.loss <= 0.4
    assert 0 <= a.tender_h <= b.tender_h
    assert (b.pink <= a.pink).all()
    assert a.tender_low_h <= a.tender_h <= a.tender_high_h


def test_outside_the_sources_it_says_so():
    """Above 90 °C and below 55 °C the answer carries a finding with the source."""
    t = np.array([0.0, 7200.0])
    hot = long_cook(t, np.array([[95.0, 60.0], [95.0, 60.0]]))
    assert "loss-outside-range" in [f.code for f in hot.findings]
    slow = long_cook(t * 10, np.array([[52.0, 60.0], [52.0, 60.0]]))
    assert all(f.source for f in slow.findings)
    assert "tenderness-outside-range" in [f.code for f in slow.findings]
