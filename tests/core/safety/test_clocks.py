"""The rule's clocks against one that walks from sample to sample, and the statement's own words."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ember_core.safety.clocks import TOLERANCE_C, judge, judge_all, met_times
from ember_core.safety.rules import Clause, Profile, profiles
from ember_core.wording.quantities import span


def walked(t, column, row_c, need, interpolate, broken):
    """First time satisfied and longest run of one depth: a clock that a person would keep."""
    limit, clock, longest, met = row_c - TOLERANCE_C, 0.0, 0.0, np.inf
    if need <= 0:
        for i, c in enumerate(column):
            if c >= limit:
                before = column[i - 1] if i else None
                if interpolate and i and not broken[i - 1]:
                    met = t[i] - (c - limit) / (c - before) * (t[i] - t[i - 1])
                else:
                    met = t[i]
                break
    for i in range(len(t) - 1):
        a, b, dt = column[i], column[i + 1], t[i + 1] - t[i]
        if broken[i]:
            clock = 0.0
            continue
        if a >= limit and b >= limit:
            part, begins = dt, t[i] - clock
        elif interpolate and b >= limit:
            part = (b - limit) / (b - a) * dt
            begins = t[i + 1] - part
        elif interpolate and a >= limit:
            part, begins = (limit - a) / (b - a) * dt, t[i] - clock
        else:
            part, begins = 0.0, t[i] - clock if a >= limit else t[i + 1]
        clock += part
        longest = max(longest, clock)
        if need > 0 and clock >= need - 1e-6 and (a >= limit or b >= limit) and met == np.inf:
            met = begins + need
        if b < limit:
            clock = 0.0
    return met, longest


steps = st.lists(
    st.tuples(st.integers(1, 40), st.integers(56, 66), st.integers(56, 66), st.booleans()), min_size=2, max_size=14
)


@settings(max_examples=400, deadline=None)
@given(
    steps,
    st.sampled_from([58.0, 60.0, 63.0]),
    st.sampled_from([0.0, 1.0, 15.0, 30.0, 90.0]),
    st.booleans(),
    st.booleans(),
    st.sampled_from([None, 10.0, 25.0]),
)
def test_clocks_walk_as_a_person_would(history, row_c, need, interpolate, use_breaks, apart):
    """Two depths, unequal steps, intervals that do not count, readings too far apart for the row or at all."""
    dt, one, two, breaks = zip(*history, strict=True)
    t = np.concatenate([[3.0], 3.0 + np.cumsum(dt[1:])])
    field = np.column_stack([one, two]).astype(float)
    given_breaks = np.array(breaks[1:]) if use_breaks else None
    broken = np.zeros(t.size - 1, dtype=bool) if given_breaks is None else given_breaks.copy()
    if apart is not None:
        broken |= np.diff(t) > (min(apart, need) if need > 0 else apart)
    met, longest = met_times(t, field, [(row_c, need)], interpolate=interpolate, breaks=given_breaks, apart_s=apart)
    for depth in (0, 1):
        expected = walked(t, field[:, depth], row_c, need, interpolate, broken)
        assert (met[0, depth], longest[0, depth]) == (pytest.approx(expected[0]), pytest.approx(expected[1]))
        alone = met_times(
            t, field[:, [depth]], [(row_c, need)], interpolate=interpolate, breaks=given_breaks, apart_s=apart
        )
        assert (alone[0][0, 0], alone[1][0, 0]) == (met[0, depth], longest[0, depth])


MADE = Profile("made", "Made rules", "nobody", "1", "", 1.0, (
    Clause("low", frozenset({"x"}), ((60.0, 100.0), (65.0, 30.0), (70.0, 0.0)), frozenset(), note="Well."),
    Clause("high", frozenset({"x", "y"}), ((68.0, 10.0),), frozenset()),
), guidance="")  # fmt: skip
SAID = [
    # temperatures of two depths over 0, 200 s → clause, met at, remaining, needs
    ("x", (60.0, 70.0), ("low", 100.0, 0.0, "Met. Well.")), ("x", (70.0, 71.0), ("low", 0.0, 0.0, "Met. Well.")), ("y", (68.0, 69.0), ("high", 10.0, 0.0, "Met.")),
    ("y", (67.0, 90.0), ("high", None, None, "The coldest point peaks at 67.0 °C; the clause begins at 68.0 °C for 10 s.")),
    ("x", (50.0, 90.0), ("low", None, None, "The coldest point peaks at 50.0 °C; the clause begins at 60.0 °C for 100 s.")),
    ("z", (90.0, 90.0), (None, None, None, "Made rules has no numeric cooking clause for z; follow the kitchen's own plan.")),
]  # fmt: skip


@pytest.mark.parametrize(("form", "held", "expected"), SAID)
def test_statements(form, held, expected):
    """The clause that is met or nearest, at the coldest depth."""
    rule = judge(MADE, form, np.array([0.0, 200.0]), np.array([held, held]))
    assert (rule["clause"], rule["met_at_s"], rule["remaining_s"], rule["needs"]) == expected
    assert rule["met"] is (None if expected[0] is None else expected[1] is not None)
    assert (rule["profile"], rule["edition"]) == ("made", "1")


def test_what_is_nearest():
    """The row with the least left; a clause with a row in reach before one out of reach; at the limit of reach."""
    t = np.array([0.0, 20.0])
    near = judge(MADE, "x", t, np.full((2, 1), 66.0))
    assert (near["clause"], near["remaining_s"], near["needs"]) == (
        "low",
        10.0,
        "Hold 65.0 °C for 10 s longer (30 s without a break).",
    )
    edge = judge(MADE, "x", t, np.full((2, 1), 64.95))
    assert (edge["remaining_s"], edge["needs"]) == (10.0, "Hold 65.0 °C for 10 s longer (30 s without a break).")
    below = judge(MADE, "x", t, np.full((2, 1), 64.94))
    assert (below["remaining_s"], below["needs"]) == (80.0, "Hold 60.0 °C for 80 s longer (100 s without a break).")
    uneven = judge(
        MADE,
        "x",
        np.array([0.0, 12.3456, 20.0]),
        np.array([[66.0, 66.0], [66.0, 66.0], [66.0, 59.0]]),
        interpolate=False,
    )
    assert uneven["remaining_s"] == 17.654
    crossing = judge(MADE, "y", np.array([0.0, 61.0, 99.0]), np.array([[60.3], [70.0], [70.0]]))
    assert crossing["met_at_s"] == round(61 * 7.65 / 9.7 + 10, 3)
    assert judge(MADE, "y", np.array([0.0, 9.5]), np.full((2, 1), 68.0))["remaining_s"] == 0.5
    instant = judge(MADE, "x", np.array([0.0, 60.0]), np.array([[55.0], [80.0]]), breaks={"high": np.array([True])})
    assert (instant["clause"], instant["met_at_s"]) == ("low", round(60 * (69.95 - 55) / 25, 3))
    assert judge(MADE, "x", np.array([0.0, 60.0]), np.array([[55.0], [55.0]]), breaks=np.array([True]))[
        "needs"
    ].startswith("The coldest point peaks at 55.0")
    assert (
        judge(MADE, "y", np.array([0.0, 60.0]), np.full((2, 1), 69.0), breaks={"high": np.array([True])})["met"]
        is False
    )
    assert (
        judge(MADE, "y", np.array([0.0, 60.0]), np.full((2, 1), 69.0), breaks={"low": np.array([True])})["met"] is True
    )
    assert (
        judge(profiles()["anz-fsanz-3.2.2"], "steak", t, np.full((2, 1), 60.0))["needs"]
        == profiles()["anz-fsanz-3.2.2"].guidance
    )
    assert judge(MADE, "y", t, np.full((2, 1), 69.0), clauses=[MADE.clauses[0]])["clause"] == "low"


def made(met, at=None, left=None):
    """A statement with what decides between several."""
    return {"met": met, "met_at_s": at, "remaining_s": left, "needs": "Needs.", "clause": "c"}


GRAVER = [made(True, 0.0), made(True, 5000.0), made(None), made(False, None, 0.0), made(False, None, 1e6), made(False)]


@pytest.mark.parametrize("k", range(1, 6))
def test_the_gravest_of_several_statements(k):
    """In this order, whichever comes first."""
    assert judge_all(GRAVER[: k + 1]) is GRAVER[k]
    assert judge_all(GRAVER[k::-1]) is GRAVER[k]


@pytest.mark.parametrize(
    ("seconds", "words"),
    [
        (-1, "an instant"),
        (0, "an instant"),
        (0.6, "1 s"),
        (1, "1 s"),
        (119, "119 s"),
        (120, "2 min"),
        (121, "3 min"),
        (180, "3 min"),
    ],
)
def test_durations(seconds, words):
    """Seconds below two minutes, then whole minutes, rounded up."""
    assert span(seconds) == words
