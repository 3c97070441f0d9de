"""Each check on food before and after heat, exactly: met, time used, time allowed, words."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.errors import InputError, ValueRangeError
from ember_core.safety.check import rows_of
from ember_core.safety.keeping import (
    check_begin_of_chilling,
    check_cooling,
    check_egg_product,
    check_growth,
    check_holding,
    check_raw,
    check_reheating,
    check_warm,
    parasites_controlled,
    shelf_life,
    time_out_of_control,
)

US, FSIS, UK, ANZ = "us-food-code-2022", "us-fsis-appendix-a", "uk-fsa", "anz-fsanz-3.2.2"
H = 3600.0
COOL = " Reheat once to 74 °C for 15 s at the latest when the first step fails, or discard; divide into smaller pieces and use an ice bath."
APP_B = " Hold the lot and assess it for Clostridium growth under the validated plan, or discard."
LONG = " Bacteria grow and leave toxins and spores that heat does not destroy: use a thinner piece or a hotter start, and discard what was warm for so long."


def at(*pairs):
    """Times (s) and temperatures (°C)."""
    t, c = zip(*pairs, strict=True)
    return np.array(t, dtype=float), np.array(c, dtype=float)


def said(check):
    """What a check amounts to."""
    return check.code, check.met, check.used_s, check.limit_s, check.message


TABLE = [
    (lambda: check_cooling(US, *at((0, 57.1), (600, 57), (7800, 21), (22200, 5)), measured=False)[0],
     ("cooling", False, 7800, 7200, "from 57.0 °C to 21.0 °C in 2 h 10 min, allowed 2 h." + COOL)),
    (lambda: check_cooling(US, *at((0, 57), (7200, 21), (21600, 5)), measured=False)[0], ("cooling", True, 7200, 7200, "from 57.0 °C to 21.0 °C in 2 h, allowed 2 h.")),
    (lambda: check_cooling(US, *at((0, 57), (7200, 21), (21600, 5)), measured=False)[1], ("cooling", True, 21600, 21600, "from 57.0 °C to 5.0 °C in 6 h, allowed 6 h.")),
    (lambda: check_cooling(US, *at((0, 57), (7200, 21), (21601, 5)), measured=False)[1],
     ("cooling", False, 21601, 21600, "from 57.0 °C to 5.0 °C in 6 h 01 min, allowed 6 h." + COOL)),
    (lambda: check_cooling(US, *at((0, 57), (1800, 40), (5400, 20), (6000, 19)))[0],
     ("cooling", False, 5400, 7200, "from 57.0 °C to 21.0 °C: no reading for 60 min, so this is not proven." + COOL)),
    (lambda: check_cooling(US, *at((0, 57), (1800, 40), (3600, 30)))[0],
     ("cooling", False, 3600, 7200, "from 57.0 °C to 21.0 °C: still 30.0 °C after 60 min, allowed 2 h; 60 min left." + COOL)),
    (lambda: check_cooling(US, *at((0, 57), (1800, 40), (7200, 30)), measured=False)[0],
     ("cooling", False, 7200, 7200, "from 57.0 °C to 21.0 °C: still 30.0 °C after 2 h, allowed 2 h." + COOL)),
    (lambda: check_cooling(US, *at((0, 57), (1800, 20), (3600, 22), (5400, 20)))[0], ("cooling", True, 5400, 7200, "from 57.0 °C to 21.0 °C in 90 min, allowed 2 h.")),
    (lambda: check_cooling(US, *at((0, 20), (1800, 19)))[0], ("cooling", True, 0, 7200, "from 57.0 °C to 21.0 °C in an instant, allowed 2 h.")),
    (lambda: check_cooling(UK, *at((0, 60), (1800, 3.1), (6000, 3)), end_of_heat_s=-1200.0, measured=False)[0],
     ("cooling", True, 7200, 7200, "from the end of the heat to 3.0 °C in 2 h, allowed 2 h.")),
    (lambda: check_cooling(UK, *at((0, 60), (1800, 3)))[0], ("cooling", True, 1800, 7200, "from the end of the heat to 3.0 °C in 30 min, allowed 2 h.")),
    (lambda: check_cooling(FSIS, *at((0, 60), (60, 54.4), (5461, 26.7), (6000, 4.4)), measured=False)[0],
     ("cooling", False, 5461, 5400, "from 54.4 °C to 26.7 °C in 92 min, allowed 90 min." + APP_B)),
    (lambda: check_holding(US, *at((0, 57), (60, 57)), hot=True), ("holding-hot", True, 0, 0, "at or above 57 °C throughout.")),
    (lambda: check_holding(US, *at((0, 57), (60, 56.9), (120, 57)), hot=True),
     ("holding-hot", False, 120, 0, "Not at or above 57 °C for up to 2 min (56.9 °C). Bring it back at once, or use time as a control under a written procedure, or discard.")),
    (lambda: check_holding(US, *at((0, 53.9), (60, 54), (120, 54)), hot=True, roast=True),
     ("holding-hot", False, 60, 0, "Not at or above 54 °C for up to 60 s (53.9 °C). Bring it back at once, or use time as a control under a written procedure, or discard.")),
    (lambda: check_holding(ANZ, *at((0, 60), (60, 60)), hot=True, roast=True),
     ("holding-hot", True, 0, 0, "at or above 60 °C throughout.")),
    (lambda: check_holding(US, *at((0, 5), (60, 5)), hot=False), ("holding-cold", True, 0, 0, "at or below 5 °C throughout.")),
    (lambda: check_holding(US, *at((0, 5), (7200, 5.1), (7260, 5), (9000, 9)), hot=False),
     ("holding-cold", False, 9000, 0, "Not at or below 5 °C for up to 2 h 30 min (9.0 °C). Bring it back at once, or use time as a control under a written procedure, or discard.")),
    (lambda: check_begin_of_chilling(UK, 1800.0), ("begin-of-chilling", True, 1800, 1800, "Chilling begins 30 min after the heat, allowed 30 min.")),
    (lambda: check_begin_of_chilling(UK, 1801.0),
     ("begin-of-chilling", False, 1801, 1800, "Chilling begins 31 min after the heat, allowed 30 min. Chill at once, or keep it hot until then.")),
    (lambda: check_raw(US, *at((0, 5), (60, 5.1), (120, 5.1))), ("raw-too-warm", True, 120, 14400, "Raw above 5 °C for 2 min before its heat, allowed 4 h.")),
    (lambda: check_raw(US, *at((0, 6), (14401, 6))),
     ("raw-too-warm", False, 14401, 14400, "Raw above 5 °C for 4 h 01 min before its heat, allowed 4 h. Keep it colder, or temper it for less time.")),
    (lambda: check_growth(FSIS, *at((0, 10.1), (21600, 54.2))), ("come-up", True, 21600, 21600, "6 h between 10 and 54.4 °C before it is cooked, allowed 6 h.")),
    (lambda: check_growth(FSIS, *at((0, 10.1), (21601, 54.2))), ("come-up", False, 21601, 21600, "6 h 01 min between 10 and 54.4 °C before it is cooked, allowed 6 h." + LONG)),
    (lambda: check_growth(US, *at((0, 20), (100, 30))),
     ("come-up", True, 100, 21600, "100 s between 10 and 54.4 °C before it is cooked, allowed 6 h. This profile states no limit; that of US FSIS is used.")),
    (lambda: check_growth(FSIS, *at((0, 0), (200, 20), (300, 20), (400, 60))), ("come-up", True, 100 + 100 + 34.35 / 40 * 100, 21600, None)),
    (lambda: check_growth(FSIS, *at((0, 0), (200, 20), (300, 60), (400, 5)), apart_s=300.0), ("come-up", True, 300, 21600, None)),
    (lambda: check_growth(FSIS, *at((0, 60), (301, 60), (602, 60)), apart_s=300.0), ("come-up", True, 602, 21600, None)),
    (lambda: check_growth(FSIS, *at((0, 5), (301, 10), (602, 5)), apart_s=300.0), ("come-up", True, 0, 21600, None)),
    (lambda: check_growth(FSIS, *at((0, 5), (301, 10), (602, 60)), apart_s=300.0), ("come-up", True, 301, 21600, None)),
    (lambda: check_warm(US, *at((0, 54), (14401, 54)), roast=False),
     ("warm-after-cooking", False, 14401, 14400, "4 h 01 min between 5 and 54.4 °C after it is cooked, allowed 4 h. Serve it sooner, keep it hot, or chill it; discard what was warm for so long.")),
    (lambda: check_warm(US, *at((0, 54), (14401, 54)), roast=True), ("warm-after-cooking", True, 0, 14400, "an instant between 5 and 54 °C after it is cooked, allowed 4 h.")),
    (lambda: check_warm(UK, *at((0, 8.1), (7200, 8.1)), roast=True), ("warm-after-cooking", True, 7200, 7200, "2 h between 8 and 54.4 °C after it is cooked, allowed 2 h.")),
    (lambda: check_warm(FSIS, *at((0, 20), (5400, 20)), roast=False), ("warm-after-cooking", True, 5400, 5400, "90 min between 4.4 and 54.4 °C after it is cooked, allowed 90 min.")),
    (lambda: check_reheating(US, *at((0, 4), (7200, 74), (7215, 74)), purpose="hot-holding"), ("reheating", True, 15, 7200, "74 °C for 15 s or its equal after 15 s, allowed 2 h.")),
    (lambda: check_reheating(US, *at((0, 6), (7185, 74), (7200, 74)), purpose="hot-holding"), ("reheating", True, 7200, 7200, "74 °C for 15 s or its equal after 2 h, allowed 2 h.")),
    (lambda: check_reheating(US, *at((0, 6), (7186, 74), (7201, 74)), purpose="hot-holding"),
     ("reheating", False, 7201, 7200, "74 °C for 15 s or its equal after 2 h 01 min, allowed 2 h. Too slow: discard; reheat in smaller pieces or a hotter medium.")),
    (lambda: check_reheating(US, *at((0, 6), (60, 73)), purpose="hot-holding"), ("reheating", False, None, 7200, "Reached 73.0 °C; 74 °C for 15 s is required. Keep heating, or discard.")),
    (lambda: check_reheating(US, *at((0, 4), (60, 57)), purpose="commercial"), ("reheating", True, 0, 7200, "57 °C or its equal after an instant, allowed 2 h.")),
    (lambda: check_reheating(ANZ, *at((0, 6), (60, 60)), purpose="commercial"), ("reheating", True, 60, None, "60 °C or its equal after 60 s.")),
    (lambda: time_out_of_control(US, *at((0, 20), (14400, 20))),
     ("time-control", True, 14400, 14400, "4 h between 5 and 57 °C, allowed 4 h (written procedure, marked time; discard afterwards).")),
    (lambda: time_out_of_control(US, *at((0, 20), (14401, 20))),
     ("time-control", False, 14401, 14400, "4 h 01 min between 5 and 57 °C, allowed 4 h (written procedure, marked time; discard afterwards). Discard.")),
    (lambda: time_out_of_control(US, *at((0, 5), (100, 21), (21600, 21))), ("time-control", True, 21600, 21600, None)),
    (lambda: time_out_of_control(US, *at((0, 5), (100, 21.1), (21600, 21))), ("time-control", False, 21600, 14400, None)),
    (lambda: time_out_of_control(US, *at((0, 5.1), (100, 21), (21600, 21))), ("time-control", False, 21600, 14400, None)),
    (lambda: time_out_of_control(ANZ, *at((0, 20), (60, 20), (120, 4))), ("time-control", True, 120, 14400, None)),
    (lambda: parasites_controlled(US, *at((0, -20), (168 * H, -20))), ("parasites", True, None, None, "-20 °C 168.0 of 168 h; -35 °C 0.0 of 15 h; -35 °C, then -20 °C 0.0 of 24 h.")),
    (lambda: parasites_controlled(US, *at((0, -35), (15 * H, -35))), ("parasites", True, None, None, "-20 °C 15.0 of 168 h; -35 °C 15.0 of 15 h; -35 °C, then -20 °C 15.0 of 24 h.")),
    (lambda: parasites_controlled(US, *at((0, -35), (H, -20), (24 * H, -20))), ("parasites", True, None, None, "-20 °C 24.0 of 168 h; -35 °C 0.0 of 15 h; -35 °C, then -20 °C 24.0 of 24 h.")),
    (lambda: parasites_controlled(US, *at((0, -34.9), (H, -20), (24 * H, -20)))
     , ("parasites", False, None, None, "-20 °C 24.0 of 168 h; -35 °C 0.0 of 15 h; -35 °C, then -20 °C 0.0 of 24 h. Exempt: bivalves, scallop muscle, certain tunas, pellet-fed farmed fish, roe. Freeze on, or cook it through.")),
    (lambda: check_egg_product(FSIS, "yolk", *at((0, 61.1), (210, 61.1))), ("egg-product", True, 210, 210, "60 °C 7 min or 61.1 °C 4 min: held.")),
    (lambda: check_egg_product(FSIS, "yolk", *at((0, 60), (371, 60))),
     ("egg-product", False, 371, 372, "60 °C 7 min or 61.1 °C 4 min: held 7 min at 60 °C. Hold on without a break, or use pasteurised product.")),
    # between two rows nothing is interpolated
    (lambda: check_egg_product(FSIS, "yolk", *at((0, 60.6), (300, 60.6))), ("egg-product", False, 300, 372, None)),
    # the clock of a cooling starts at the last reading above; only gaps within its step are held against it
    (lambda: check_cooling(US, *at((0, 60), (600, 57.1), (2400, 40)))[0],
     ("cooling", False, 1800, 7200, "from 57.0 °C to 21.0 °C: still 40.0 °C after 30 min, allowed 2 h; 90 min left." + COOL)),
    (lambda: check_cooling(US, *at((0, 57), (7199.5, 40)), measured=False)[0],
     ("cooling", False, 7199.5, 7200, "from 57.0 °C to 21.0 °C: still 40.0 °C after 2 h, allowed 2 h; 1 s left." + COOL)),
    (lambda: check_cooling(US, *at((0, 58), (3000, 57.1), (4500, 40), (6000, 21), (9000, 5)))[0], ("cooling", True, 3000, 7200, None)),
    # at a bound is not between two of them
    (lambda: check_growth(FSIS, *at((0, 10), (3600, 10))), ("come-up", True, 0, 21600, None)),
    (lambda: check_growth(FSIS, *at((0, 54.35), (3600, 54.35))), ("come-up", True, 0, 21600, None)),
    (lambda: check_growth(FSIS, *at((0, 10), (300, 10), (600, 9)), apart_s=300.0), ("come-up", True, 0, 21600, None)),
    (lambda: check_growth(FSIS, *at((0, 54.35), (300, 60), (600, 60)), apart_s=300.0), ("come-up", True, 0, 21600, None)),
    # between two readings nothing is taken for held: a jump over the row counts from the reading above it
    (lambda: check_egg_product(FSIS, "whole", *at((0, 50), (600, 70), (700, 70))), ("egg-product", False, 100, 210, None)),
    # a reheating begins where it leaves the cold
    (lambda: check_reheating(US, *at((0, 4), (600, 5), (1200, 5.5), (1800, 6.2), (3600, 75), (3700, 75)), purpose="hot-holding"), ("reheating", True, 2415, 7200, None)),
    (lambda: check_reheating(US, *at((0, 5), (600, 20), (1200, 75), (1300, 75)), purpose="hot-holding"), ("reheating", True, 615, 7200, None)),
    (lambda: time_out_of_control(US, *at((0, 4), (3600, 4), (7200, 20), (10800, 60), (14400, 60))), ("time-control", True, 7200, 21600, None)),
    (lambda: time_out_of_control(US, *at((0, 5), (3600, 5), (7200, 57), (10800, 57))), ("time-control", True, 0, 21600, None)),
]  # fmt: skip


@pytest.mark.parametrize(("check", "expected"), TABLE)
def test_checks(check, expected):
    """Everything a check says; None where its words were seen before."""
    got, (code, met, used, limit, message) = said(check()), expected
    assert got[:2] == (code, met)
    assert got[2] == (None if used is None else pytest.approx(used))
    assert got[3] == limit
    assert message is None or got[4] == message


def test_where_a_profile_has_no_number():
    """Missing numbers are said, as care; never as met."""
    missing = [check_reheating(FSIS, *at((0, 4), (60, 75)), purpose="immediate"), time_out_of_control(FSIS, *at((0, 4), (60, 75))),
               parasites_controlled(ANZ, *at((0, -20), (60, -20))), check_egg_product(US, "whole", *at((0, 60), (900, 60))),
               check_egg_product(ANZ, "salted-yolk", *at((0, 64), (900, 64)))]  # fmt: skip
    assert [c.met for c in missing] == [None] * 5
    assert {c.finding().level for c in missing} == {"care"}
    assert check_begin_of_chilling(US, 9e9) is None
    assert shelf_life(FSIS, "pouch", 3.0)[0] is None


SHELF = [(US, "ready-to-eat", 5.0, 7), (US, "ready-to-eat", 5.1, 0), (US, "pouch", 1.0, 30), (US, "pouch", 1.1, 7), (UK, "ready-to-eat", 3.0, 5),
         (UK, "ready-to-eat", 3.1, 0), (UK, "pouch", 8.0, 10), (UK, "pouch", 8.1, 0)]  # fmt: skip


@pytest.mark.parametrize(("profile", "keep", "celsius", "days"), SHELF)
def test_shelf_life(profile, keep, celsius, days):
    """Days at a storage temperature, with the clause; warmer than every row is not kept."""
    found, words = shelf_life(profile, keep, celsius)
    assert found == days
    assert ("not kept" in words) is (days == 0)
    assert ("48 h" in words) is (days == 30)


@pytest.mark.parametrize(
    ("t", "c", "error"),
    [([0], [5], InputError), ([0, 1], [5], InputError), ([0, 0], [5, 5], ValueRangeError), ([1, 0], [5, 5], ValueRangeError),
     ([0, np.inf], [5, 5], ValueRangeError), ([0, 1], [5, np.nan], ValueRangeError), ([[0, 1]], [[5, 5]], InputError)],
)  # fmt: skip
def test_a_history_that_is_none(t, c, error):
    """Two readings or more, finite, in order."""
    with pytest.raises(error):
        check_holding(US, np.array(t, dtype=float), np.array(c, dtype=float), hot=True)


def test_unknown_names():
    """Profiles, purposes and products that do not exist."""
    for call in (lambda: rows_of("cooling", "nowhere"), lambda: check_reheating(US, *at((0, 4), (60, 75)), purpose="lunch"),
                 lambda: check_egg_product(US, "shell", *at((0, 4), (60, 75)))):  # fmt: skip
        with pytest.raises(InputError):
            call()
    assert rows_of("parasites", UK) == rows_of("parasites", "eu-853-2004")
    assert rows_of("cooling", "house") == rows_of("cooling", US)


def test_a_time_twice_in_a_long_history():
    """One double is enough to refuse it."""
    with pytest.raises(ValueRangeError, match="must increase"):
        check_holding(US, *at((0, 60), (60, 60), (60, 60), (120, 60)), hot=True)
