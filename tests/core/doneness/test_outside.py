"""Colour, crust, grey band, juice: against the curve of water held, published and usual losses, and what must hold anyway."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.book.foods import food_row
from ember_core.doneness.outside import expelled, outside, shares_of
from ember_core.entry.sentence import Sentence
from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.planning.compute import compute
from tests.conftest import plan_document


def of(stages, shape=None, food="beef-lean", **piece):
    """What becomes of a piece's outside and juice."""
    piece = {"food": food, "shape": shape or {"kind": "slab", "thickness_mm": 25}, "start_c": 5, **piece}
    plan = parse(plan_document(piece=piece, stages=stages))
    return outside(plan, run(plan, setup(plan)))


def pan(medium_c, minutes=3):
    """Both faces in turn."""
    return [{"kind": "pan", "minutes": minutes, "faces": {f: {"medium_c": medium_c}}} for f in ("a", "b")]


# van der Sman 2007, as computed from its curve: loss of slabs held at a temperature, within 4 points
HELD = [(55, 2), (60, 7), (65, 16), (70, 26), (80, 34)]


@pytest.mark.parametrize(("bath_c", "percent"), HELD)
@pytest.mark.parametrize("thick", [12, 30])
def test_slabs_held_lose_what_the_curve_says(bath_c, percent, thick):
    told = of([{"kind": "bath", "minutes": 300, "medium_c": bath_c}], {"kind": "slab", "thickness_mm": thick})
    assert 100 * told.loss == pytest.approx(percent, abs=4.0)
    assert told.evaporated < 0.01  # in its pouch


def test_a_roast_loses_what_roasts_do():
    """Goñi & Salvadori 2010, J. Food Engineering 100:1, beef at 172 to 223 °C to 72 °C: 20 to 40 % by mass; from memory."""
    stages = [{"kind": "oven", "minutes": 300, "medium_c": 190, "variant": "fan", "until": {"core_c": 72}}]
    told = of(stages, {"kind": "cylinder", "diameter_mm": 80, "length_mm": 160}, mass_g=850)
    assert 0.2 < told.loss < 0.42
    assert told.evaporated > 0.05


def test_hotter_and_longer_browns_more_and_loses_more():
    gentle, hot, long = of(pan(170)), of(pan(230)), of(pan(230, 6))
    browns = [sum(f.browning_k_min for f in x.faces) for x in (gentle, hot, long)]
    assert browns == sorted(browns)
    assert browns[0] < browns[1] < browns[2]
    assert gentle.loss < hot.loss < long.loss
    assert hot.faces[0].crust_mm <= long.faces[0].crust_mm
    assert all(f.crust_mm <= f.grey_mm for x in (gentle, hot, long) for f in x.faces)
    assert of(pan(230)).faces[0].colour != "pale"
    assert {f.colour for f in of([{"kind": "bath", "minutes": 60, "medium_c": 60}]).faces} == {"pale"}


def test_one_face_in_the_pan_has_one_crust():
    told = of([{"kind": "pan", "minutes": 4, "faces": {"a": {"medium_c": 220}}}])
    assert told.faces[0].crust_mm > 0.3
    assert told.faces[1].crust_mm == 0.0
    assert told.faces[1].grey_mm == 0.0


def test_juice_leaves_with_a_delay_and_does_not_come_back():
    shares = np.array([1.0])
    t = np.linspace(0.0, 7200.0, 1441)
    held = np.full((t.size, 1), 70.0)
    pulse = np.where((t > 600) & (t < 660), 70.0, 20.0)[:, None]
    lost = [expelled(t, field, shares) for field in (pulse, held)]
    assert 0.02 < lost[0] < 0.5 * lost[1]
    assert expelled(t, pulse, shares, tau_s=1.0) == pytest.approx(lost[1], rel=0.02)


@pytest.mark.parametrize(("kind", "closed", "power"), [("slab", False, 1), ("cylinder", True, 2), ("sphere", True, 3)])
def test_places_stand_for_their_part_of_the_volume(kind, closed, power):
    depth = (np.arange(40) + 0.5) * 0.5
    shares = shares_of(depth, closed, kind)
    assert shares.sum() == pytest.approx(1.0)
    assert shares[-1] / shares[0] == pytest.approx(1.0 if power == 1 else (20.0**power - 19.5**power) / 0.5**power)


@pytest.mark.parametrize("cut", ["bavette", "whole-chicken", "salmon-fillet", "hogget-shoulder"])
def test_every_result_of_meat_and_fish_says_it(cut):
    result = compute(parse(Sentence.for_cut(cut).document()), with_forecast=False).result
    told = result["outside"]
    assert 0.4 < told["yield"] < 1.0
    assert told["yield"] == pytest.approx(1.0 - told["drip"] - told["evaporated"], abs=1e-3)
    assert told["thickness"] == pytest.approx(told["yield"] ** (1 / 3), abs=1e-3)


@pytest.mark.parametrize("cut", ["soft-egg", "asparagus"])
def test_of_eggs_and_plants_it_says_nothing(cut):
    assert "outside" not in compute(parse(Sentence.for_cut(cut).document()), with_forecast=False).result


BATH = [{"kind": "bath", "minutes": 200, "medium_c": 68}]


def test_salted_meat_holds_more():
    """Rising with salt up to 3 %; a cured ham by its own ash, as if 2.5 % were stated."""
    lost = [of(BATH, salt=s).loss for s in (0.0, 0.01, 0.02, 0.03)]
    assert lost == sorted(lost, reverse=True)
    assert lost[3] == pytest.approx(0.5 * lost[0], rel=0.03)
    assert of(BATH, food="ham-cured").loss == pytest.approx(of(BATH, food="ham-cured", salt=0.025).loss, rel=1e-6)
    assert of(BATH, food="ham-cured").loss < 0.7 * of(BATH, food="pork-loin").loss


@pytest.mark.parametrize("piece", [{"food": "potato"}, {"food": "egg-whole"}])
def test_salt_of_what_has_no_juice_is_refused(piece):
    with pytest.raises(InputError) as told:
        of(BATH, salt=0.01, **piece)
    assert told.value.path == "/piece/salt"


def test_long_heat_softens_by_hours_at_seventy():
    """Held at 70 °C the equivalent is the time itself, whatever the activation energy; cooler it is less."""
    ten = of([{"kind": "bath", "minutes": 600, "medium_c": 70}], {"kind": "slab", "thickness_mm": 15}).tender_h
    assert ten == pytest.approx((9.7, 9.7, 9.7), abs=0.3)
    cool = of([{"kind": "bath", "minutes": 600, "medium_c": 60}], {"kind": "slab", "thickness_mm": 15}).tender_h
    assert cool[0] > cool[1] > cool[2]
    assert cool[0] < 0.5 * ten[0]


@pytest.mark.parametrize(("food", "other"), [("pork-belly", "pork-loin"), ("beef-short-rib", "beef-lean")])
def test_a_food_loses_of_its_own_water(food, other):
    """A fat piece has less to lose, in proportion to its water (food table)."""
    bath = [{"kind": "bath", "minutes": 300, "medium_c": 70}]
    fat, lean = (of(bath, food=f) for f in (food, other))
    water = [float(food_row(f)["parts"]["water"]) for f in (food, other)]
    assert fat.loss / lean.loss == pytest.approx(water[0] / water[1], rel=0.06)
