"""Compiles every kernel by computing small plans; run at set-up and at start, never in a request."""

from __future__ import annotations

from ember_core.benchmark import linear_plan
from ember_core.formats.plan import parse
from ember_core.formats.result import compute


def warm() -> None:
    """Compute one plan through each compiled path."""
    compute(linear_plan())
    compute(
        parse(
            {
                "format": "open-ember.plan/1",
                "piece": {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 20}, "start_c": 4},
                "stages": [
                    {"kind": "pan", "minutes": 12, "medium_c": 200, "until": {"peak_core_c": 55}},
                    {"kind": "rest", "minutes": 8},
                ],
                "rules": "us-food-code-2022",
                "forecast": {"members": 8},
            }
        )
    )
    compute(
        parse(
            {
                "format": "open-ember.plan/1",
                "piece": {"food": "egg-whole", "shape": {"kind": "egg", "mass_g": 58}, "start_c": 5},
                "stages": [
                    {"kind": "boil", "minutes": 20, "until": {"peak_core_c": 60}},
                    {"kind": "rest", "minutes": 5},
                ],
                "forecast": {"members": 8},
            }
        )
    )
