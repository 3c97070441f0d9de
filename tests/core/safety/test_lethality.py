"""The model's statement: the coldest depth, the cautious piece, the slow and the fast end, to four decimals."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.safety.lethality import log_reduction, organisms, statement

SALMONELLA = organisms()["salmonella"]  # D60 1.26 min, 1.20 to 5.5, z 5.6
T = np.array([0.0, 600.0, 1200.0])
FIELD = np.column_stack([np.full(3, 60.0), np.full(3, 65.6)])


def test_the_coldest_depth_and_both_ends():
    """20 min at 60 °C: 1,200 s over D; the depth ten times as fast does not count."""
    said = statement(T, FIELD, SALMONELLA)
    assert said["log10"] == round(1200 / 75.6, 4)
    assert said["log10_p5"] == round(1200 / 330, 4)
    assert said["log10_p95"] == round(1200 / 72, 4)
    assert (said["organism"], said["at_c"], said["d_value_s"], said["z_c"]) == (
        "salmonella",
        60.0,
        pytest.approx(75.6),
        5.6,
    )


@pytest.mark.parametrize(("cautious_c", "slow_s"), [(54.4, 120.0), (65.6, 1200.0)])
def test_the_cautious_piece_sets_the_slow_end_only(cautious_c, slow_s):
    """At 54.4 °C it is a tenth; a cautious piece that does better changes nothing."""
    cautious = (T, np.column_stack([np.full(3, cautious_c), np.full(3, 70.0)]))
    said = statement(T, FIELD, SALMONELLA, cautious)
    assert said["log10_p5"] == pytest.approx(slow_s / 330, abs=1e-4)
    assert said["log10"] == round(1200 / 75.6, 4)


def test_what_does_not_count():
    """An interval that does not count gives nothing; absurd heat stays a number."""
    half = statement(T, FIELD, SALMONELLA, counts=np.array([True, False]))
    assert half["log10"] == round(600 / 75.6, 4)
    none = statement(T, FIELD, SALMONELLA, counts=np.array([False, False]))
    assert none["log10"] == 0.0
    hot = float(log_reduction(T, np.full(3, 60.0 + 5.6 * 11.9), 75.6, 60.0, 5.6))
    assert hot == pytest.approx(1200 / 75.6 * 10**11.9)
    assert float(log_reduction(T, np.full(3, 60.0 + 5.6 * 50), 75.6, 60.0, 5.6)) == pytest.approx(1200 / 75.6 * 1e12)
