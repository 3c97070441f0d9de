"""Every reading of a log weighed: which are evidence, which may be, where nothing is known, and the words."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ember_core.safety import evidence
from ember_core.safety.evidence import holes, weigh

N = None
WEIGHED = [
    # times, core, surface, medium → trusted, possible, left, findings (code and its words)
    ("steady", [0, 10, 20], [20, 21, 22], N, N, "111", "111", 3, {}),
    ("105 and over", [0, 100, 200, 300], [70, 100, 105, 105.1], N, N, "1110", "1110", 4, {"jump": "once (first at 300 s, 105.1 °C)", "implausible": "hotter than water boils"}),
    ("a peak of 20 K", [0, 100, 200], [20, 40, 20], N, N, "111", "111", 3, {}),
    ("a peak of 18.5 K", [0, 100, 200], [20, 38.5, 20], N, N, "111", "111", 3, {}),
    ("a peak of 20.1 K", [0, 100, 200, 300], [20, 40.1, 20, 20], N, N, "1011", "1011", 4, {"jump": "once (first at 100 s, 40.1 °C)"}),
    ("a peak over the higher neighbour", [0, 100, 200, 300], [20, 45, 30, 30], N, N, "1111", "1111", 4, {}),
    ("a first reading that falls as a piece can", [0, 10, 20], [35, 25, 25], N, N, "111", "111", 3, {}),
    ("a first reading that falls faster", [0, 10, 20], [35.1, 25, 25], N, N, "011", "011", 3, {"jump": "once (first at 0 s, 35.1 °C)"}),
    ("two first readings", [0, 10, 20, 30], [120, 90, 20, 20], N, N, "0011", "0011", 4, {"jump": "2 times (first at 0 s, 120.0 °C)"}),
    ("a last reading alone", [0, 10, 20], [20, 20, 90], N, N, "110", "110", 3, {"jump": "once (first at 20 s, 90.0 °C)"}),
    ("a jump that stays", [0, 10, 20, 30, 40], [20, 20, 60, 60, 60], N, N, "11000", "11111", 5, {"jump": "3 times (first at 20 s, 60.0 °C)"}),
    ("a jump that comes back below where it could have been", [0, 10, 20, 30, 40, 50], [20, 20, 60, 60, 60, 30], N, N, "110001", "111111", 6, {"jump": "3 times"}),
    ("and stays above it", [0, 10, 20, 30, 40, 50], [20, 20, 60, 60, 60, 30.1], N, N, "110000", "111111", 6, {"jump": "4 times"}),
    ("40 K in a long step", [0, 200, 400], [20, 60, 60], N, N, "111", "111", 3, {}),
    ("40.1 K in a long step", [0, 200, 400, 600, 800], [20, 60.1, 60.1, 60.1, 60.1], N, N, "10000", "11111", 5, {"jump": "4 times"}),
    ("pulled out", [0, 100, 200, 210, 220], [20, 50, 70, 22, 22], N, N, "11111", "11111", 3, {"jump": "2 times (first at 210 s, 22.0 °C)"}),
    ("a fall that a piece can make", [0, 100, 200, 210, 220], [20, 50, 70, 60, 50], N, N, "11111", "11111", 5, {}),
    ("a fall and back", [0, 100, 200, 210, 220, 230], [20, 50, 70, 22, 70, 70], N, N, "111111", "111111", 3, {"gap": "once", "jump": "once (first at 210 s, 22.0 °C)"}),
    ("a fall before the peak", [0, 10, 20, 60, 160, 260], [22, 22, 4, 6, 30, 50], N, N, "111111", "111111", 6, {"jump": "once (first at 20 s, 4.0 °C)"}),
    ("alone after a hole", [0, 60, 120, 5000, 5010, 5020], [20, 20, 20, 50, 30, 30], N, N, "111011", "111011", 6, {"gap": "4,880 s, once (first after 120 s)", "jump": "once"}),
    ("borne out after a hole", [0, 60, 120, 5000, 5010, 5020], [20, 20, 20, 50, 40, 40], N, N, "111111", "111111", 6, {"gap": "once"}),
    ("the last after a hole", [0, 60, 120, 5000], [20, 20, 20, 50], N, N, "1111", "1111", 4, {"gap": "once"}),
    ("alone, but no hole before it", [0, 60, 120, 420, 430, 440], [20, 20, 20, 40, 29, 29], N, N, "111111", "111111", 4, {"jump": "once (first at 430 s, 29.0 °C)"}),
    ("a fall, then a spike", [0, 10, 20, 30, 40], [60, 60, 20, 120, 60], N, N, "11101", "11101", 2, {"jump": "2 times (first at 20 s, 20.0 °C)"}),
    ("a spike, then a fall", [0, 10, 20, 30, 40, 50], [60, 60, 120, 60, 20, 20], N, N, "110111", "110111", 4, {"jump": "3 times (first at 20 s, 120.0 °C)"}),
    ("a fall and a spike before the peak", [0, 10, 20, 60, 70, 160, 260], [22, 22, 4, 6, 120, 30, 50], N, N, "1111011", "1111011", 7, {"jump": "2 times"}),
    ("a peak in three", [0, 200, 400], [20, 55, 20], N, N, "101", "101", 3, {"jump": "once"}),
    ("two impossible ones first", [0, 10, 20], [120, 130, 20], N, N, "001", "001", 3, {"jump": "2 times", "implausible": "hotter than water boils"}),
    ("a first that falls as a piece can, and a jump", [0, 10, 20, 30], [35, 25, 25, 90], N, N, "1110", "1110", 4, {"jump": "once"}),
    ("alone after a hole, and the end", [0, 60, 120, 5000, 5010], [20, 20, 20, 50, 30], N, N, "11101", "11101", 5, {"gap": "once", "jump": "once"}),
    ("the last after a hole, with a spike", [0, 10, 20, 30, 5000], [20, 90, 20, 20, 50], N, N, "10111", "10111", 5, {"gap": "once", "jump": "once"}),
    ("borne out after a hole, with a spike", [0, 10, 20, 5000, 5010, 5020], [20, 90, 20, 50, 40, 40], N, N, "101111", "101111", 6, {"gap": "once", "jump": "once"}),
    ("a fall that a piece can just make, with a spike", [0, 100, 200, 210, 220, 230], [20, 50, 70, 60, 110, 60], N, N, "111101", "111101", 6, {"gap": "once", "jump": "once"}),
    ("two spikes of two", [0, 10, 20, 30, 40, 50, 60, 70, 80], [20, 20, 90, 90, 20, 20, 90, 90, 20], N, N, "110011001", "110011001", 9, {"jump": "4 times"}),
    ("medium read from the second on", [0, 60, 120], [60, 61, 64], N, [N, 20, 20], "110", "111", 3, {"contradiction": "once"}),
    ("two holes", [0, 60, 1000, 1060, 3000], [20] * 5, N, N, "11111", "11111", 5, {"gap": "1,940 s, 2 times (first after 60 s)"}),
    ("medium below", [0, 60, 120], [60, 63, 64], N, [61, 61, 61], "110", "111", 3, {"contradiction": "64.0 °C at 120 s, above everything that was around it until then (once)"}),
    ("medium that was hot", [0, 60, 120], [60, 63, 64], N, [63, 30, 30], "111", "111", 3, {}),
    ("surface below", [0, 60, 120], [60, 63.1, 64], [61, 61, 61], N, "100", "111", 3, {"contradiction": "63.1 °C at 60 s, above everything that was around it until then (2 times)"}),
    ("medium read late, core hot before", [0, 60, 120, 180], [60, 63, 64, 65], N, [N, N, 20, 20], "1111", "1111", 4, {}),
    ("medium read late, core hotter after", [0, 60, 120, 180], [60, 63, 64, 65.1], N, [N, N, 20, 20], "1110", "1111", 4, {"contradiction": "65.1 °C at 180 s"}),
    ("medium read once, at first", [0, 60, 120], [60, 63, 64], N, [60, N, N], "100", "111", 3, {"contradiction": "2 times"}),
    ("medium never read", [0, 60, 120], [60, 63, 64], N, [N, N, N], "111", "111", 3, {}),
]  # fmt: skip


def mask(text):
    """A row of truth values."""
    return [x == "1" for x in text]


@pytest.mark.parametrize(("name", "t", "core", "surface", "medium", "trusted", "possible", "left", "said"), WEIGHED, ids=[w[0] for w in WEIGHED])  # fmt: skip
def test_every_reading_is_weighed(name, t, core, surface, medium, trusted, possible, left, said):
    """Which readings are evidence, which may be, when the probe left, and the words."""
    around = [
        None if x is None else np.array([np.nan if v is None else v for v in x], dtype=float) for x in (surface, medium)
    ]
    e = weigh(np.array(t, dtype=float), np.array(core, dtype=float), *around)
    assert e.trusted.tolist() == mask(trusted)
    assert e.possible.tolist() == mask(possible)
    assert e.left == left
    assert [f.code for f in e.findings] == list(said)
    for f in e.findings:
        assert said[f.code] in f.message
        assert f.level == "care"
    reason = "contradict" if surface is not None or medium is not None else "jump"
    assert (reason in e.why) is (trusted != possible)
    assert bool(e.why) is (trusted != possible)


HOLES = [
    # steps → which are holes
    ([10, 10, 10, 50, 10, 10], "000000"), ([10, 10, 10, 52, 10, 10], "000100"), ([10, 10, 10, 48, 10, 10], "000000"), ([1, 1, 1, 20, 1, 1], "000000"),
    ([1, 1, 1, 20.1, 1, 1], "000100"), ([1, 1, 1, 50, 50, 1, 1], "0001100"), ([1] * 9 + [50] * 4 + [1], "0" * 9 + "1001" + "0"),
    ([60, 60, 60, 10, 55, 10, 60, 60], "0" * 8), ([300, 300, 300], "000"), ([300, 300.1, 300], "010"), ([400, 400], "11"), ([5], "0"), ([301], "1"),
    ([10, 10, 5, 50, 5, 10, 10], "0000000"), ([5, 5, 5, 5, 10, 50, 10, 5, 5], "000000000"), ([10, 10, 52], "001"), ([52, 10, 10], "100"),
]  # fmt: skip


@pytest.mark.parametrize(("apart", "found"), HOLES)
def test_holes(apart, found):
    """Longer than five minutes; or over 20 s and five times both the log's usual step and the shorter neighbour."""
    assert holes(np.cumsum([0.0, *apart])).tolist() == mask(found)
    assert holes(np.array([3.0])).tolist() == []


