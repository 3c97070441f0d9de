"""What a piece meets: settling media, loaded baths, humidity, thawing water."""

from __future__ import annotations

import pytest

from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.formats.result import compute
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
    small = cooked(stage | {"load": {"litres": 8, "heater_w": 800}}, mass_g=500, count=6)
    assert small["stages"][0]["core_c"] < alone - 0.3
    drop = next(f for f in small["findings"] if f["code"] == "crowded-bath")
    assert drop["level"] == "care"
    huge = cooked(stage | {"load": {"litres": 500, "heater_w": 5000}}, mass_g=300)
    assert huge["stages"][0]["core_c"] == pytest.approx(alone, abs=0.1)
    assert "crowded-bath" not in [f["code"] for f in huge["findings"]]
    assert "load-without-mass" in [
        f["code"] for f in cooked(stage | {"load": {"litres": 8, "heater_w": 800}})["findings"]
    ]


def test_humid_air_dries_less_and_cooks_faster():
    """The more vapour in the oven's air, the less heat the surface spends on drying."""
    stage = {"kind": "oven", "minutes": 30, "medium_c": 130}
    cores = [core(stage | {"humidity": x}) for x in (0.0, 0.3, 0.6, 0.9)]
    assert cores == sorted(cores)
    assert cores[-1] > cores[0] + 1


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
