"""Turning often, against the mathematics of flipping (Thiffeault 2022, Physica D 439, from memory), and with a real pan.

Cooked is when every place has once been past 70 °C. A patty of 10 mm, pan 200 °C, from 23 °C.
"""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from tests.conftest import plan_document

PATTY = {"conductivity_w_mk": 0.416, "density_kg_m3": 1050.0, "specific_heat_j_kgk": 3020.0}
HOT, AIR, START, COOKED = 200.0, 25.0, 23.0, 70.0


def coldest(shares, seconds, h_pan, h_air, store=None):
    """The hottest that the coldest place has been, °C, when the faces lie in the pan in turn for these shares of the time."""
    stages = []
    for i, share in enumerate(shares):
        down, up = ("a", "b") if i % 2 == 0 else ("b", "a")
        faces = {
            down: {"medium_c": HOT, "surface": {"h_w_m2k": h_pan}},
            up: {"kind": "rest", "medium_c": AIR, "surface": {"h_w_m2k": h_air}},
        }
        stage = {"kind": "pan", "minutes": seconds * share / 60.0, "faces": faces}
        stages.append(stage if store is None else {**stage, "store": store})
    piece = {
        "properties": PATTY,
        "shape": {"kind": "slab", "thickness_mm": 10},
        "start_c": START,
        "mass_g": 120,
        "count": 4,
    }
    plan = parse(plan_document(piece=piece, stages=stages))
    return float(run(plan, setup(plan)).field.max(axis=0).min())


def time_to_cooked(shares, h_pan, h_air, store=None):
    """The least time in which it is cooked through, s."""
    low, high = 15.0, 300.0
    for _ in range(14):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if coldest(shares, middle, h_pan, h_air, store) >= COOKED else (middle, high)
    return high


def even(turns):
    """As long on each side at every turn."""
    return [1.0 / (turns + 1)] * (turns + 1)


def best_single(h_pan, h_air):
    """The best time with one turn, over when it comes."""
    return min(time_to_cooked([s, 1.0 - s], h_pan, h_air) for s in (0.38, 0.42, 0.46, 0.5))


def limit(h_pan, h_air):
    """Turned without end, each face meets the mean of both: the same on both sides."""
    mean = {"h_w_m2k": 0.5 * (h_pan + h_air)}
    medium = (h_pan * HOT + h_air * AIR) / (h_pan + h_air)
    stage = {"kind": "bath", "minutes": 5, "medium_c": medium, "surface": mean}
    piece = {"properties": PATTY, "shape": {"kind": "slab", "thickness_mm": 10}, "start_c": START}
    plan = parse(plan_document(piece=piece, stages=[stage]))
    cook = run(plan, setup(plan))
    return float(np.interp(COOKED, cook.core, cook.t))


@pytest.mark.parametrize(("h_pan", "h_air"), [(5000.0, 60.0), (900.0, 60.0)])
def test_many_turns_go_to_their_limit(h_pan, h_air):
    times = [time_to_cooked(even(n), h_pan, h_air) for n in (1, 3, 7, 19, 59)]
    assert times == sorted(times, reverse=True)
    end = limit(h_pan, h_air)
    assert end < times[-1] < 1.08 * end
    left = np.array(times) / end - 1.0  # what is above the limit goes with the inverse of the turns, about
    assert left[-1] < 0.55 * left[2]


def test_29_percent_in_the_limit_of_good_contact():
    """About 29 % sooner than with the best single turn (as published)."""
    assert 1.0 - limit(5000.0, 60.0) / best_single(5000.0, 60.0) == pytest.approx(0.29, abs=0.02)


def test_a_few_turns_give_much_of_it():
    """Three turns give a third of all that turning can, seven a good half."""
    once, three, seven, end = (time_to_cooked(even(n), 900.0, 60.0) for n in (1, 3, 7, 59))
    assert (once - three) / (once - end) > 0.33
    assert (once - seven) / (once - end) > 0.55


def test_what_a_pans_recovery_leaves_of_it():
    """Four patties in a pan of 1.6 kg with 900 W: all is slower, and turning often gains at least half of what it gains in a constant one."""
    store = {"kind": "pan", "mass_kg": 1.6, "power_w": 900, "set_c": HOT}
    plain, real = ([time_to_cooked(even(n), 900.0, 60.0, s) for n in (1, 7)] for s in (None, store))
    assert real[0] > 1.05 * plain[0]
    gains = [1.0 - often / once for once, often in (plain, real)]
    assert 0.5 * gains[0] < gains[1] < 1.5 * gains[0]
