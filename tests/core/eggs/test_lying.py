"""Eggs that lie open on heat: fried, baked in a dish, coddled in a cup: by geometry, by common practice, and as their plans say."""

from __future__ import annotations

from dataclasses import replace
from math import pi

import numpy as np
import pytest

from ember_core.eggs.fried import SCHOOLS, Dish, Fry, bake, columns_of, fit_in, fry, schools
from ember_core.eggs.poached import CODDLED, Poach, poach, skin_mm, styles
from ember_core.eggs.stirred import Pan
from ember_core.errors import EmberError, ValueRangeError
from ember_core.formats.plan import parse
from ember_core.heat.egg_states import white_word, yolk_word
from ember_core.planning.compute import compute

YOLKS = ("runny", "syrupy", "jammy", "fudgy", "dry")
HOT = Pan(begin_c=170.0, power_w=1500.0)


@pytest.mark.parametrize("mass_g", [42.0, 57.0, 73.0])
def test_the_columns_are_the_egg(mass_g):
    """Their volumes add up to what a shell of a ninth leaves (Romanoff & Romanoff 1949), and a larger egg is larger everywhere."""
    columns = columns_of(mass_g)
    held = sum(c.area_mm2 * c.thick_mm for c in columns.values()) / 1000.0
    assert held == pytest.approx(mass_g * 0.885 / 1.035, rel=1e-6)
    assert all(columns_of(mass_g + 5.0)[k].thick_mm > c.thick_mm for k, c in columns.items())
    assert columns["thin"].thick_mm < columns["thick"].thick_mm < columns["yolk"].thick_mm


@pytest.mark.parametrize(
    ("school", "low", "high"), [("open", 120, 240), ("lidded", 75, 180), ("basted", 40, 120), ("turned", 110, 240)]
)
def test_fried_by_common_practice(school, low, high):
    """A runny one in a pan on medium heat: 2 to 4 min open, 1½ to 3 under a lid, about a minute basted; no published source, nothing set on it."""
    found = fry(Fry(school=school))
    assert found.reached
    assert low <= found.seconds <= high
    assert (found.yolk_word, found.white_word) == ("runny", "tender")


@pytest.mark.parametrize("school", list(SCHOOLS))
def test_what_makes_frying_longer(school):
    usual = fry(Fry(school=school)).seconds
    assert fry(Fry(school=school, start_c=20.0)).seconds < usual
    assert fry(Fry(school=school, mass_g=68.0)).seconds > usual
    assert fry(Fry(school=school, pan=HOT)).seconds < usual


@pytest.mark.parametrize("school", list(SCHOOLS))
def test_a_yolk_that_is_wanted_harder_takes_longer_or_is_refused(school):
    """Words by the time of it; what is said to be reached is what is eaten, and nothing is said to be reached that is not."""
    seconds = []
    for word in YOLKS:
        found = fry(Fry(school=school, yolk=word))
        assert found.reached == (found.yolk_word == word and found.white_word != "unset" and np.isfinite(found.white_s))
        seconds.append(found.seconds)
    assert seconds == sorted(seconds)
    assert fry(Fry(school=school, yolk="dry")).yolk_word != "runny"


def test_open_the_yolk_stays_clear_and_basted_it_is_veiled():
    found = dict(schools(Fry()))
    assert found["open"].film < 0.01
    assert found["open"].top_c < 30.0
    assert found["basted"].film > 0.9
    assert found["turned"].turn_s is not None


@pytest.mark.parametrize(
    "found", [fry(Fry()), fry(Fry(school="basted")), bake(Dish())], ids=["open", "basted", "baked"]
)
def test_its_plan_says_what_it_says(found):
    """The plan's own cook ends with the words of the answer, and a runny one never meets its rule."""
    outcome = compute(parse(found.document), with_forecast=False)
    assert outcome.result["rule"]["met"] is False
    heated = [s for s in outcome.result["stages"] if s["kind"] in {"pan", "oven"}]
    assert heated[-1]["end_s"] == pytest.approx(found.seconds, abs=1.0)
    painted = {p.name: p for p in found.painted}
    assert white_word(float(painted["thick"].first.mean()), float(painted["thick"].main.mean())) == found.white_word
    yolk = painted["yolk"]
    soft, wide = yolk.up_mm > yolk.white_mm + 3.0, np.abs(np.gradient(yolk.up_mm))
    assert yolk_word(float(np.average(yolk.yolk[soft], weights=wide[soft])), 0.0) == found.yolk_word
    assert painted["yolk"].out_mm < painted["thick"].out_mm


@pytest.mark.parametrize(
    ("ask", "path"),
    [
        (lambda: fry(Fry(eggs=9)), "eggs"), (lambda: bake(Dish(eggs=9)), "eggs"), (lambda: bake(Dish(across_mm=200.0)), "across_mm"),
        (lambda: fry(Fry(school="turned", pan=Pan(begin_c=55.0, power_w=40.0))), "power_w"),
        (lambda: fry(Fry(start_c=200.0)), "/piece/start_c"),
    ],
)  # fmt: skip
def test_what_is_no_pan_of_eggs_is_said(ask, path):
    with pytest.raises(EmberError) as said:
        ask()
    assert path in said.value.path


def test_as_many_as_fit_lie_beside_each_other():
    """By area: two in a small pan, six to eight in a large one (common practice)."""
    assert fit_in(200.0, 57.0) in {2, 3}
    assert 6 <= fit_in(320.0, 57.0) <= 8
    assert fit_in(240.0, 57.0) * 95.0e2 <= pi / 4 * 240.0**2


@pytest.mark.parametrize("water", [True, False])
def test_baked_by_common_practice(water):
    """One egg in a dish at 180 °C: 5 to 12 min for a white that just holds; more eggs in the same dish take longer."""
    found = bake(Dish(water=water))
    assert found.reached
    assert 5 * 60 <= found.seconds <= 12 * 60
    assert bake(Dish(water=water, eggs=2)).seconds > found.seconds
    assert bake(Dish(water=water, fan=True)).seconds <= found.seconds
    assert bake(Dish(water=water, yolk="jammy")).seconds > found.seconds


def test_coddled_by_common_practice():
    """Seven to nine minutes in its cup for a soft one; longer than poached, and longer on a mountain."""
    found = poach(Poach(way=CODDLED, count=1))
    assert found.reached
    assert 6.5 <= found.minutes <= 9.0
    assert found.minutes > poach(Poach(count=1)).minutes
    assert poach(Poach(way=CODDLED, count=1, altitude_m=1850.0)).minutes > found.minutes


def test_whirled_water_takes_one_at_a_time():
    still, whirled = styles(Poach(count=6, pot_litres=4.0))
    assert (still.at_once, still.lots, whirled.at_once, whirled.lots) == (6, 1, 1, 6)
    assert whirled.all_minutes > 5.0 * still.all_minutes
    assert still.falls_to_c < whirled.falls_to_c
    assert styles(Poach(count=20, pot_litres=4.0))[0].lots == 3


def test_seconds_in_the_shell_set_a_skin():
    """Ten seconds a film, a minute about a millimetre, by conduction: the depth goes with the root of the time, about."""
    film, minute = skin_mm(Poach()), skin_mm(Poach(), 60.0)
    assert 0.0 < film < 0.5
    assert film < minute < 2.5
    assert skin_mm(replace(Poach(), start_c=20.0)) >= film
    with pytest.raises(ValueRangeError):
        poach(Poach(mass_g=900.0))
