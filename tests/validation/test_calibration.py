"""The forecast's honesty on 300 blind simulated cooks, and what readings are worth.

Outside reference: the simulated kitchen's own model. MODEL_TIMING of ``ember_core.heat.learning``
was set on the seeds 0 to 49 of each plan; the seeds here are others, and were taken as they came.
"""

from __future__ import annotations

import numpy as np
import pytest

from tests.validation.calibration import PLANS, score

SEEDS = range(1000, 1050)


@pytest.fixture(scope="module")
def scores():
    """All plans, 50 truths each."""
    return {name: score(name, SEEDS) for name in PLANS}


@pytest.mark.parametrize("when", ["before", "after"])
def test_the_band_holds_the_truth(scores, when):
    """The 5–95 % band holds the true pull 86 to 94 % of the time, before and after readings; each plan above 65 %."""
    ranks = {name: getattr(s, when) for name, s in scores.items()}
    inside = {name: float(((r > 0.05) & (r < 0.95)).mean()) for name, r in ranks.items()}
    assert 0.86 <= np.mean(list(inside.values())) <= 0.94, inside
    assert min(inside.values()) > 0.65, inside
    counts, _ = np.histogram(np.concatenate(list(ranks.values())), 10, (0, 1))
    assert counts.max() < 3 * 30, counts  # the model is late on average: ranks lean to the left, and that is said


def test_readings_help(scores):
    """Readings up to halfway: the median error of the pull falls on average wherever heat has reached the core by then.

    A third, which the project wants above Fourier 0.15 at half time, is reached by two of five plans; under the
    grill readings do not help, because the kitchen's drying differs from the model's late in the cook. The method
    note reports each plan.
    """
    ratios = {
        name: float(np.median(s.error_after_s) / np.median(s.error_before_s))
        for name, s in scores.items()
        if s.fourier_half > 0.15
    }
    assert np.mean(list(ratios.values())) < 0.75, ratios
    assert sum(r < 1 / 3 for r in ratios.values()) >= 2, ratios
    assert max(ratios.values()) < 1.15, ratios


def test_a_wrong_spread_is_seen():
    """Truths twice as different as the kitchen's own are not held as often: the band is no band of everything."""
    name = "breast in simmering stock"
    narrow, wide = score(name, SEEDS), score(name, SEEDS, wide=2.5)
    held = [float(((s.before > 0.05) & (s.before < 0.95)).mean()) for s in (narrow, wide)]
    assert held[1] < held[0] - 0.1
