"""The picture: everything lies inside its frame, for every cut of the book, and says what the cook is."""

from __future__ import annotations

import base64
import json
import re

import pytest

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_web.ui.drawing import GRAIN_H, LEFT, WIDTH, draw
from ember_web.ui.templatetags.ember import core, json_block, logs, span


@pytest.mark.parametrize("cut", sorted(shipped().cuts))
def test_all_marks_lie_in_the_frame(cut):
    """No coordinate outside, none missing; the cursor stands at the pull; the image is a picture."""
    outcome = compute(parse(Sentence.for_cut(cut, altitude_m=1850.0).document()), with_forecast=False)
    cook = outcome.cook
    p = draw(
        cook,
        ramp="meat",
        target_c=60.0,
        round_=shipped().cuts[cut]["shape"] != "slab",
        ticks=[(0.0, "Lay in")],
        met_at_s=30.0,
        cursor_s=None,
        ribbon=None,
    )
    outline = [float(v) for v in re.findall(r"-?\d+\.?\d*", p.isotherm)]
    assert all(LEFT - 0.1 <= x <= WIDTH for x in outline[::2])
    assert all(-0.1 <= y <= GRAIN_H + 0.1 for y in outline[1::2])
    trace = json.loads(json.dumps(p.trace, allow_nan=False))
    low, high = trace["y"]
    for line in trace["lines"]:
        assert line["at"][0][0] == 0
        assert line["at"][-1][0] == pytest.approx(trace["x"], abs=0.06)
        assert line["as"] == "l-surface" or all(low <= c <= high for _, c in line["at"])
    assert low <= trace["band"][0] < trace["band"][1] <= high
    if trace["coast"] is not None:
        assert trace["coast"]["c1"] > trace["coast"]["c0"]
        assert trace["coast"]["t1"] > trace["coast"]["t0"] == cook.pull_s
    assert p.cursor["t"] == pytest.approx(cook.pull_s)
    assert base64.b64decode(p.image.split(",")[1])[:4] == b"\x89PNG"
    numbers = json.loads(json.dumps(p.data, allow_nan=False))
    assert len(numbers["core"]) == len(numbers["t"]) == len(numbers["layers"])
    assert len(p.cut) == len(numbers["layers"][0]) // (2 if p.round_ else 1)
    hottest = [max(row) for row in numbers["layers"]]
    assert hottest == sorted(hottest)  # doneness never goes back


@pytest.mark.parametrize(
    ("seconds", "text"),
    [
        (0, "0:00"),
        (59.6, "1:00"),
        (599, "9:59"),
        (600, "10 min"),
        (7199, "2 h 00"),
        (7200, "2 h 00"),
        (-75, "−1:15"),
        (None, "–"),
    ],
)
def test_durations(seconds, text):
    """m:ss below ten minutes, minutes rounded up above, hours from two."""
    assert span(seconds) == text


def test_numbers_and_data_blocks():
    """One decimal for a core; no claim beyond the data; no way out of a data block."""
    assert (core(54.96), core(-0.04), core(None)) == ("55.0", "−0.0", "–")
    assert (logs(3.14), logs(1e6)) == ("3.1", "over 12")
    block = json_block({"a": "</script><b>&"}, "x")
    assert "</script><b>" not in block


@pytest.mark.parametrize(
    ("cut", "way", "marked"),
    [
        ("cod-loin", "hot-oven", True),
        ("cod-loin", "poach", False),
        ("bavette", "bath", False),
        ("whole-chicken", "hot-oven", False),
    ],
)
def test_the_place_that_stays_coldest_is_marked_where_it_lies(cut, way, marked):
    """Above the middle of what lies on a tray; nowhere where the core itself is the coldest."""
    outcome = compute(parse(Sentence.for_cut(cut, way=way).document()), with_forecast=False)
    cook = outcome.cook
    p = draw(cook, ramp="meat", target_c=54.0, round_=cook.closed, ticks=[], met_at_s=None, cursor_s=None, ribbon=None)
    assert (p.coldest is not None) is marked
    if p.coldest is not None:
        reached, depth = cook.coldest
        assert 0 < p.coldest["y"] < 0.5 * GRAIN_H
        assert p.coldest["y"] == pytest.approx(depth / 35.0 * GRAIN_H, rel=0.03)
        assert f"{reached:.1f}" in str(p.coldest["words"])
