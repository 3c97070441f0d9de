"""Cooling in several stages is one cooling; heat that comes in time ends it, heat that comes late does not mend it."""

from __future__ import annotations

import pytest

from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from tests.conftest import plan_document

COOK = {"kind": "bath", "minutes": 240, "medium_c": 75}
ICE = {"kind": "chill", "medium_c": 1, "variant": "ice-water"}
PRESS = {"kind": "press", "medium_c": 3}
AIR = {"kind": "chill", "medium_c": 20}


def cooled(*stages, thick=30.0):
    """Findings of cooling and the rule, of a cooked slab that goes through more stages."""
    piece = {"food": "beef-lean", "form": "roast", "shape": {"kind": "slab", "thickness_mm": thick}, "start_c": 4}
    plan = parse(plan_document(piece=piece, stages=[COOK, *stages], rules="us-food-code-2022"))
    result = compute(plan, with_forecast=False).result
    return [(f["level"], f["message"]) for f in result["findings"] if f["code"] == "cooling"], result["rule"]["met"]


def test_two_stages_are_judged_as_one():
    """Ice until warm to the hand, then pressed cold: met together, though the first part alone is not."""
    said, met = cooled(ICE | {"minutes": 600, "until": {"core_c": 20}}, PRESS | {"minutes": 300})
    assert [level for level, _ in said] == ["note", "note"]
    assert met
    slow, met = cooled(AIR | {"minutes": 150}, PRESS | {"minutes": 600}, thick=60.0)
    assert "stop" in {level for level, _ in slow}
    assert not met


def test_a_cooling_that_ends_warm_is_not_met():
    """Its clock still runs, so nothing is broken; but what lies in the cold to be kept has not been shown to get there."""
    said, met = cooled(ICE | {"minutes": 600, "until": {"core_c": 20}})
    assert {level for level, _ in said} == {"note", "care"}
    assert met is None


@pytest.mark.parametrize(("minutes", "stops"), [(20, False), (420, True)])
def test_heat_ends_a_cooling_only_in_time(minutes, stops):
    """Twenty minutes out of the bath and back: no cooling to judge; seven hours in a warm room: reheating mends nothing."""
    said, met = cooled(AIR | {"minutes": minutes}, {"kind": "oven", "minutes": 30, "medium_c": 180})
    assert ("stop" in {level for level, _ in said}) is stops
    assert met is not stops
