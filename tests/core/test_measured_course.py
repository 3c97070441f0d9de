"""What a log shows after the heat, at the second and the kelvin where it turns."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.plan.log import Log
from ember_core.safety.measured import judge_log


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
