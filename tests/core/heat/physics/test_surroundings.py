"""What a piece meets: settling media, loaded baths, humidity, thawing water."""

from __future__ import annotations

import pytest
from CoolProp.HumidAirProp import HAPropsSI

from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.physics.surroundings import kitchen_vapour
from ember_core.heat.setup import setup
from ember_core.planning.compute import compute
from tests.conftest import plan_document


def cooked(stage, **piece):
    """A 30 mm slab through one stage: the result."""
    document = plan_document(stages=[stage])
    document["piece"] |= {"start_c": 5} | piece
    return compute(parse(document)).result


def core(stage, **piece):
    """Core at its end."""
    return cooked(stage, **piece)["stages"][-1]["core_c"]


def test_a_cold_pan_lags_and_a_burner_turned_off_fades():
    """A medium that starts low heats less, one that starts high heats more, and both settle to the same."""
    plain = {"kind": "pan", "minutes": 6, "medium_c": 180}
    assert core(plain | {"medium_from_c": 25}) < core(plain) < core(plain | {"medium_from_c": 240})
    assert core(plain | {"medium_from_c": 25, "settle_minutes": 0.01}) == pytest.approx(core(plain), abs=0.1)


def test_a_loaded_bath_drops_and_comes_back():
    """Less water, more mass or a weaker heater cook later; a large bath is not felt; a crowded one is said."""
    stage = {"kind": "bath", "minutes": 40, "medium_c": 60}
    alone = core(stage)
    small = cooked(stage | {"load": {"litres": 6, "heater_w": 400}}, mass_g=500, count=6)
    assert small["stages"][0]["core_c"] < alone - 0.3
    drop = next(f for f in small["findings"] if f["code"] == "crowded-bath")
    assert drop["level"] == "care"
    huge = cooked(stage | {"load": {"litres": 500, "heater_w": 5000}}, mass_g=300)
    assert huge["stages"][0]["core_c"] == pytest.approx(alone, abs=0.1)
    assert "crowded-bath" not in [f["code"] for f in huge["findings"]]
    with pytest.raises(FormatError) as caught:
        cooked(stage | {"load": {"litres": 8, "heater_w": 800}})
    assert caught.value.path == "/piece/mass_g"


def test_humid_air_dries_less_and_cooks_faster():
    """The more vapour in the oven's air, the less heat the surface spends on drying."""
    stage = {"kind": "oven", "minutes": 30, "medium_c": 130}
    cores = [core(stage | {"humidity": x}) for x in (0.0, 0.3, 0.6, 0.9)]
    assert cores == sorted(cores)
    assert cores[-1] > cores[0] + 1


WET_BULB = [(40, 2.0), (60, 2.0), (90, 2.0), (120, 2.0)]


@pytest.mark.parametrize(("air_c", "within"), WET_BULB)
def test_a_wet_surface_goes_to_the_wet_bulb(air_c, within):
    """CoolProp, HAPropsSI (humid air): a thin wet leaf in dry moving air without radiation, before it has dried much."""
    document = plan_document(
        stages=[{"kind": "oven", "minutes": 3, "medium_c": air_c, "surface": {"h_w_m2k": 25, "wet": True}}]
    )
    document["piece"] |= {"start_c": 20, "shape": {"kind": "slab", "thickness_mm": 2}}
    document["kitchen"] = {"altitude_m": 0, "air_c": 22}
    plan = parse(document)
    cook = run(plan, setup(plan))
    bulb = HAPropsSI("B", "T", air_c + 273.15, "P", 101325, "P_w", kitchen_vapour(22)) - 273.15
    assert cook.core[-1] == pytest.approx(bulb, abs=within)


@pytest.mark.parametrize("shape", [{"kind": "slab", "thickness_mm": 20}, {"kind": "sphere", "diameter_mm": 40},
                                   {"kind": "cylinder", "diameter_mm": 40, "length_mm": 40}])  # fmt: skip
