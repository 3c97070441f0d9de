"""Rules of thumb: reading them, and finding where they are true."""

from __future__ import annotations

import pytest

from ember_core.errors import FormatError, InputError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.planning.thumb import _document, read, solve


@pytest.mark.parametrize(
    ("text", "kind", "minutes", "medium_c", "a_side", "per_kg", "doneness"),
    [
        ("63.3 °C, 35 min", "bath", 35, 63.3, False, None, None),
        ("4 min a side to medium", "pan", 4, None, True, None, "medium"),
        ("20 min per kg plus 20", "oven", 20, None, False, 20, None),
        ("bath 85 °C for 12 h", "bath", 720, 85, False, None, None),
        ("grill 3,5 minutes each side", "grill", 3.5, None, True, None, None),
        ("oven 375 F, 12 minutes", "oven", 12, 190.56, False, None, None),
    ],
)
def test_reading(text, kind, minutes, medium_c, a_side, per_kg, doneness):
    """Times, heats, sides, masses and names."""
    stated = read(text)
    assert (stated.kind, stated.minutes, stated.a_side, stated.per_kg, stated.doneness) == (
        kind,
        minutes,
        a_side,
        per_kg,
        doneness,
    )
    assert stated.medium_c == (None if medium_c is None else pytest.approx(medium_c, abs=0.01))
    assert ("heat" in stated.missing) is (medium_c is None)


@pytest.mark.parametrize("text", ["until done", "3 min, then 5 min", ""])
def test_what_states_no_time_is_refused(text):
    """The error shows how to write one."""
    with pytest.raises(FormatError, match="a side to medium"):
        read(text)


def test_the_ends_of_the_region_are_where_it_stops_being_true():
    """Inside the interval the promise holds, just outside it does not: cooked anew on the fine grid."""
    answer = solve("4 min a side to medium", "beef-lean", starts_c=(5.0,), medium_c=200.0)
    region = answer.regions[0]
    ((low_mm, high_mm),) = region.sizes_mm

    def peak(size):
        plan = parse(_document(answer.stated, "beef-lean", size, 5.0, 200.0, 1.5, 0.0))
        return run(plan, setup(plan)).peak_core_c

    assert answer.low_c - 0.7 <= peak(0.5 * (low_mm + high_mm)) <= answer.high_c + 0.7
    assert peak(low_mm * 0.9) > answer.high_c
    assert peak(high_mm * 1.1) < answer.low_c
    assert region.thinner_c > answer.high_c > answer.low_c > region.thicker_c


def test_warmer_starts_and_hotter_pans_allow_thicker_pieces():
    """The interval moves the way heat does; without a stated heat it is varied."""
    answer = solve("4 min a side to medium", "beef-lean", starts_c=(4.0, 20.0))
    cold, warm, cooler, hotter = (r.sizes_mm[0] for r in answer.regions)
    assert cold[1] < warm[1]
    assert cooler[1] < cold[1] < hotter[1]
    assert set(answer.missing) == {"size", "start temperature", "heat"}


def test_the_game_bird_band():
    """63.3 °C for 35 min reaches its bath only up to about 15 mm (common practice, no published source; computed)."""
    answer = solve("63.3 °C, 35 min", "pheasant", starts_c=(5.0,))
    assert answer.regions[0].sizes_mm[0][1] == pytest.approx(15, abs=1.5)
    assert "mm" in answer.words


def test_a_rule_that_is_never_true_says_so():
    """No size: said in words, with the range looked at; unknown names are refused."""
    answer = solve("oven 60 °C, 3 min to well done", "beef-lean", starts_c=(4.0,))
    assert answer.regions[0].sizes_mm == ()
    assert "no size" in answer.words
    with pytest.raises(InputError, match="doneness"):
        solve("4 min a side to fluffy", "beef-lean")
    with pytest.raises(InputError, match="food"):
        solve("4 min a side", "unicorn")
