"""An independent solution of the same physics: method of lines in temperature, 100 cells a half, SciPy's BDF.

It shares the property polynomials (checked elsewhere) and nothing of the solver: another unknown,
another surface treatment (half-cell resistance, root by iteration), another integrator.
"""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from ember_core.book.foods import food_row
from ember_core.formats.plan import parse
from ember_core.heat.physics.boiling import iapws_saturation_pressure
from ember_core.heat.physics.properties import (
    DRY_CONDUCTIVITY,
    Composition,
    component,
    conductivity,
    density,
    specific_heat,
)
from ember_core.planning.compute import compute

CELLS = 100
SIGMA, AIR_HUMIDITY = 5.670374419e-8, 0.5
DRYING = 0.4  # kg/m² of lost water that halve a wet face's evaporation
BOIL_C, LATENT = 99.97, 2.257e6  # at sea level
BOILING_W_M3K = (
    3e8  # how fast heat above the boiling point makes steam: a wet place overshoots by some hundredths of a kelvin
)


def properties(food):
    """c(T) and k(T) on a fine table, and the density."""
    row = food_row(food)
    comp = Composition(**{k: v / 100 for k, v in row["parts"].items()})
    t = np.linspace(-5, 160, 1000)
    c, k = specific_heat(comp, t), conductivity(comp, t, row["freezing_c"])
    return lambda x: np.interp(x, t, c), lambda x: np.interp(x, t, k), float(density(comp, 20.0))


class Reference:
    """A slab with both faces alike, half of it solved; state: temperatures and water shed."""

    def __init__(self, food, thickness, start):
        self.c, self.k, self.rho = properties(food)
        self.dx = thickness / 2 / CELLS
        self.state = np.append(np.full(CELLS, float(start)), 0.0)
        self.core, self.t = [], []

    def surface(self, first, shed, h, emissivity, wet, medium, air):
        """Flux in (W/m²) and evaporation by a few fixed-point steps on the surface temperature."""
        resistance = self.dx / 2 / float(self.k(first))
        low, high = min(first, medium) - 60, max(first, medium) + 1
        for _ in range(60):
            ts = 0.5 * (low + high)
            flux = h * (medium - ts) + emissivity * SIGMA * ((medium + 273.15) ** 4 - (ts + 273.15) ** 4)
            out = 0.0
            if wet:
                vapour = AIR_HUMIDITY * iapws_saturation_pressure(air)
                drive = iapws_saturation_pressure(min(max(ts, 0.02), 99.9)) / (ts + 273.15) - vapour / (medium + 273.15)
                out = max(h / (1.06 * 1007 * 0.9) * drive / 461.5 / (1 + shed / DRYING), 0.0)
            net = flux - (2.501e6 - 2361 * ts) * out - (ts - first) / resistance
            low, high = (ts, high) if net > 0 else (low, ts)
        return (ts - first) / resistance, out

    def run(self, seconds, h, emissivity, wet, medium, air=22.0):
        """Go through one stage."""

        def rate(_t, y):
            temp, shed = y[:-1], y[-1]
            k = self.k(temp)
            flux = 0.5 * (k[1:] + k[:-1]) * np.diff(temp) / self.dx
            heat, out = self.surface(temp[0], shed, h, emissivity, wet, medium, air)
            change = np.zeros(CELLS)
            change[0] += heat
            change[:-1] += flux
            change[1:] -= flux
            return np.append(change / (self.rho * self.c(temp) * self.dx), out)

        begin = self.t[-1] if self.t else 0.0
        times = np.linspace(0, seconds, 13)
        with np.errstate(invalid="ignore"):  # SciPy's BDF begins with rows that nothing was written to yet
            done = solve_ivp(rate, (0, seconds), self.state, "BDF", t_eval=times, rtol=1e-5, atol=1e-3)
        self.state = done.y[:, -1]
        self.t += (begin + times[1:]).tolist()
        self.core += done.y[CELLS - 1, 1:].tolist()


