"""Bands of the trade as conditions under which they hold: common practice, no published source.

None of them states everything the answer hangs on; the sizes are what the model makes of each, held
here so that a change of the model is seen, and printed in the method's generated page.
"""

from __future__ import annotations

import pytest

from ember_core.planning.thumb import solve

# the sentence, food, heat where it states none, and the sizes (mm) for which it is true from 5 °C
PRACTICE = [
    ("4 min a side to medium", "beef-lean", 200.0, (18, 20)),
    ("3.75 min a side", "pork-loin", 190.0, (17.5, 19)),
    ("63.3 °C, 35 min", "pheasant", None, (8, 15)),
    ("simmer 5 min", "prawn", 95.0, (17, 18.5)),
    ("45 min per kg plus 20 to medium", "beef-lean", 180.0, (122, 134)),
]


@pytest.mark.parametrize(("text", "food", "heat_c", "sizes_mm"), PRACTICE, ids=lambda v: str(v))
def test_practice_holds_for_pieces_of_a_size(text, food, heat_c, sizes_mm):
    """The (last) interval within 1.5 mm, 3 mm for a joint; a fixed time allows a thicker piece from a warmer start.

    A time by mass is true for small and for large joints, not between; too long beyond, so a warmer start wants less.
    """
    answer = solve(text, food, starts_c=(5.0, 20.0), medium_c=heat_c)
    cold, warm = (r.sizes_mm for r in answer.regions[:2])
    by_mass = "per kg" in text
    assert len(cold) == (2 if by_mass else 1)
    assert cold[-1] == pytest.approx(sizes_mm, abs=3 if by_mass else 1.5)
    assert (warm[-1][1] > cold[-1][1]) is not by_mass
