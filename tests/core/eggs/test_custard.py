"""Custards: the mix, cream poured into yolks, a tray of water in an oven, cups of several sizes: by hand, and by common practice."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise
from math import exp, pi

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from ember_core.eggs.built import mixed_c
from ember_core.eggs.custard import Cup, Mix, Oven, bake, bath_c, door_takes_k, infused_c, scaled, tempered, tray_gains
from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.physics.boiling import boiling_point
from ember_core.planning.compute import compute

CUP = Cup(80.0, 30.0, 6)


@pytest.mark.parametrize("fan", [True, False])
@pytest.mark.parametrize("tented", [True, False])
@pytest.mark.parametrize("oven_c", [120.0, 150.0])
def test_a_tray_keeps_where_its_steam_carries_what_it_gets(oven_c, fan, tented):
    """The balance by hand, W/m² of water, with Magnus' vapour pressure in place of the core's."""
    c = bath_c(oven_c, 0.0, fan, tented)
    h = 25.0 if fan else 10.0
    shone = 0.9 * 5.670374e-8 * ((oven_c + 273.15) ** 4 - (c + 273.15) ** 4)
    outside = h * (oven_c - c) + shone
    gets = 1.4 * outside + (6.0 * (oven_c - c) if tented else outside)
    pressure = 611.2 * exp(17.62 * c / (243.12 + c))
    leaves = (0.25 if tented else 1.0) * h / (1.06 * 1007.0 * 0.9)
    changed = 0.0167 * 0.060
    leaves *= changed / (changed + leaves * 0.07)
    gives = leaves * pressure / (461.5 * (c + 273.15)) * (2.501e6 - 2361.0 * c)
    assert gives == pytest.approx(gets, rel=0.04)


def test_a_tray_by_common_practice():
    """Open about 80 °C in an oven of 160 °C, near the boil under a tent; nothing set on it. On a mountain it cannot be hotter than its boil."""
    assert 74.0 < bath_c(160.0, 0.0, tented=False) < 86.0
    assert bath_c(160.0, 0.0) > 90.0
    assert bath_c(220.0, 3000.0) < boiling_point(3000.0)
    assert bath_c(100.0, 0.0) < bath_c(120.0, 0.0) < bath_c(140.0, 0.0)


def test_cream_poured_into_yolks_by_hand():
    """Five yolks (90 g) and 90 g of sugar at 15 °C, a ladle of 60 g of cream at 80 °C: Σ C T over Σ C."""
    first = tempered(Mix(), 80.0, 15.0)[0]
    base, ladle = 0.090 * 3050.0 + 0.090 * 1240.0, 0.060 * 3350.0
    assert first.mix_c == pytest.approx((base * 15.0 + ladle * 80.0) / (base + ladle), abs=1e-9)
    assert first.cream_g == 60.0


@settings(max_examples=60, deadline=None)
@given(
    yolks=st.integers(1, 40),
    cream=st.floats(50, 5000),
    cream_c=st.floats(40, 95),
    egg_c=st.floats(2, 30),
    ladle=st.floats(10, 500),
)
def test_each_ladle_warms_the_yolks_and_the_last_is_all(yolks, cream, cream_c, egg_c, ladle):
    poured = tempered(Mix(yolks=yolks, cream_g=cream), cream_c, egg_c, ladle)
    assert poured[-1].cream_g == pytest.approx(cream)
    assert all(a.mix_c < b.mix_c < cream_c + 1e-9 and a.curdles_c <= b.curdles_c for a, b in pairwise(poured))
    assert mixed_c([(1.0, egg_c), (1.0, cream_c)]) == pytest.approx((egg_c + cream_c) / 2)


def test_cream_infuses_as_a_covered_pot_cools():
    """Newton's law by SciPy: half a litre, a pot as wide as it is deep, 12 W/(m² K) under its lid."""
    across = (4.0 * 500e-6 / pi) ** (1 / 3)
    area, holds = 1.5 * pi * across**2, 0.5 * 3350.0
    found = solve_ivp(lambda _, y: [-12.0 * area * (y[0] - 22.0) / holds], (0.0, 3600.0), [80.0], rtol=1e-9)
    assert infused_c(Mix(), 80.0, 60.0, 22.0) == pytest.approx(float(found.y[0, -1]), abs=0.05)


def test_cups_by_common_practice():
    """Cups 30 mm deep in water under a tent in an oven of 140 to 150 °C: 25 to 40 min from a warm mix; nothing set on it."""
    for oven_c in (140.0, 150.0):
        (found,) = bake(Mix(), [CUP], Oven(oven_c=oven_c))
        assert 25.0 <= found.minutes <= 40.0
        assert found.reached
        assert found.pull_c < found.lands_c == pytest.approx(77.0, abs=0.2)
        assert found.rim_c > found.pull_c


