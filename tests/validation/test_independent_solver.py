"""An independent solution of the same physics: method of lines in temperature, 100 cells a half, SciPy's BDF.

It shares the property polynomials (checked elsewhere) and nothing of the solver: another unknown,
another surface treatment (half-cell resistance, root by iteration), another integrator.
"""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from ember_core.formats.plan import food_row, parse
from ember_core.formats.result import compute
from ember_core.heat.properties import Composition, conductivity, density, specific_heat
from ember_core.heat.surroundings import iapws_saturation_pressure

CELLS = 100
SIGMA, AIR_HUMIDITY = 5.670374419e-8, 0.5


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
                out = max(h / (1.06 * 1007 * 0.9) * drive / 461.5 / (1 + shed), 0.0)
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
        done = solve_ivp(rate, (0, seconds), self.state, "BDF", t_eval=times, rtol=1e-5, atol=1e-3)
        self.state = done.y[:, -1]
        self.t += (begin + times[1:]).tolist()
        self.core += done.y[CELLS - 1, 1:].tolist()


CASES = {
    "roast in a dry oven, then bare rest": (
        "beef-lean", 60, 5,
        [({"kind": "oven", "minutes": 90, "medium_c": 140, "surface": {"h_w_m2k": 12, "emissivity": 0.9, "wet": True}}, (12, 0.9, True, 140)),
         ({"kind": "rest", "minutes": 30, "medium_c": 22, "surface": {"h_w_m2k": 5, "emissivity": 0.9, "wet": True}}, (5, 0.9, True, 22))],
    ),
    "two-sided sear below the boiling point, then rest": (
        "pork-loin", 24, 4,
        [({"kind": "pan", "minutes": 5, "medium_c": 92, "surface": {"h_w_m2k": 600}}, (600, 0, False, 92)),
         ({"kind": "rest", "minutes": 10, "medium_c": 22, "surface": {"h_w_m2k": 6, "emissivity": 0.9}}, (6, 0.9, False, 22))],
    ),
    "fish in a fan oven": (
        "white-fish", 32, 3,
        [({"kind": "oven", "minutes": 25, "medium_c": 180, "surface": {"h_w_m2k": 25, "emissivity": 0.9, "wet": True}}, (25, 0.9, True, 180))],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_core_within_a_fifth_of_a_kelvin(name):
    """Nonlinear roast and sear: the core within 0.2 K of the independent solution, all the way."""
    food, mm, start, stages = CASES[name]
    reference = Reference(food, mm / 1000, start)
    for document, (h, emissivity, wet, medium) in stages:
        reference.run(document["minutes"] * 60, h, emissivity, wet, medium)
    plan = parse({
        "format": "open-ember.plan/1", "piece": {"food": food, "shape": {"kind": "slab", "thickness_mm": mm}, "start_c": start},
        "stages": [d for d, _ in stages], "report_at_s": reference.t,
    })  # fmt: skip
    samples = {s["t_s"]: s["core_c"] for s in compute(plan).result["samples"]}
    ours = np.array([samples[round(t, 3)] for t in reference.t])
    assert np.abs(ours - np.array(reference.core)).max() < 0.2
