"""Between a computed plan and what is kept of it."""

from __future__ import annotations

import numpy as np

from ember_core.planning.compute import Outcome


def thin_trace(outcome: Outcome, points: int = 160) -> list[list[float]]:
    """Predicted core for a running cook: pairs of s and °C."""
    t, core = outcome.cook.t, outcome.cook.core
    keep = np.unique(
        np.concatenate(
            [
                np.searchsorted(t, np.linspace(0, t[-1], points)).clip(0, len(t) - 1),
                [outcome.cook.at(s.end_s) for s in outcome.cook.stages],
            ]
        )
    )
    return [[round(float(t[i]), 1), round(float(core[i]), 2)] for i in keep]