STILL = [
    # seconds apart, readings → said (10 readings, over 900 s)
    ([(10, 100.0)], False), ([(10, 100.1)], True), ([(9, 200.0)], False), ([(3, 10.0), (11, 100.0)], True), ([(11, 100.0), (20, 100.0)], True),
    ([(3, 1000.0), (11, 10.0)], False), ([(12, 10.0), (4, 1000.0)], False),
]  # fmt: skip


@pytest.mark.parametrize(("runs", "said"), STILL)
def test_how_long_a_probe_stands_still(runs, said):
    """Each run at its own temperature; the longest and how many are told."""
    t, c = [0.0], [50.0]
    for k, (count, apart) in enumerate(runs):
        for i in range(count):
            if (k, i) != (0, 0):
                t.append(t[-1] + apart)
                c.append(50.0 + k)
    found = [f.message for f in weigh(np.array(t), np.array(c)).findings if f.code == "frozen-probe"]
    assert bool(found) is said
    if len(runs) == 2 and said:
        assert (
            "1,900 s, 2 times"
            if runs[1][0] == 20
            else "51.00 °C without any change from 120 s, for up to 1,000 s, once"
        ) in found[0]


@pytest.mark.parametrize(("step", "still"), [(0.0, True), (0.0009, True), (0.0011, False)])
def test_what_counts_as_standing_still(step, still):
    """A thousandth of a kelvin."""
    found = weigh(np.arange(20) * 100.0, 50.0 + step * np.arange(20)).findings
    assert bool(found) is still


