"""Ovens: their own vapour and the tray, against an independent solution and against common practice.

The independent solution is a method of lines in temperature over the full thickness with SciPy's BDF; it shares the
property polynomials and the coefficients of the data, which are typed again here, and nothing of the solver.
"""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.physics.boiling import iapws_saturation_pressure
from ember_core.heat.setup import setup
from tests.validation.test_independent_solver import AIR_HUMIDITY, DRYING, SIGMA, properties

CELLS = 120
PRESSURE, GAS, AIR_C = 101325.0, 461.5, 22.0
AIR_CHANGED_S = {"open": 1 / 0.0167, "closed": 1 / 0.00167}
CONTACT, COLLECTS, TRAY_EMISSIVITY = 200.0, 0.8, 0.6
RUNS_OFF = 0.1  # kg/m² of condensed water
H = {"still": 10.0, "fan": 25.0}


class Oven:
    """A slab in an oven: what it gives off fills the air of ``litres`` that ``kg`` of such slabs share."""

    def __init__(self, food, mm, start, medium, variant, support, vent, kg, litres):
        self.c, self.k, self.rho = properties(food)
        self.dx, self.medium, self.h = mm / 1000 / CELLS, medium, H[variant]
        self.exchange, self.tray = 1.0 / AIR_CHANGED_S[vent], support == "tray"
        room = litres / 1000 - kg / self.rho
        self.given = kg / (self.rho * room * CELLS * self.dx)  # kg/m³ in the air by kg off each m² of the slab
        self.fresh = AIR_HUMIDITY * iapws_saturation_pressure(AIR_C) / (GAS * (medium + 273.15))
        self.steam = PRESSURE / (GAS * (medium + 273.15))  # density of the oven's air were it all steam
        self.start = start

    def face(self, first, shed, vapour):
        """Flux (W/m²) into a wet face and its evaporation (kg/(m² s)), by bisection on its temperature."""
        half = self.dx / 2 / float(self.k(first))
        low, high = first - 80.0, self.medium
        for _ in range(50):
            ts = 0.5 * (low + high)
            q = self.h * (self.medium - ts) + 0.9 * SIGMA * ((self.medium + 273.15) ** 4 - (ts + 273.15) ** 4)
            there = iapws_saturation_pressure(min(max(ts, 0.02), 99.9)) / (GAS * (ts + 273.15))
            out = self.h / (1.06 * 1007 * 0.9) * (there - vapour)
            out = out / (1 + max(shed, 0.0) / DRYING) if out > 0 else out
            if q - (2.501e6 - 2361 * ts) * out > (ts - first) / half:
                low = ts
            else:
                high = ts
        return (ts - first) / half, out

    def under(self, first):
        """Flux through the sheet of metal under the slab, W/m²."""
        kelvin = 0.5 * (self.medium + 60) + 273.15
        taken = COLLECTS * (self.h + 4 * TRAY_EMISSIVITY * SIGMA * kelvin**3)
        return (self.medium - first) / (1 / taken + 1 / CONTACT + self.dx / 2 / float(self.k(first)))

    def core(self, times):
        """Middle of the slab at times, °C, and the vapour's pressure in the oven in the end, Pa."""

        def rate(_t, y):
            temp, shed_a, shed_b, vapour = y[:CELLS], y[CELLS], y[CELLS + 1], y[CELLS + 2]
            k = self.k(temp)
            flux = 0.5 * (k[1:] + k[:-1]) * np.diff(temp) / self.dx
            top, out_a = self.face(temp[0], shed_a, vapour)
            bottom, out_b = (self.under(temp[-1]), 0.0) if self.tray else self.face(temp[-1], shed_b, vapour)
            change = np.zeros(CELLS)
            change[:-1] += flux
            change[1:] -= flux
            change[0] += top
            change[-1] += bottom
            made = self.given * (out_a + out_b)  # kg/(m³ s); as much mixture is driven out as steam comes in
            filling = made * (1 - vapour / self.steam) + self.exchange * (self.fresh - vapour)
            shed = [0.0 if o < 0 and m <= -RUNS_OFF else o for o, m in ((out_a, shed_a), (out_b, shed_b))]
            return np.concatenate([change / (self.rho * self.c(temp) * self.dx), [*shed, filling]])

        y = np.concatenate([np.full(CELLS, float(self.start)), [0.0, 0.0, self.fresh]])
        near = sum(np.eye(CELLS + 3, k=i) for i in (-1, 0, 1)) + np.zeros((CELLS + 3, CELLS + 3))
        near[CELLS:, :], near[:, CELLS:] = 1, 1
        done = solve_ivp(rate, (0, times[-1]), y, "BDF", t_eval=times, rtol=1e-6, atol=1e-5, jac_sparsity=near)
        core = 0.5 * (done.y[CELLS // 2 - 1] + done.y[CELLS // 2])
        return core, done.y[-1, -1] * GAS * (self.medium + 273.15)


CASES = {
    "breast on a tray, fan": ("chicken-breast", 22, 5, 200, "fan", "tray", "open", 1.0, 60.0, 12),
    "fish on a tray, still": ("white-fish", 30, 3, 170, "still", "tray", "open", 1.0, 60.0, 20),
    "many steaks on a rack, closed": ("beef-lean", 30, 5, 140, "still", "rack", "closed", 8.0, 60.0, 40),
    "a few on a rack, fan, large oven": ("pork-loin", 40, 5, 120, "fan", "rack", "open", 3.0, 300.0, 60),
    "thin on a tray, closed": ("veal", 15, 8, 90, "fan", "tray", "closed", 4.0, 100.0, 25),
}


def off_from_independent(name):
    """Our core minus the independent one at times all through, K, and the two vapour pressures in the end, Pa."""
    food, mm, start, medium, variant, support, vent, kg, litres, minutes = CASES[name]
    times = np.linspace(0, 60 * minutes, 13)[1:]
    theirs, pascal = Oven(food, mm, start, medium, variant, support, vent, kg, litres).core(times)
    plan = parse({
        "format": "open-ember.plan/1", "piece": {"food": food, "shape": {"kind": "slab", "thickness_mm": mm}, "start_c": start},
        "stages": [{"kind": "oven", "minutes": minutes, "medium_c": medium, "variant": variant, "support": support, "vent": vent,
                    "load": {"kg": kg, "litres": litres}}],
        "kitchen": {"air_c": AIR_C}, "report_at_s": times.tolist(),
    })  # fmt: skip
    cook = run(plan, setup(plan))
    return np.array([cook.core[cook.at(t)] for t in times]) - theirs, (cook.vapour_pa, pascal)


@pytest.mark.parametrize("name", CASES)
def test_core_and_vapour_with_the_independent_solution(name):
    """Core within 0.2 K all the way, the oven's vapour in the end within 2 %."""
    off, (ours, theirs) = off_from_independent(name)
    assert np.abs(off).max() < 0.2
    assert ours == pytest.approx(theirs, rel=0.02)
    assert 1500 < ours < PRESSURE


def minutes_to(food, shape, start_c, core_c, medium_c, **stage):
    """Minutes in the oven until the core is there."""
    plan = parse({
        "format": "open-ember.plan/1", "piece": {"food": food, "shape": shape, "start_c": start_c},
        "stages": [{"kind": "oven", "minutes": 600, "medium_c": medium_c, "until": {"core_c": core_c}, **stage}],
    })  # fmt: skip
    return float(run(plan, setup(plan)).t[-1] / 60)


def joint(kg, kind):
    """A joint of a mass: rolled, three times as long as thick; or flat, 2.7 by 1.8 by 1."""
    volume = kg / 1060e-9
    if kind == "rolled":
        thick = (volume * 4 / np.pi / 3) ** (1 / 3)
        return {"kind": "cylinder", "diameter_mm": float(thick), "length_mm": float(3 * thick)}
    thick = (volume / 2.7 / 1.8) ** (1 / 3)
    return {
        "kind": "box",
        "length_mm": float(2.7 * thick),
        "width_mm": float(1.8 * thick),
        "thickness_mm": float(thick),
    }


def household(kg):
    """20 min for each 450 g and 20 more, within a fifth."""
    minutes = 20 * kg / 0.45 + 20
    return 0.8 * minutes, 1.2 * minutes


PRACTICE = {
    # common practice, no published source: piece, start, core, oven, the band in minutes
    "chicken breast 22 mm": (("chicken-breast", {"kind": "slab", "thickness_mm": 22}, 5, (72, 74), 200), {"variant": "fan"}, (18, 22)),
    "salmon 25 mm": (("salmon-wild", {"kind": "slab", "thickness_mm": 25}, 5, (50, 52), 200), {"variant": "fan"}, (12, 15)),
    "rolled roast 1 kg": (("beef-lean", joint(1, "rolled"), 8, (62, 68), 180), {"support": "rack", "load": {"kg": 1}}, household(1)),
    "rolled roast 2 kg": (("beef-lean", joint(2, "rolled"), 8, (62, 68), 180), {"support": "rack", "load": {"kg": 2}}, household(2)),
    "flat roast 1 kg": (("beef-lean", joint(1, "flat"), 8, (62, 68), 180), {"load": {"kg": 1}}, household(1)),
    "flat roast 2 kg": (("beef-lean", joint(2, "flat"), 8, (62, 68), 180), {"load": {"kg": 2}}, household(2)),
}  # fmt: skip


@pytest.mark.parametrize("name", PRACTICE)
def test_oven_times_of_common_practice(name):
    """From the lower to the upper core of each, the minutes lie in the band. The drying scale and the tray were set on these."""
    (food, shape, start, cores, medium), more, (low, high) = PRACTICE[name]
    for core in cores:
        assert low <= minutes_to(food, shape, start, core, medium, **more) <= high


def test_vapour_raises_the_wet_bulb():
    """More food, a smaller or a closed oven: the surface of a piece stands higher; a rack lets both faces dry."""
    slab = {"kind": "slab", "thickness_mm": 60}

    def surface(**stage):
        plan = parse({
            "format": "open-ember.plan/1", "piece": {"food": "beef-lean", "shape": slab, "start_c": 5},
            "stages": [{"kind": "oven", "minutes": 20, "medium_c": 160, "support": "rack", **stage}],
        })  # fmt: skip
        return float(run(plan, setup(plan)).surface_a[-1])

    usual = surface()
    assert surface(load={"kg": 0.1}) < usual - 0.5 < usual < surface(load={"kg": 5}) - 2
    assert surface(load={"litres": 600}) < usual - 0.5
    assert surface(vent="closed") > usual + 2
    assert surface(vent="closed", load={"kg": 10}) < 100.0
