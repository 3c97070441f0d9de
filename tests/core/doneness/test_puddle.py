"""Juice in a pan: what becomes steam is paid for, nothing is lost, and the limits are what they must be."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.integrate import solve_ivp

from ember_core.constants import LATENT_BOILING
from ember_core.doneness.outside import Juice, outside, shares_of
from ember_core.doneness.pan_juice import BOILS_OVER_K, cooled_by, juice_in_pan
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.physics.stores import Store
from ember_core.heat.setup import setup
from tests.conftest import plan_document

BOILS = 100.0 + BOILS_OVER_K
HAND = Store(capacity=980.0, heater_w=900.0, hold_w=900.0, gain=0.0, set_c=200.0, loss_w_k=3.0, around_c=24.0)
SET = Store(capacity=980.0, heater_w=1500.0, hold_w=528.0, gain=97.2, set_c=200.0, loss_w_k=3.0, around_c=24.0)
T = np.linspace(0.0, 480.0, 481)


def heater(store, t_c):
    return np.clip(store.hold_w + store.gain * (store.set_c - t_c), 0.0, store.heater_w)


@pytest.mark.parametrize("store", [HAND, SET])
@pytest.mark.parametrize("dip", [20.0, 60.0, 85.0])
@pytest.mark.parametrize("by_degree", [0.0, 9.0])
@pytest.mark.parametrize("juice_kg", [0.02, 0.2])
def test_steam_is_paid_for_and_none_is_lost(store, dip, by_degree, juice_kg):
    """What steam takes is what the heater gives more, the pan and what lies in it less; and no juice comes or goes."""
    medium = 200.0 - dip * np.sin(np.pi * T / 480.0)
    liquid = juice_kg * (T / 480.0) ** 1.5
    found = juice_in_pan(T, medium, liquid, store, 100.0, by_degree)
    assert found.kg + found.steam == pytest.approx(liquid, abs=1e-9)
    assert (found.kg >= 0).all()
    assert (np.diff(found.steam) >= 0).all()
    assert (found.cooler >= 0).all()
    assert (
        (medium - found.cooler)[found.kg > 1e-9] < BOILS + 1e-6
    ).all()  # juice stands only where it does not boil off
    more = np.trapezoid(heater(store, medium - found.cooler) - heater(store, medium), T)
    less = np.trapezoid((store.loss_w_k + by_degree) * found.cooler, T)
    paid = more + less + store.capacity * found.cooler[-1]
    assert LATENT_BOILING * found.steam[-1] == pytest.approx(paid, rel=0.02, abs=60.0)
    assert cooled_by(T, medium, found.steam, store, by_degree) == pytest.approx(found.cooler, abs=1e-3)


def test_it_follows_the_same_balance_written_apart():
    """SciPy, with steam as what is let go and no more than a steep function of the pan's heat above boiling."""
    medium = 200.0 - 70.0 * np.sin(np.pi * T / 480.0)
    rate = 0.12 / 480.0  # kg/s

    def change(t, y):
        cooler, kg = y
        t_c = np.interp(t, T, medium)
        boils = np.clip(3000.0 * (t_c - cooler - BOILS), 0.0, 1e5) / LATENT_BOILING * np.clip(kg / 1e-4, 0.0, 1.0)
        more = heater(SET, t_c - cooler) - heater(SET, t_c)
        return [(LATENT_BOILING * boils - more - (SET.loss_w_k + 5.0) * cooler) / SET.capacity, rate - boils]

    apart = solve_ivp(change, (0.0, 480.0), [0.0, 0.0], method="BDF", t_eval=T, rtol=1e-7, atol=1e-8, max_step=1.0)
    found = juice_in_pan(T, medium, rate * T, SET, 100.0, 5.0)
    assert found.cooler == pytest.approx(apart.y[0], abs=0.8)  # it boils off 2 kW at 0.7 K
    assert found.kg == pytest.approx(apart.y[1], abs=1e-3)


def test_a_pan_below_boiling_turns_none_to_steam_and_a_hot_one_all():
    liquid = 0.05 * T / 480.0
    cold = juice_in_pan(T, np.full(T.size, BOILS - 1.0), liquid, HAND, 100.0, 5.0)
    assert cold.steam[-1] == 0.0
    assert cold.stands_s(0.025) == pytest.approx(240.0, abs=1.5)
    hot = juice_in_pan(T, np.full(T.size, 220.0), liquid, HAND, 100.0, 5.0)
    assert hot.kg.max() == 0.0
    assert hot.stands_s(0.0) == 0.0


FACES = [{"kind": "pan", "minutes": 4, "faces": {f: {"medium_c": 210}}} for f in ("a", "b")]


@pytest.mark.parametrize(
    "shape", [{"kind": "slab", "thickness_mm": 26}, {"kind": "box", "thickness_mm": 40, "width_mm": 60, "length_mm": 90}]
)  # fmt: skip
def test_what_is_lost_on_the_way_is_that_of_a_cook_that_ends_there(shape):
    """Vapour and juice along a cook, at the end of its first stage and at its own end."""
    piece = {"food": "beef-lean", "shape": shape, "start_c": 5}
    whole, part = (parse(plan_document(piece=piece, stages=stages)) for stages in (FACES, FACES[:1]))
    long, short = (run(p, setup(p)) for p in (whole, part))
    assert (np.diff(long.vapour_lost) >= 0).all()
    at = long.at(long.stages[0].end_s)
    assert long.vapour_lost[at] == pytest.approx(short.evaporated, rel=2e-3, abs=1e-6)
    juice = Juice.of(whole, shares_of(long.depth, long.closed, shape["kind"])).along(long.t, long.field)
    told = [outside(p, c) for p, c in ((part, short), (whole, long))]
    assert juice[at] == pytest.approx(told[0].drip + told[0].evaporated, rel=0.02, abs=1e-3)
    assert juice[-1] == pytest.approx(told[1].drip + told[1].evaporated, abs=1e-9)