def test_vapour_condenses_on_what_is_colder_than_its_dew_point(shape):
    """At 22 °C and half humidity the dew point is 11.1 °C: a piece at 2 °C gains heat by it, one at 14 °C loses some by drying.

    In saturated air a wet piece ends at the air's temperature, the wet bulb and the dry one being the same.
    """

    def heat(start, wet):
        document = plan_document(
            stages=[
                {
                    "kind": "rest",
                    "minutes": 10,
                    "medium_c": 22,
                    "surface": {"h_w_m2k": 5, "emissivity": 0.9, "wet": wet},
                }
            ]
        )
        document["piece"] |= {"start_c": start, "shape": shape}
        document["kitchen"]["air_c"] = 22
        plan = parse(document)
        return run(plan, setup(plan)).heat_in_j_m2

    assert heat(2, True) > 1.05 * heat(2, False)
    assert heat(14, True) < heat(14, False)
    steady = {"kind": "oven", "minutes": 300, "medium_c": 70, "humidity": 1.0}
    assert core(steady, shape=shape) == pytest.approx(70, abs=0.3)


def test_a_lid_a_plate_and_an_edge():
    """A lid warms the upper face, a cold plate takes heat from below and a hot one gives it; a fat edge stood up browns alone."""
    pan = {"kind": "pan", "minutes": 6, "faces": {"a": {"medium_c": 160}}}
    bare, lidded = (cooked(pan | more)["samples"][-1]["surface_b_c"] for more in ({}, {"cover": "lidded"}))
    assert lidded > bare + 15
    rest = {"kind": "rest", "minutes": 10, "faces": {"b": {"variant": "plate", "medium_c": 10}}}
    on = [core(rest | {"faces": {"b": {"variant": "plate", "medium_c": c}}}, start_c=55) for c in (10, 60)]
    assert on[0] < core({"kind": "rest", "minutes": 10}, start_c=55) < on[1]
    shape = {"kind": "box", "length_mm": 120, "width_mm": 50, "thickness_mm": 30}
    edge = cooked({"kind": "pan", "minutes": 3, "faces": {"edge": {"medium_c": 180}}}, shape=shape)
    side = cooked({"kind": "pan", "minutes": 3, "faces": {"side": {"medium_c": 180}}}, shape=shape)
    assert 6 < edge["stages"][0]["mean_c"] < side["stages"][0]["mean_c"] - 5
    with pytest.raises(FormatError) as caught:
        parse(plan_document(stages=[{"kind": "pan", "minutes": 3, "faces": {"edge": {"medium_c": 180}}}]))
    assert caught.value.path == "/stages/0/faces/edge"


def test_an_edge_that_meets_the_same_changes_nothing():
    """A box meshed over its full width gives what its quarter gives."""
    shape = {"kind": "box", "length_mm": 90, "width_mm": 50, "thickness_mm": 30}
    bath = {"kind": "bath", "minutes": 30, "medium_c": 60}
    faces = {"a": {}, "b": {}, "side": {}, "edge": {"medium_c": 60.0001}}
    plain, full = cooked(bath, shape=shape), cooked(bath | {"faces": faces}, shape=shape)
    for name in ("core_c", "mean_c"):
        assert full["stages"][0][name] == pytest.approx(plain["stages"][0][name], abs=0.01)


def test_thawing_goes_faster_in_water():
    """Fridge, still cold water, running water: in that order."""
    ends = [
        cooked({"kind": "thaw", "minutes": 4000, "medium_c": 8, "variant": v, "until": {"core_c": -1}}, start_c=-18)["stages"][0]["end_s"]
        for v in ("fridge", "still-water", "running-water")
    ]  # fmt: skip
    assert ends == sorted(ends, reverse=True)


@pytest.mark.parametrize(
    ("stage", "path"),
    [
        ({"kind": "bath", "minutes": 5, "medium_c": 60, "humidity": 0.5}, "/stages/0/humidity"),
        ({"kind": "pan", "minutes": 5, "medium_c": 60, "load": {"litres": 5, "heater_w": 500}}, "/stages/0/load"),
        ({"kind": "bath", "minutes": 5, "medium_c": 60, "load": {"litres": -5, "heater_w": 500}}, "/stages/0/load/litres"),
        ({"kind": "oven", "minutes": 5, "medium_c": 60, "settle_minutes": 0}, "/stages/0/settle_minutes"),
        ({"kind": "oven", "minutes": 5, "medium_c": 60, "variant": "crowded"}, "/stages/0/variant"),
    ],
)  # fmt: skip
def test_what_does_not_belong_is_named(stage, path):
    """Keys of another kind, and impossible values, with their place."""
    with pytest.raises(FormatError if "litres" not in path and "settle" not in path else Exception) as caught:
        parse(plan_document(stages=[stage]))
    assert caught.value.path == path