JUMPS = [
    # dt, rise → trusted (5 K and 0.5 K/s, at most 40 K)
    (1, 5.4, True), (1, 5.6, False), (20, 14.9, True), (20, 15.1, False), (60, 34.9, True), (60, 35.1, False), (200, 39.9, True), (200, 40.1, False),
]  # fmt: skip


@pytest.mark.parametrize(("dt", "rise", "trusted"), JUMPS)
def test_how_fast_a_core_can_rise(dt, rise, trusted):
    """From one reading to the next, and with a slower piece less."""
    t = np.array([0.0, dt, 2.0 * dt, 3.0 * dt])
    core = np.array([20.0, 20.0, 20.0 + rise, 20.0 + rise])
    assert bool(weigh(t, core).trusted[2]) is trusted
    assert not weigh(t, core, fastest_k_s=0.0).trusted[2]
    assert bool(weigh(t, core[::-1].copy()).left == 4) is (rise <= 5 + 0.5 * dt)


@pytest.mark.parametrize(("apart", "frozen"), [(90, False), (91, False), (101, True)])
def test_frozen(apart, frozen):
    """Ten readings or more over more than a quarter of an hour without any change."""
    t = np.arange(10) * float(apart)
    said = [f.code for f in weigh(t, np.full(10, 50.0)).findings]
    assert ("frozen-probe" in said) is frozen
    assert "frozen-probe" not in [f.code for f in weigh(t, np.arange(10) * 0.002 + 50.0).findings]
    assert "frozen-probe" not in [f.code for f in weigh(t[:9] * 2, np.full(9, 50.0)).findings]


@settings(max_examples=150, deadline=None)
@given(st.lists(st.floats(1, 900), min_size=3, max_size=40), st.integers(0, 38))
def test_a_hole_stays_a_hole(apart, at):
    """No interval over five minutes is bridged, and leaving a reading out never closes one."""
    t = np.cumsum([0.0, *apart])
    found = holes(t)
    assert found[np.diff(t) > evidence.APART_S].all()
    assert not found[np.diff(t) <= evidence.GAP_LEAST_S].any()
    fewer = np.delete(t, min(at + 1, t.size - 2))
    assert holes(fewer)[np.diff(fewer) > evidence.APART_S].all()
