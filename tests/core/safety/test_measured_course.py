"""What a log shows after the heat, at the second and the kelvin where it turns."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.plan.log import Log
from ember_core.safety.clocks import TOLERANCE_C
from ember_core.safety.measured import COOLED_C, judge_log


def log(*points, apart=200):
    """A log that runs straight between (s, °C), every ``apart`` s and at the points."""
    t, c = (np.array(x, dtype=float) for x in zip(*points, strict=True))
    every = np.union1d(np.arange(t[0], t[-1] + 1, apart), t)
    return Log(tuple(every.tolist()), tuple(np.interp(every, t, c).tolist()))


def codes(history, rules="uk-fsa", food="chicken-breast", form=None):
    """Codes of the findings that are stops or cares."""
    return {
        f["code"] for f in judge_log(history, rules=rules, food=food, form=form)["findings"] if f["level"] != "note"
    }


def chilled(hot_c, begins_s, chill_s):
    """Cooked at 75 °C, at ``hot_c`` for the last time at ``begins_s``, and at 3 °C ``chill_s`` later."""
    return log(
        (0, 5),
        (1200, 75),
        (1600, 75),
        (begins_s, hot_c),
        (begins_s + 1, hot_c - 0.2),
        (begins_s + chill_s, 3),
        (begins_s + chill_s + 60, 3),
    )


COOLING = [
    # the clock of the UK's two hours starts at the last reading of 57 °C or more
    (chilled(57.0, 2400, 7200), False), (chilled(57.0, 2400, 7205), True), (chilled(58.0, 2400, 7205), True),
    (chilled(57.9, 2400, 7199), False),
]  # fmt: skip


@pytest.mark.parametrize(("history", "late"), COOLING)
def test_the_cooling_clock(history, late):
    """A second decides."""
    assert ("cooling" in codes(history)) is late


def test_the_clock_of_a_piece_that_was_never_hot():
    """With 56 °C at the most it starts at the last reading within one kelvin of that."""

    def cool(chill_s):
        return log((0, 5), (1200, 56), (9000, 56), (9400, 55), (9401, 54.9), (9400 + chill_s, 3), (9500 + chill_s, 3))

    assert "cooling" not in codes(cool(7200), food="beef-lean")
    assert "cooling" in codes(cool(7205), food="beef-lean")


STANDS = [
    # a roast may stand at 54 °C in the United States, other food at 54.4 as warm from cooking; below, cooling is asked for
    ("us-food-code-2022", "beef-lean", "roast", 54.0, False), ("us-food-code-2022", "beef-lean", "roast", 53.9, True),
    ("us-food-code-2022", "beef-lean", None, 54.4, False), ("us-food-code-2022", "beef-lean", None, 54.2, True),
]  # fmt: skip


@pytest.mark.parametrize(("rules", "food", "form", "stands_c", "long"), STANDS)
def test_what_stands_warm(rules, food, form, stands_c, long):
    """Five hours warm after it is cooked: allowed at the holding temperature, too long below it."""
    history = log((0, 5), (2400, 66), (4000, 66), (5000, stands_c), (23500, stands_c))
    found = codes(history, rules=rules, food=food, form=form)
    assert bool({"warm-after-cooking", "cooling"} & found) is long


def test_between_readings_nothing_is_taken_for_held():
    """63 °C is read for 11 s; drawn straight between the readings it would have been 15, and met."""
    t, c = (0, 30, 60, 90, 110, 121, 135), (55, 57, 59.5, 62, 64, 64, 61)
    history = Log(tuple(map(float, t)), tuple(map(float, c)))
    rule = judge_log(history, rules="us-food-code-2022", food="white-fish", form=None)["rule"]
    assert (rule["met"], rule["remaining_s"]) == (False, pytest.approx(4.0))


def readings(t, c, medium=None):
    """A log of just these readings."""
    return Log(tuple(map(float, t)), tuple(map(float, c)), (), tuple(map(float, medium)) if medium else ())


def back_at(end_c, end_s):
    """Cooked at 75 °C, at 30 °C from 1,800 s on, and back at ``end_c`` at ``end_s``."""
    return log((0, 5), (1200, 75), (1600, 75), (1800, 30), (end_s - 100, 30), (end_s, end_c))


WARM = [
    # cooking on begins at 54.4 °C, within the readings' tolerance; what lies before it was warm, to the last reading
    (back_at(54.4, 19800), True), (back_at(COOLED_C - TOLERANCE_C, 19800), True), (back_at(54.3, 19800), False),
    (back_at(60, 16100), True), (back_at(60, 15900), False),
    # two readings are enough: hot and cooked, and still hot five hours later, with nothing between
    (readings([*range(0, 1400, 200), 19200], [*np.linspace(5, 75, 7), 60]), True),
]  # fmt: skip


@pytest.mark.parametrize(("history", "warm"), WARM)
def test_warm_after_it_was_cooked(history, warm):
    """Four hours, counted up to the last reading at which it cooks on."""
    assert ("warm-after-cooking" in codes(history, rules="us-food-code-2022")) is warm


HOT_UNTIL = readings([*range(0, 1400, 200), 1500], [*np.linspace(5, 75, 7), 57])


def test_two_readings_show_that_cooling_was_too_slow():
    """The last hot one and a cold one three hours later; kept at 54.35 °C it has not begun to cool."""
    late = readings([*HOT_UNTIL.t_s, 12300], [*HOT_UNTIL.core_c, 20])
    kept = readings([*HOT_UNTIL.t_s, *range(1700, 12400, 200)], [*HOT_UNTIL.core_c, *[COOLED_C - TOLERANCE_C] * 54])
    assert "cooling" in codes(late)
    assert "cooling" not in codes(kept)


def test_the_clock_of_a_piece_that_was_never_hot_stops_within_a_kelvin():
    """A reading 1.5 K under its most is later, and not yet the start of cooling."""
    history = log((0, 5), (1200, 56), (9000, 56), (9400, 55), (9450, 54.5), (16605, 3), (16705, 3))
    assert "cooling" in codes(history, food="beef-lean")


def test_two_readings_of_which_it_cannot_be_told():
    """Hot against a cold medium: neither met nor not met; with one of the two impossible it is not met."""

    def met(*core):
        return judge_log(
            readings([0, 60], core, medium=[30, 30]), rules="us-food-code-2022", food="chicken-breast", form=None
        )["rule"]["met"]

    assert met(75, 75) is None
    assert met(75, 110) is False


def test_guidance_is_judged_by_readings_not_between_them():
    """70 °C for 2 min is held between readings that show it, not by the slopes before the first and after the last."""

    def level(*core, apart):
        history = readings([apart * k for k in range(len(core))], core)
        found = judge_log(history, rules="anz-fsanz-3.2.2", food="chicken-breast", form=None)["findings"]
        return [f["level"] for f in found if f["code"] == "guidance"]

    assert level(60, 74.9, 60, apart=200) == ["stop"]
    assert level(60, 72, 72, 60, apart=100) == ["stop"]
    assert level(60, 72, 72, 72, 60, apart=60) == ["note"]
