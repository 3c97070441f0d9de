"""When no moment works, the plan says what would; and what it says is true."""

from __future__ import annotations

import re

import pytest

from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from tests.conftest import plan_document

REST = {"kind": "rest", "minutes": 10}


def told(stages, **over):
    """Findings and the words of the remedy, if there is one."""
    result = compute(parse(plan_document(stages=stages, target={}, **over)), with_forecast=False).result
    words = [f["message"] for f in result["findings"] if f["code"] == "what-would-work"]
    return result, words[0] if words else ""


@pytest.mark.parametrize("until", [{"peak_core_c": 58}, {"core_c": 56}, {"log10": 5}, {"rule": True}])
def test_more_minutes_or_more_heat_are_enough(until):
    """The minutes and the heat it names make the stage end as it is meant to; clearly less does not."""
    stage = {"kind": "oven", "minutes": 8, "medium_c": 120, "until": until}
    _, words = told([stage, REST])
    minutes = float(re.search(r"(\d+) min in all", words)[1])
    for share, ends in ((1.03, True), (0.9, False)):
        result, _ = told([stage | {"minutes": minutes * share}, REST])
        assert (result["stages"][0]["ended_by"] != "minutes") is ends, (minutes, share)
    heat = re.search(r"(\d+) °C more heat", words)
    if heat:
        result, _ = told([stage | {"medium_c": 120 + float(heat[1]) + 3}, REST])
        assert result["stages"][0]["ended_by"] != "minutes"


def test_a_bath_colder_than_the_wish():
    """No minutes bring a core above its bath: more heat does."""
    _, words = told([{"kind": "bath", "minutes": 90, "medium_c": 50, "until": {"core_c": 55}}, REST])
    assert "min in all" not in words
    assert 5 <= float(re.search(r"(\d+) °C more heat", words)[1]) <= 8


def test_too_late_when_the_stage_begins():
    """The heat before it is shortened to a share that works."""
    first = {"kind": "pan", "minutes": 9, "medium_c": 220}
    second = {"kind": "oven", "minutes": 60, "medium_c": 110, "until": {"peak_core_c": 50}}
    _, words = told([first, second, REST])
    share = float(re.search(r"to (\d+) %", words)[1]) / 100
    result, none = told([first | {"minutes": 9 * share * 0.97}, second, REST])
    assert result["stages"][1]["ended_by"] == "peak_core_c"
    assert not none
    _, hot = told(
        [second, REST], piece={"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 20}, "start_c": 60}
    )
    assert "higher peak" in hot


def test_nothing_is_said_when_all_goes_well(document):
    """A plan whose stages end as meant has no such finding."""
    assert told(document["stages"])[1] == ""
