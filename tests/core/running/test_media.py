"""What is asked of a thermometer in what heats, and what is not."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.running.media import LEAST, SETTLE_S, SILENT_S, WATCHED_S, away, off, planned, silent, skewed, tolerance

EVERY = np.arange(0.0, 900.0, 10.0)
PLAN_C = 180.0


def flat(value):
    """A medium that stays."""
    return np.full(EVERY.size, value)


@given(st.floats(-60, 60), st.sampled_from(["oven", "pan", "bath", "fry", "hold"]), st.integers(0, 2**16))
def test_what_is_far_off_is_asked_and_what_is_near_is_not(apart, kind, seed):
    """Whatever the kind: by its own tolerance, either way, whatever the noise of one reading."""
    noise = np.random.default_rng(seed).normal(0.0, 0.02 * tolerance(kind), EVERY.size)
    found = off(EVERY, flat(PLAN_C + apart) + noise, lambda _: PLAN_C, kind, 0.0)
    if abs(apart) > 1.2 * tolerance(kind):
        assert found is not None
        assert found.reads_c == pytest.approx(PLAN_C + apart, abs=0.05 * tolerance(kind))
        assert found.planned_c == pytest.approx(PLAN_C, abs=0.05 * tolerance(kind))
    elif abs(apart) < 0.8 * tolerance(kind):
        assert found is None


@pytest.mark.parametrize(
    ("course", "asked"),
    [
        (PLAN_C + 8.0 * np.sin(EVERY / 30.0), False),  # a thermostat that clicks
        (np.where(EVERY[-1] - 60.0 < EVERY, 120.0, PLAN_C), False),  # a door that was just opened
        (np.where(np.arange(EVERY.size) % 5 == 0, 20.0, PLAN_C), False),  # a sensor that slips now and then
        (PLAN_C - 0.06 * EVERY, True),  # a heater that gives up
    ],
)  # fmt: skip
def test_what_passes_is_not_asked_about(course, asked):
    assert (off(EVERY, course, lambda _: PLAN_C, "oven", 0.0) is not None) is asked


@pytest.mark.parametrize("since", [0.0, 300.0, 890.0])
def test_nothing_is_asked_just_after_it_went_in_or_was_answered(since):
    found = off(EVERY, flat(120.0), lambda _: PLAN_C, "oven", since)
    assert (found is None) is bool(EVERY[-1] - WATCHED_S < since + SETTLE_S)
    assert off(EVERY[: LEAST - 1], flat(120.0)[: LEAST - 1], lambda _: PLAN_C, "oven", -1e6) is None


def test_how_long_it_was_too_low():
    """Hotter than planned takes nothing away; a gap counts for no more than what is watched."""
    low = np.where((EVERY >= 200.0) & (EVERY <= 500.0), 140.0, PLAN_C)
    assert away(EVERY, low, lambda _: PLAN_C, "oven") == pytest.approx(300.0)
    assert away(EVERY, flat(240.0), lambda _: PLAN_C, "oven") == 0.0
    assert away(np.array([0.0, 5000.0]), np.array([100.0, 100.0]), lambda _: PLAN_C, "oven") == WATCHED_S


@pytest.mark.parametrize(
    ("stage", "at", "value"),
    [
        ({"kind": "oven", "medium_c": 180.0}, 100.0, 180.0),
        ({"kind": "pan", "faces": {"a": {"kind": "baste", "medium_c": 150}, "b": {"medium_c": 220.0}}}, 100.0, 220.0),
        ({"kind": "oven", "medium_c": 120.0, "medium_from_c": 240.0, "settle_minutes": 5.0}, 0.0, 240.0),
        ({"kind": "oven", "medium_c": 120.0, "medium_from_c": 240.0, "settle_minutes": 5.0}, 1e5, 120.0),
    ],
)  # fmt: skip
def test_what_a_plan_has(stage, at, value):
    """The pan is what heats, not the fat that is spooned over."""
    assert planned(stage)(at) == pytest.approx(value)
    assert planned({"kind": "boil"}) is None
    assert planned({"kind": "pan", "medium_c": 200.0}, [(0.0, 200.0), (60.0, 160.0)])(30.0) == pytest.approx(180.0)


def test_silence():
    assert not silent(None, 1e6, 0.0)
    assert not silent(100.0, 100.0 + SILENT_S, 0.0)
    assert silent(100.0, 101.0 + SILENT_S, 0.0)
    assert not silent(100.0, 101.0 + SILENT_S, 200.0)  # the piece went in later: it is given time


@pytest.mark.parametrize(
    ("apart", "rate", "told"), [(-300.0, 1.0, True), (90.0, 1.0, True), (-20.0, 1.0, False), (-200.0, 60.0, False)]
)
def test_a_hubs_clock(apart, rate, told):
    """What was kept and is forwarded late is none: some of a right clock's readings come at once."""
    came = np.arange(6.0)
    assert (skewed(came, came + apart, rate) is not None) is told
    assert skewed(came, came - np.array([900.0, 700.0, 500.0, 300.0, 100.0, 1.0])) is None
    assert skewed(came[:2], came[:2] - 900.0) is None
