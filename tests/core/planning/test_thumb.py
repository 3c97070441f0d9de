"""Rules of thumb: reading them, and finding where they are true."""

from __future__ import annotations

import pytest

from ember_core.errors import FormatError, InputError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.planning.thumb import _document, mass_kg, read, solve


@pytest.mark.parametrize(
    ("text", "kind", "minutes", "medium_c", "a_side", "per_kg", "doneness"),
    [
        ("63.3 °C, 35 min", "bath", 35, 63.3, False, None, None),
        ("4 min a side to medium", "pan", 4, None, True, None, "medium"),
        ("20 min per kg plus 20", "oven", 20, None, False, 20, None),
        ("bath 85 °C for 12 h", "bath", 720, 85, False, None, None),
        ("grill 3,5 minutes each side", "grill", 3.5, None, True, None, None),
        ("oven 375 F, 12 minutes", "oven", 12, 190.56, False, None, None),
        ("12 min at 110", "oven", 12, 110, False, None, None),
        ("35 minutes at 63.3", "bath", 35, 63.3, False, None, None),
        ("20 minutes per lb plus 20 at 350", "oven", 20, 176.67, False, 44.0925, None),
        ("20 min a pound and 20", "oven", 20, None, False, 44.0925, None),
        ("1 hour per kg at 160", "oven", 0, 160, False, 60, None),
        ("15 min each 500 g plus 15 at 180 degrees", "oven", 15, 180, False, 30, None),
        ("20 min per kg plus 20 at 180", "oven", 20, 180, False, 20, None),
        ("4 min a side at 200 to medium", "pan", 4, 200, True, None, "medium"),
    ],
)
def test_reading(text, kind, minutes, medium_c, a_side, per_kg, doneness):
    """Times, heats, sides, masses and names."""
    stated = read(text)
    assert (stated.kind, stated.minutes, stated.a_side, stated.per_kg, stated.doneness) == (
        kind,
        minutes,
        a_side,
        None if per_kg is None else pytest.approx(per_kg, rel=1e-5),
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


def test_a_time_by_mass_is_solved_at_its_heat_and_for_the_bird_it_is_said_of():
    """The stated heat is used; a whole bird goes by its mass, and so does what is said of it."""
    answer = solve("40 min per kg plus 10 at 190", "chicken-whole", starts_c=(4.0,), points=9)
    region = answer.regions[0]
    assert region.medium_c == 190.0
    assert (answer.low_c, answer.high_c) == (72.0, 76.0)
    ((small, large),) = region.sizes_mm
    masses = [mass_kg(answer.stated, "chicken-whole", mm) for mm in (small, large)]
    assert 0.3 < masses[0] < masses[1] < 4.0
    assert "kg" in answer.words or " g" in answer.words
    document = _document(answer.stated, "chicken-whole", small, 4.0, 190.0, 1.5, 0.0)
    assert document["piece"]["shape"] == {"kind": "bird", "mass_g": pytest.approx(1000.0 * masses[0], abs=0.1)}
    assert document["stages"][0]["minutes"] == pytest.approx(40.0 * masses[0] + 10.0, rel=1e-3)
