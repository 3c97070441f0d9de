"""A piece whose size changes as it cooks: against an independent solution, its limit of no change, its books, and how meat draws together."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from ember_core.doneness.outside import outside
from ember_core.doneness.shrinking import as_it_shrinks
from ember_core.formats.plan import parse
from ember_core.heat import resized
from ember_core.heat.cook import run
from ember_core.heat.resized import run_resized
from ember_core.heat.setup import setup
from ember_core.planning.compute import compute

RHO, C, K, H = 1050.0, 3500.0, 0.5, 120.0
ROAST = {"kind": "ellipsoid", "length_mm": 160, "width_mm": 100, "thickness_mm": 80}
SLAB = {"kind": "slab", "thickness_mm": 40}


def plan_of(shape, stages, **piece):
    food = {} if "properties" in piece else {"food": "beef-lean"}
    document = {"format": "open-ember.plan/1", "piece": {"shape": shape, "start_c": 5, "mass_g": 500} | food | piece}
    return parse(document | {"stages": stages})


def by_clock(seconds, least):
    """A size that falls to ``least`` in so many seconds, at first slowly, as that of meat does."""
    return lambda passed: 1.0 - (1.0 - least) * (passed.t[-1] / seconds) ** 2


TEXTBOOK = {"conductivity_w_mk": K, "density_kg_m3": RHO, "specific_heat_j_kgk": C}
PLAIN = [{"kind": "bath", "minutes": 50, "medium_c": 60, "surface": {"h_w_m2k": H, "emissivity": 0, "wet": False}}]


@pytest.fixture(params=[1, 10])
def finer(request, monkeypatch):
    """So many times as many legs."""
    for name in ("LEGS", "MOST_LEGS"):
        monkeypatch.setattr(resized, name, request.param * getattr(resized, name))
    return request.param


@pytest.mark.parametrize("least", [1.0, 0.9, 0.75])
def test_against_an_independent_solution(least, finer):
    """A slab that gets thinner, in coordinates that go with it: L²(t) dT/dt = a d²T/dx², by SciPy on 400 cells."""
    plan = plan_of(SLAB, PLAIN, properties=TEXTBOOK)
    cook, sizes = run_resized(plan, setup(plan), [3000.0], by_clock(3000.0, least))
    n, length = 400, 0.04

    def rates(t, temp):
        now = length * (1.0 - (1.0 - least) * (t / 3000.0) ** 2)
        cell = now / n
        edge = (60.0 - temp[[0, -1]]) / (1.0 / H + 0.5 * cell / K)
        flow = np.concatenate([[edge[0]], -K * np.diff(temp) / cell, [-edge[1]]])
        return (flow[:-1] - flow[1:]) / (RHO * C * cell)

    at = np.linspace(0.0, 3000.0, 31)
    true = solve_ivp(rates, (0.0, 3000.0), np.full(n, 5.0), "BDF", at, rtol=1e-6, atol=1e-6).y
    core = 0.5 * (true[n // 2 - 1] + true[n // 2])
    assert np.abs(np.interp(at, cook.t, cook.core) - core).max() < (0.3 if finer == 1 else 0.06)
    assert sizes[-1] == pytest.approx(least)
    assert np.abs(np.interp(3000.0, cook.t, cook.mean) - true[:, -1].mean()) < (0.3 if finer == 1 else 0.06)


@pytest.mark.parametrize("least", [1.0, 0.8])
def test_heat_is_taken_up_or_leaves_with_what_leaves(least, finer):
    """Of the raw area: what came in is what the piece holds more, and what was lost held when it left."""
    plan = plan_of(SLAB, PLAIN, properties=TEXTBOOK)
    cook, sizes = run_resized(plan, setup(plan), [3000.0], by_clock(3000.0, least))
    volume = 0.04 * sizes**3
    holds = RHO * C * volume * cook.mean
    left = RHO * C * np.sum(-np.diff(volume) * 0.5 * (cook.mean[1:] + cook.mean[:-1]))
    assert cook.heat_in_j_m2 == pytest.approx(holds[-1] - holds[0] + left, rel=0.03 / finer)


UNCHANGED = {
    "bath": (SLAB, [{"kind": "bath", "minutes": 60, "medium_c": 60}, {"kind": "rest", "minutes": 10}]),
    "pan, both sides": (
        {"kind": "slab", "thickness_mm": 28},
        [
            {"kind": "pan", "minutes": 3, "faces": {"a": {"medium_c": 220}}},
            {"kind": "pan", "minutes": 3, "faces": {"b": {"medium_c": 220}}},
            {"kind": "rest", "minutes": 6},
        ],
    ),
    "roast": (ROAST, [{"kind": "oven", "minutes": 60, "medium_c": 160}, {"kind": "rest", "minutes": 15}]),
    "hot roast": (ROAST, [{"kind": "oven", "minutes": 50, "medium_c": 220}, {"kind": "rest", "minutes": 15}]),
    "crowded pot": (
        SLAB,
        [{"kind": "simmer", "minutes": 60, "medium_c": 95, "store": {"kind": "pot", "litres": 3, "power_w": 1500}}],
    ),
    "waits": (
        SLAB,
        [{"kind": "bath", "minutes": 300, "medium_c": 58, "until": {"core_c": 55}}, {"kind": "rest", "minutes": 5}],
    ),
}


@pytest.mark.parametrize("name", UNCHANGED)
def test_what_keeps_its_size_cooks_as_it_does(name):
    """In legs, with all that goes over from one to the next: crusts, an oven's vapour, a pot that comes back."""
    plan = plan_of(*UNCHANGED[name])
    reported = (
        np.linspace(30.0, 60.0 * sum(x.minutes for x in plan.stages) - 30.0, 40)
        if name != "waits"
        else np.linspace(30.0, 3000.0, 40)
    )
    plan = replace(plan, report_at_s=tuple(reported))
    s = setup(plan)
    nominal = run(plan, s)
    cook, _ = run_resized(plan, s, [x.took for x in nominal.stages], lambda _: 1.0)
    assert [x.ended_by for x in cook.stages] == [x.ended_by for x in nominal.stages]
    for one, other in zip(cook.stages, nominal.stages, strict=True):
        assert one.end_s == pytest.approx(other.end_s, rel=2e-3)
    assert np.abs(np.interp(reported, cook.t, cook.core) - np.interp(reported, nominal.t, nominal.core)).max() < 0.06
    assert cook.evaporated == pytest.approx(nominal.evaporated, rel=0.02, abs=1e-4)
    assert cook.peak_core_c == pytest.approx(nominal.peak_core_c, abs=0.1)


