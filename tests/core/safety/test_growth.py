"""Growth while food is warm: against the schedules that are meant to keep it within tenfold, and what must hold anyway."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.data.loader import read_toml
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.safety.growth import WORTH_LOG10, Growth, grown, growth, growth_findings, living_and_all, rate
from tests.conftest import plan_document

LN2 = np.log(2.0)


def course(points, step_s=20.0):
    """Hours and °C as a fine history."""
    t = np.arange(0.0, points[-1][0] * 3600.0 + step_s, step_s)
    return t, np.interp(t, [3600.0 * h for h, _ in points], [c for _, c in points])


@pytest.mark.parametrize(
    ("points", "within"),
    [
        ([(0, 54.4), (1.5, 26.7), (6.5, 4.4)], True),  # FSIS Appendix B
        ([(0, 57.2), (2, 21.0), (6, 5.0)], True),  # Food Code 3-501.14
        ([(0, 60.0), (2, 21.0), (6, 5.0)], True),  # FSANZ 3.2.2
        ([(0, 63.0), (1.5, 3.0)], True),  # UK cook-chill, from the end of its half hour
        ([(0, 54.4), (4, 26.7), (9, 4.4)], False),
        ([(0, 54.4), (12, 7.2)], False),
        ([(0, 40.0), (5, 40.0)], False),
    ],
)
def test_schedules_for_cooling_keep_within_tenfold(points, within):
    """Their authorities' criterion: no more than 1 log10 of C. perfringens."""
    assert (grown(*course(points)) < 1.0) is np.bool_(within)


# doubling times in cooked meat, min: 8 to 9 at its best, 10 to 15 at 37 °C, half to one hour at 25 °C, over an hour at 20 °C; Huang 2003 and
# Juneja 1999, orders of magnitude from memory
@pytest.mark.parametrize(
    ("t_c", "low", "high"), [(45, 7.5, 9.5), (37, 10, 15), (25, 30, 60), (20, 60, 180), (15, 180, 900)]
)
def test_doubling_times(t_c, low, high):
    assert low < 60.0 * LN2 / float(rate(t_c)) < high


def test_none_grows_outside_its_span():
    assert rate(np.array([-5.0, 4.0, 10.0, 52.3, 60.0, 95.0])) == pytest.approx(0.0)


@given(st.floats(12, 50), st.floats(0.5, 30))
def test_at_one_temperature_it_is_a_lag_and_then_a_straight_line(t_c, hours):
    """Baranyi & Roberts 1994: after the lag, each hour adds the rate."""
    t, c = course([(0, t_c), (hours, t_c)])
    work = float(rate(t_c)) * t[-1] / 3600.0
    found = grown(t, c) * np.log(10.0)
    assert found == pytest.approx(max(work - 4.0, 0.0), abs=0.75)
    assert 0.0 <= found <= work + 1e-9


def test_heat_that_kills_begins_anew():
    """An hour at 65 °C leaves none of what grew on the way up; four hours at 55 °C neither, one hour does."""
    up = [(0, 5), (0.1, 40), (3, 40)]
    after = grown(*course([(0, 65), (0.2, 40), (2.0, 40)]))
    assert after > 0.3
    assert grown(*course([*up, (3.2, 65), (4.2, 65), (4.4, 40), (6.2, 40)])) == pytest.approx(after, abs=0.15)
    left = [grown(*course([*up, (3.1, 55), (3.1 + hours, 55)])) for hours in (1.0, 4.0)]
    assert left[0] > 3.0
    assert left[1] == pytest.approx(0.0, abs=0.01)


@pytest.mark.parametrize(
    ("thick", "chill", "many"), [(50, {"variant": "ice-water", "medium_c": 1}, False), (140, {"medium_c": 4}, True)]
)
def test_a_thick_piece_left_to_the_fridge(thick, chill, many):
    """Through iced water within tenfold, in the fridge's air far beyond; the model says so and the clause decides."""
    piece = {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": thick}, "start_c": 5}
    stages = [
        {"kind": "bath", "minutes": 900, "medium_c": 75},
        {"kind": "chill", "minutes": 2000, "until": {"core_c": 4.5}, **chill},
    ]
    result = compute(parse(plan_document(piece=piece, stages=stages, rules="us-food-code-2022"))).result
    levels = {f["code"]: f["level"] for f in result["findings"] if f["code"] in {"growth", "cooling"}}
    assert (levels.get("growth") == "care") is many
    assert (result["growth"]["log10"] > 3.0) is many
    assert result["rule"]["met"] is (levels["cooling"] != "stop")
    assert levels["cooling"] == ("stop" if many else "note")


@pytest.mark.parametrize(("hours", "level"), [(0.5, None), (1.05, "note"), (1.5, "care"), (5.0, "care")])
def test_words_by_how_much(hours, level):
    """At 45 °C; a model advises, it stops nothing."""
    found = growth_findings(growth(np.linspace(0, 3600 * hours, 9), np.full((9, 1), 45.0)))
    assert [f.level for f in found] == ([] if level is None else [level])
    assert level is None or ("thousandfold" in str(found[0].message)) is (hours > 4)


def test_one_moment_grows_nothing():
    assert living_and_all(np.array([0.0]), np.array([[45.0]])) == (0.0, 0.0)
    assert living_and_all(np.array([0.0, 7200.0]), np.array([[45.0], [45.0]]))[0] > 0.0


@pytest.mark.parametrize(("c", "within"), [(10.0, 0.0), (10.1, 3600.0), (54.3, 3600.0), (54.4, 0.0)])
def test_the_range_begins_and_ends_outside_of_its_limits(c, within):
    assert growth(np.array([0.0, 3600.0]), np.full((2, 1), c)).range_s == within


@pytest.mark.parametrize(("log10", "codes"), [(WORTH_LOG10, ["growth"]), (WORTH_LOG10 - 1e-3, [])])
def test_what_is_worth_a_word(log10, codes):
    assert [f.code for f in growth_findings(Growth(log10, 0.0, log10))] == codes


def test_at_the_top_of_its_span_it_is_killed_slowly():
    """Held exactly there for days, what grew is gone; what it made stands."""
    row = read_toml("growth.toml")["c-perfringens"]
    t = np.array([0.0, 3.0 * 3600.0, 3.0 * 3600.0 + 60.0, 1000.0 * 3600.0])
    c = np.array([[45.0], [45.0], [row["high_c"]], [row["high_c"]]])
    living, all_of_it = living_and_all(t, c)
    assert living == 0.0
    assert all_of_it > 1.0
