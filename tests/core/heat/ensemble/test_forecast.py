"""The forecast: what it reports of itself, and the rule at its cautious end."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.heat.cook import Variation, run
from ember_core.heat.setup import setup
from ember_core.planning.compute import compute
from tests.conftest import plan_document

BREAST = {"food": "chicken-breast", "shape": {"kind": "slab", "thickness_mm": 30}, "start_c": 4}
SHAPES = [
    {"kind": "slab", "thickness_mm": 30},
    {"kind": "cylinder", "diameter_mm": 50, "length_mm": 60},
    {"kind": "ellipsoid", "length_mm": 90, "width_mm": 60, "thickness_mm": 40},
]


def bath(minutes, spreads=None, shape=None, **over):
    """A breast held in a bath by the clock."""
    return compute(parse(plan_document(
        piece=BREAST | ({"shape": shape} if shape else {}), target={}, stages=[{"kind": "bath", "minutes": minutes, "medium_c": 64}],
        rules="us-fsis-appendix-a", forecast={"members": 64, "seed": 5, "spreads": spreads or {}}, **over,
    ))).result  # fmt: skip


def salmonella(result):
    """Nominal and slow-end reduction."""
    row = next(m for m in result["model"] if m["organism"] == "salmonella")
    return row["log10"], row["log10_p5"], row["d_value_s"]


@pytest.mark.parametrize("shape", SHAPES)
def test_the_cautious_end_is_worse_the_less_is_known(shape):
    """The slow end lies below the nominal value, and falls as the thickness is known less well; a known piece is the nominal one."""
    none = dict.fromkeys(
        ("thickness_mm", "start_c", "medium_c", "h_ln", "conductivity_ln", "drying_ln", "vent_ln", "drift_c"), 1e-9
    )
    slow = [salmonella(bath(25, none | {"thickness_mm": mm}, shape))[1] for mm in (1e-9, 1.0, 4.0)]
    assert slow == sorted(slow, reverse=True)
    assert slow[2] < 0.7 * slow[0]
    nominal, known, _ = salmonella(bath(25, none, shape))
    without = compute(parse(plan_document(
        piece=BREAST | {"shape": shape}, target={}, stages=[{"kind": "bath", "minutes": 25, "medium_c": 64}],
    )), with_forecast=False).result  # fmt: skip
    assert known == pytest.approx(salmonella(without)[1], rel=0.02)
    assert nominal == salmonella(without)[0]


def test_the_rule_at_the_cautious_end_is_said():
    """Long enough for the nominal piece only, long enough for both, and too short for either."""
    levels = {}
    for minutes in range(88, 140, 3):
        result = bath(minutes)
        found = [f["level"] for f in result["findings"] if f["code"] == "rule-at-the-cautious-end"]
        met, too = result["rule"]["met"], result["rule"]["at_cautious_end"]
        assert found == (["care"] if met and not too else [])  # said where it changes what a cook does
        levels[minutes] = "short" if not met else "met" if too else "care"
    order = [levels[m] for m in sorted(levels)]
    assert order == sorted(order, key=("short", "care", "met").index)
    assert set(order) == {"short", "care", "met"}


def test_without_rules_or_forecast_there_is_no_cautious_end():
    """A plan without rules, and a result without a forecast, say nothing of it."""
    document = plan_document(forecast={"members": 16})
    del document["rules"]
    for result in (compute(parse(document)).result, compute(parse(plan_document())).result):
        assert "rule-at-the-cautious-end" not in [f["code"] for f in result["findings"]]


def test_a_variation_is_the_plan_written_with_it():
    """Thicker and colder by variation, or by the plan itself: the same cook."""
    document = plan_document(piece=BREAST, target={}, stages=[{"kind": "bath", "minutes": 30, "medium_c": 60}])
    plan = parse(document)
    varied = run(plan, setup(plan), vary=Variation(0.034, 1.0, 1.0, 1.0, 2.0))
    document["piece"] = BREAST | {"shape": {"kind": "slab", "thickness_mm": 34}, "start_c": 2}
    written = parse(document)
    stated = run(written, setup(written))
    assert varied.core[-1] == pytest.approx(stated.core[-1], abs=1e-6)
    assert np.allclose(varied.depth, stated.depth)
    assert varied.core[0] == 2.0


@pytest.mark.parametrize(
    ("spreads", "path"), [({"thickness_mm": -1}, "thickness_mm"), ({"width_mm": 1}, "width_mm"), ({"h_ln": 9}, "h_ln")]
)
def test_impossible_spreads_are_named(spreads, path):
    """Negative, unknown or absurd spreads are errors with their place."""
    with pytest.raises(InputError) as caught:
        bath(10, spreads)
    assert caught.value.path == f"/forecast/spreads/{path}"
