"""Food properties and surroundings: physical bounds over the whole valid range, and beyond it."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.book.foods import foods
from ember_core.data.loader import read_toml
from ember_core.errors import ValueRangeError
from ember_core.formats.plan import parse, schema
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.physics.properties import (
    COMPONENTS,
    Composition,
    component,
    conductivity,
    constant_table,
    density,
    food_table,
    levy,
    specific_heat,
)
from ember_core.heat.physics.surroundings import surroundings, variants
from ember_core.planning.compute import compute
from tests.conftest import plan_document

FOODS = foods()
RANGE = np.linspace(-40, 150, 191)


def composition(food):
    """A food's composition."""
    return Composition(**{k: v / 100 for k, v in FOODS[food]["parts"].items()})


@pytest.mark.parametrize("food", sorted(FOODS))
def test_foods_are_physically_plausible(food):
    """Each row sums to one; density, heat capacity and conductivity lie where food lies; enthalpy rises."""
    comp = composition(food)
    assert sum(FOODS[food]["parts"].values()) == pytest.approx(100, abs=3)
    assert 900 < float(density(comp, 20.0)) < 1150
    assert 2500 < float(specific_heat(comp, 20.0)) < 4100  # water has 4,180
    k = conductivity(comp, RANGE, FOODS[food]["freezing_c"])
    assert (k > 0.2).all()
    assert (k[RANGE > 0] < 0.7).all()
    assert k[0] > 1.5 * k[60]  # ice conducts
    table = food_table(comp, FOODS[food]["freezing_c"])
    assert (np.diff(table.temperature) > 0).all()


@given(st.sampled_from(sorted(FOODS)), st.floats(-44, 159))
def test_enthalpy_and_temperature_are_each_others_inverse(food, t):
    """Through the table and back, 0.01 K."""
    table = food_table(composition(food), FOODS[food]["freezing_c"])
    h = float(table.enthalpy(t))
    back = np.interp(h, table.h0 + table.dh * np.arange(table.temperature.size), table.temperature)
    assert back == pytest.approx(t, abs=0.01)


@given(st.floats(0.05, 2), st.floats(0.05, 2), st.floats(0.01, 0.99))
def test_levy_lies_between_series_and_parallel(k1, k2, share):
    """No arrangement of two phases conducts better than side by side or worse than in a row."""
    k = float(levy(np.array(k1), np.array(k2), np.array(share)))
    assert 1 / (share / k1 + (1 - share) / k2) - 1e-6 <= k <= share * k1 + (1 - share) * k2 + 1e-6


@pytest.mark.parametrize("name", COMPONENTS)
def test_components_stay_positive(name):
    """Density and heat capacity over the whole range; fat's conductivity with the right slope."""
    assert (component(name, "rho", RANGE) > 700).all()
    assert (component(name, "c", RANGE[RANGE > 0]) > 1000).all()
    assert 0.1 < float(component("fat", "k", 60.0)) < 0.2


@pytest.mark.parametrize(
    "parts",
    [
        {"water": 1.2, "protein": 0, "fat": 0},
        {"water": 0.5, "protein": 0.1, "fat": 0.1},
        {"water": -0.1, "protein": 1, "fat": 0.1},
    ],
)
def test_impossible_compositions(parts):
    """Refused with the part or the sum."""
    with pytest.raises(ValueRangeError):
        Composition(**parts)


def test_constants_stay_constant():
    """Stated constants are exact at any temperature, inside the table and out."""
    table = constant_table(0.5, 1000.0, 3500.0)
    t = np.array([-60.0, 0.0, 400.0, 900.0])
    assert table.enthalpy(t) == pytest.approx(3.5e6 * t)


@pytest.mark.parametrize("kind", schema()["$defs"]["kind"]["enum"])
def test_every_kind_has_documented_surroundings(kind):
    """Each default coefficient lies in its documented range and names its source."""
    for variant in variants(kind):
        row = read_toml("surroundings.toml")[kind][variant]
        found = surroundings(kind, variant, 100.0, 22.0)
        assert row["range"][0] <= found.h <= row["range"][1]
        assert len(found.source) > 10
        assert 0 < found.h_spread < 1


def test_altitude_lowers_the_boil_and_slows_it():
    """At 3,000 m a boiled piece is slower than at sea level."""
    assert boiling_point(-400) > boiling_point(0) > boiling_point(5000)

    def seconds(altitude):
        stages = [{"kind": "boil", "minutes": 300, "until": {"core_c": 70}}]
        return compute(parse(plan_document(stages=stages, kitchen={"altitude_m": altitude}))).result["stages"][0][
            "end_s"
        ]

    assert seconds(3000) > seconds(0) + 10


def test_a_bath_above_the_boil_is_said():
    """Water cannot be hotter than it boils: computed at the boil, with a finding, never silently."""
    result = compute(parse(plan_document(stages=[{"kind": "bath", "minutes": 20, "medium_c": 120}]))).result
    assert "bath-above-boiling" in [f["code"] for f in result["findings"]]
    assert max(s["surface_c"] for s in result["samples"]) < boiling_point(1850) + 0.01


@pytest.mark.parametrize(("stage", "faster"), [
    ({"kind": "bath", "medium_c": 60}, {"kind": "bath", "medium_c": 62}),
    ({"kind": "bath", "medium_c": 60, "variant": "still"}, {"kind": "bath", "medium_c": 60}),
    ({"kind": "oven", "medium_c": 180}, {"kind": "oven", "medium_c": 180, "variant": "fan"}),
    ({"kind": "oven", "medium_c": 180, "support": "rack"}, {"kind": "oven", "medium_c": 180, "support": "rack", "cover": "bag"}),
    ({"kind": "oven", "medium_c": 180}, {"kind": "oven", "medium_c": 180, "vent": "closed"}),
    ({"kind": "oven", "medium_c": 180}, {"kind": "oven", "medium_c": 180, "load": {"kg": 5}}),
    ({"kind": "oven", "medium_c": 180, "load": {"litres": 300}}, {"kind": "oven", "medium_c": 180}),
    ({"kind": "pan", "medium_c": 200, "variant": "poor"}, {"kind": "pan", "medium_c": 200, "variant": "pressed"}),
    ({"kind": "pan", "faces": {"a": {"medium_c": 200}}}, {"kind": "pan", "medium_c": 200}),
])  # fmt: skip
def test_more_heat_is_sooner(stage, faster):
    """Hotter, stirred, fanned, in a bag against drying, in more vapour, pressed, on both faces: the core comes sooner."""

    def seconds(s):
        return compute(parse(plan_document(stages=[s | {"minutes": 600, "until": {"core_c": 50}}]))).result["stages"][
            0
        ]["end_s"]

    assert seconds(faster) < seconds(stage)