# what meets which heat to which core, °C, and by what share its heat ends sooner, at the least and at the most
DRAWS = {
    "bath, rare": ({"kind": "slab", "thickness_mm": 28}, "bath", 56, 54, (0.0, 0.01)),
    "bath, hot": ({"kind": "slab", "thickness_mm": 60}, "bath", 85, 80, (0.05, 0.20)),
    "roast, medium rare": (ROAST, "oven", 160, 58, (0.01, 0.06)),
    "roast, well done": (ROAST, "oven", 160, 70, (0.03, 0.10)),
}


@pytest.mark.parametrize("until", ["core_c", "peak_core_c"])
@pytest.mark.parametrize("name", DRAWS)
def test_meat_that_draws_together_is_ready_sooner(name, until):
    """Less than the bound of decision 20, whose juice leaves at once and whose area stays; it ends as small as is told."""
    shape, kind, medium, core, (least, most) = DRAWS[name]
    plan = plan_of(
        shape,
        [{"kind": kind, "minutes": 600, "medium_c": medium, "until": {until: core}}, {"kind": "rest", "minutes": 10}],
    )
    s = setup(plan)
    nominal = run(plan, s)
    found = as_it_shrinks(plan, s, nominal)
    assert least - 1e-3 <= 1.0 - found.cook.stages[0].took / nominal.stages[0].took <= most
    assert found.cook.stages[0].ended_by == until
    assert found.size[-1] == pytest.approx(outside(plan, nominal).thickness, abs=0.01)
    assert (np.diff(found.size) <= 1e-12).all()
    if until == "peak_core_c":
        assert found.cook.peak_core_c == pytest.approx(core, abs=0.1)


def test_salt_keeps_it_larger():
    """Cured meat lets less juice go, so it draws together less."""
    stages = [{"kind": "bath", "minutes": 300, "medium_c": 75, "until": {"core_c": 70}}]
    sizes = []
    for salt in (0.0, 0.02):
        plan = plan_of(SLAB, stages, salt=salt)
        s = setup(plan)
        sizes.append(as_it_shrinks(plan, s, run(plan, s)).size[-1])
    assert sizes[0] < sizes[1] - 0.01


def test_a_plan_with_a_forecast_tells_it_and_keeps_its_own_times():
    """Beside the nominal cook, which is what the rule is judged by."""
    stages = [
        {"kind": "oven", "minutes": 300, "medium_c": 170, "until": {"peak_core_c": 74}},
        {"kind": "rest", "minutes": 15},
    ]
    plan = plan_of(ROAST, stages)
    with_it, without = compute(plan, with_forecast=True), compute(plan, with_forecast=False)
    told = with_it.result["outside"]["shrinking"]
    assert 60.0 < told["sooner_s"] < 900.0
    assert told["peak_c"] == pytest.approx(74.0, abs=0.1)
    assert "shrinking" not in without.result["outside"]
    assert with_it.result["stages"] == without.result["stages"]
    bath = plan_of(SLAB, [{"kind": "bath", "minutes": 90, "medium_c": 54}])
    assert "shrinking" not in compute(bath, with_forecast=True).result["outside"]