def test_several_sizes_come_out_one_after_another():
    cups = [Cup(100.0, 45.0, 2), Cup(80.0, 30.0, 4), Cup(60.0, 25.0, 3)]
    found = bake(Mix(), cups, Oven())
    assert [b.cup for b in found] == cups[::-1]
    assert [b.minutes for b in found] == sorted(b.minutes for b in found)


@pytest.mark.parametrize(
    "change",
    [{"start_c": 15.0}, {"tented": False, "oven_c": 160.0}, {"oven_c": 125.0}, {"altitude_m": 3000.0, "oven_c": 200.0}],
)
def test_what_makes_it_longer(change):
    base = (
        replace(Oven(), oven_c=change.get("oven_c", 140.0)) if "altitude_m" in change or "tented" in change else Oven()
    )
    assert bake(Mix(), [CUP], replace(base, **change))[0].minutes > bake(Mix(), [CUP], base)[0].minutes


def test_its_plan_lands_and_is_judged_as_egg_for_later():
    """The plan computed anew: its peak is the custard's, 3-401.11(A)(2) is met at the coldest point, and the cold is judged by 3-501.14."""
    (found,) = bake(Mix(), [CUP], Oven())
    outcome = compute(parse(dict(found.plan.document)), with_forecast=False)
    assert outcome.result["peak"]["core_c"] == pytest.approx(found.lands_c, abs=0.1)
    assert outcome.result["rule"]["met"] is True
    assert outcome.result["rule"]["clause"] == "3-401.11(A)(2)"
    (slow,) = bake(Mix(), [Cup(150.0, 80.0, 1)], Oven())
    assert slow.cold_min is None


@settings(max_examples=40, deadline=None)
@given(yolks=st.integers(0, 20), eggs=st.integers(0, 20), total=st.floats(100, 20000))
def test_a_mix_is_scaled_to_its_cups_and_stays_itself(yolks, eggs, total):
    if yolks + eggs == 0:
        return
    mix = Mix(yolks=yolks, eggs=eggs, cream_g=400.0, milk_g=100.0)
    more = scaled(mix, total)
    assert more.cream_g / more.milk_g == pytest.approx(4.0)
    assert more.total_g >= total - 1e-6
    assert more.on_a_yolk_g == pytest.approx(mix.on_a_yolk_g, rel=0.55 if yolks + eggs < 3 or total < 2000 else 0.4)


@pytest.mark.parametrize(("mix", "word", "lands"), [(Mix(), "usual", 77.0), (Mix(yolks=8), "firm", 77.0), (Mix(yolks=0, eggs=2), "loose", 81.0), (Mix(yolks=1, eggs=1), "runny", 79.0)])  # fmt: skip
def test_how_it_stands_by_its_egg(mix, word, lands):
    assert (mix.word, mix.lands_c) == (word, lands)


@pytest.mark.parametrize(
    ("mix", "oven", "path"),
    [
        (Mix(yolks=0), Oven(), "yolks"), (Mix(cream_g=0.0), Oven(), "cream_g"), (Mix(), Oven(oven_c=110.0, tented=False), "oven_c"),
        (Mix(), Oven(start_c=400.0), "/piece/start_c"),
    ],
)  # fmt: skip
def test_what_is_no_custard_is_said(mix, oven, path):
    with pytest.raises(EmberError) as said:
        bake(mix, [CUP], oven)
    assert path in said.value.path


def test_sugar_goes_with_the_top():
    a, b = bake(Mix(), [Cup(60.0, 30.0), Cup(120.0, 30.0)], Oven())
    assert b.sugar_g == pytest.approx(4.0 * a.sugar_g)
    assert np.isfinite(a.rim_c)


@pytest.mark.parametrize(("tented", "fan"), [(True, False), (False, False), (True, True)])
def test_an_open_door_takes_little_from_a_tray(tented, fan):
    """More for longer and for shallower water; in twenty seconds a kelvin or two, which no custard dies of; by hand: the flow over the heat it holds."""
    oven = Oven(150.0, fan, tented, altitude_m=1850.0)
    fall = door_takes_k(oven, 20.0, 22.0, 15.0)
    assert 0.05 < fall < 3.0
    assert door_takes_k(oven, 40.0, 22.0, 15.0) == pytest.approx(2.0 * fall)
    assert door_takes_k(oven, 20.0, 22.0, 30.0) == pytest.approx(0.5 * fall)
    flow = tray_gains(oven.water_c, 22.0, 1850.0, fan, tented)
    assert fall == pytest.approx(-flow * 20.0 / (0.015 * 4.1e6))
    settled = tray_gains(oven.water_c, 150.0, 1850.0, fan, tented)
    assert settled == pytest.approx(0.0, abs=1.0) or oven.water_c == pytest.approx(boiling_point(1850.0) - 2.0)