class Crusting(Reference):
    """The same with water that boils off: state: temperatures, and shares of the water left."""

    def __init__(self, food, thickness, start):
        super().__init__(food, thickness, start)
        row = food_row(food)
        water = row["parts"]["water"] / 100
        self.water = self.rho * water
        self.held = self.rho * water * float(component("water", "c", 120.0))  # J/(m³ K), the water's part
        self.state = np.concatenate([np.full(CELLS, float(start)), np.ones(CELLS)])

    def run(self, seconds, h, emissivity, wet, medium, air=22.0):
        """Go through one stage; ``wet`` is for the other class."""
        assert not wet

        def rate(_t, y):
            temp, left = y[:CELLS], y[CELLS:]
            k = DRY_CONDUCTIVITY + (self.k(np.minimum(temp, BOIL_C)) - DRY_CONDUCTIVITY) * left
            step = self.dx / 2 * (1 / k[1:] + 1 / k[:-1])
            flux = np.diff(temp) / step
            outside = h + emissivity * SIGMA * ((medium + 273.15) ** 2 + (temp[0] + 273.15) ** 2) * (
                medium + temp[0] + 546.3
            )
            heat = (medium - temp[0]) / (1 / outside + self.dx / 2 / k[0])
            change = np.zeros(CELLS)
            change[0] += heat / self.dx
            change[:-1] += flux / self.dx
            change[1:] -= flux / self.dx
            steam = BOILING_W_M3K * np.maximum(temp - BOIL_C, 0.0) * np.minimum(left / 0.01, 1.0)
            capacity = self.rho * self.c(np.minimum(temp, 120.0)) - self.held * (1.0 - left)
            return np.concatenate([(change - steam) / capacity, -steam / (LATENT * self.water)])

        begin = self.t[-1] if self.t else 0.0
        times = np.linspace(0, seconds, 13)
        near = np.eye(CELLS) + np.eye(CELLS, k=1) + np.eye(CELLS, k=-1)
        done = solve_ivp(
            rate,
            (0, seconds),
            self.state,
            "BDF",
            t_eval=times,
            rtol=1e-5,
            atol=1e-4,
            jac_sparsity=np.tile(near, (2, 2)),
        )
        self.state = done.y[:, -1]
        self.t += (begin + times[1:]).tolist()
        self.core += done.y[CELLS - 1, 1:].tolist()


DRY_REST = (
    {"kind": "rest", "minutes": 10, "medium_c": 22, "surface": {"h_w_m2k": 6, "emissivity": 0.9}},
    (6, 0.9, False, 22),
)
CASES = {
    "roast in a dry oven, then bare rest": (
        "beef-lean", 60, 5,
        [({"kind": "oven", "minutes": 90, "medium_c": 140, "surface": {"h_w_m2k": 12, "emissivity": 0.9, "wet": True}}, (12, 0.9, True, 140)),
         ({"kind": "rest", "minutes": 30, "medium_c": 22, "surface": {"h_w_m2k": 5, "emissivity": 0.9, "wet": True}}, (5, 0.9, True, 22))],
    ),
    "two-sided sear below the boiling point, then rest": (
        "pork-loin", 24, 4,
        [({"kind": "pan", "minutes": 5, "medium_c": 92, "surface": {"h_w_m2k": 600}}, (600, 0, False, 92)),
         DRY_REST],
    ),
    "fish in a fan oven": (
        "white-fish", 32, 3,
        [({"kind": "oven", "minutes": 25, "medium_c": 180, "surface": {"h_w_m2k": 25, "emissivity": 0.9, "wet": True}}, (25, 0.9, True, 180))],
    ),
    "two-sided sear with a crust, then rest": (
        "beef-lean", 30, 5,
        [({"kind": "pan", "minutes": 4, "medium_c": 200, "surface": {"h_w_m2k": 500}}, (500, 0, False, 200)),
         DRY_REST],
    ),
    "frying with a thick crust": (
        "pork-loin", 22, 4,
        [({"kind": "fry", "minutes": 8, "medium_c": 180, "surface": {"h_w_m2k": 700}}, (700, 0, False, 180))],
    ),
}  # fmt: skip


def off_from_independent(name):
    """Our core minus the independent one, at times all through a case, K."""
    food, mm, start, stages = CASES[name]
    reference = (Crusting if "crust" in name else Reference)(food, mm / 1000, start)
    for document, (h, emissivity, wet, medium) in stages:
        reference.run(document["minutes"] * 60, h, emissivity, wet, medium)
    plan = parse({
        "format": "open-ember.plan/1", "piece": {"food": food, "shape": {"kind": "slab", "thickness_mm": mm}, "start_c": start},
        "stages": [d for d, _ in stages], "report_at_s": reference.t,
    })  # fmt: skip
    samples = {s["t_s"]: s["core_c"] for s in compute(plan).result["samples"]}
    return np.array([samples[round(t, 3)] for t in reference.t]) - np.array(reference.core)


@pytest.mark.parametrize("name", CASES)
def test_core_within_a_fifth_of_a_kelvin(name):
    """Nonlinear roast, sear and crust: the core within 0.2 K of the independent solution, all the way."""
    assert np.abs(off_from_independent(name)).max() < 0.2


def test_the_thick_crust_is_one():
    """The independent solution dries its outer millimetre and a half: the case is no mild one."""
    food, mm, start, [(document, (h, emissivity, wet, medium))] = CASES["frying with a thick crust"]
    reference = Crusting(food, mm / 1000, start)
    reference.run(document["minutes"] * 60, h, emissivity, wet, medium)
    left = reference.state[CELLS:]
    assert 1.0e-3 < (1.0 - left).sum() * reference.dx < 2.5e-3
    assert left.min() > -0.01
