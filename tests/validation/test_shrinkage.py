"""The most that a thickness which follows the lost juice could do: the nominal cook keeps the raw one, on the late side (decision 20).

The bound is of the table alone: water that meat can no longer hold (van der Sman 2007, as in the data) leaves at once, with the heat it has,
and what is left lies closer together. Real juice leaves with a delay, so that the truth lies between the two.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from ember_core.doneness.long_cooks import water_held
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup

WATER_J_KGK, WATER_KG_M3 = 4180.0, 1000.0
ROAST = {"kind": "ellipsoid", "length_mm": 160, "width_mm": 100, "thickness_mm": 80}
# what meets which heat to which core, °C, and how much sooner the bound has it, shares at the least and at the most
CASES = {
    "bath, rare": ({"thickness_mm": 28}, "bath", 56, 54, (0.0, 0.03)),
    "bath, medium": ({"thickness_mm": 40}, "bath", 60, 58, (0.01, 0.06)),
    "bath, hot": ({"thickness_mm": 60}, "bath", 85, 80, (0.15, 0.40)),
    "oven, medium rare": ({"thickness_mm": 45}, "oven", 160, 55, (0.0, 0.06)),
    "roast, medium rare": (ROAST, "oven", 160, 58, (0.03, 0.12)),
    "roast, well done": (ROAST, "oven", 160, 70, (0.10, 0.25)),
}


def shrunk(table):
    """A food's table with the juice it cannot hold gone, as it warms."""
    t = table.temperature
    lost = np.maximum(water_held(np.full(t.size, 20.0)) - water_held(np.clip(t, 20.0, 90.0)), 0.0)
    share = lost * table.density / WATER_KG_M3  # of the volume
    slope = np.diff(t) / table.dh
    left = 1.0 - 0.5 * (share[1:] + share[:-1]) * WATER_KG_M3 * WATER_J_KGK * slope
    h = table.h0 + table.dh * np.concatenate([[0.0], np.cumsum(np.where(t[1:] > 0.0, left, 1.0))])
    h += float(table.enthalpy(0.0)) - np.interp(0.0, t, h)
    even = np.linspace(h[0], h[-1], t.size)
    k = np.interp(even, h, table.conductivity / (1.0 - share))
    return replace(
        table, h0=float(even[0]), dh=float(even[1] - even[0]), temperature=np.interp(even, h, t), conductivity=k
    )


@pytest.mark.parametrize("name", CASES)
def test_a_kept_thickness_is_late_never_early(name):
    """On the cautious side: nothing is done sooner than the solver says because it shrank less; how much it may be, by the heat."""
    shape, kind, medium, core, (least, most) = CASES[name]
    piece = {"food": "beef-lean", "shape": {"kind": "slab"} | shape, "start_c": 5, "mass_g": 500}
    stage = {"kind": kind, "minutes": 600, "medium_c": medium, "until": {"core_c": core}}
    plan = parse({"format": "open-ember.plan/1", "piece": piece, "stages": [stage]})
    s = setup(plan)
    kept, bound = (run(plan, x).stages[0].end_s for x in (s, replace(s, table=shrunk(s.table))))
    assert least <= 1.0 - bound / kept <= most


def test_the_bound_is_one_of_energy():
    """To 50 °C hardly anything is lost; to 80 °C less heat is needed by what the lost water would have taken."""
    s = setup(parse({
        "format": "open-ember.plan/1", "piece": {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 30}, "start_c": 5},
        "stages": [{"kind": "bath", "minutes": 10, "medium_c": 60}],
    }))  # fmt: skip
    thin = shrunk(s.table)
    for warm, least, most in ((50.0, 0.98, 1.0), (80.0, 0.80, 0.95)):
        raw, kept = (float(t.enthalpy(warm) - t.enthalpy(5.0)) for t in (s.table, thin))
        assert least <= kept / raw <= most
