"""Pieces in a pan: how many, in how many batches, in which order."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.planning.batches import FLAT, GAP_MM, in_pan, that_fit

HAKE = shipped().cuts["hake-loin"]


def pan_of(cut, count, way="hot-pan-basted", **known):
    """A plan's pieces in the usual pan."""
    plan = parse(Sentence.for_cut(cut, way=way, count=count).document())
    return in_pan(plan, shipped().cuts[cut], **known)


def test_a_30_cm_pan_takes_four_thick_fish_portions():
    """Common practice, no published source."""
    assert that_fit(300.0, HAKE["length_mm"], HAKE["width_mm"]) == 4


@given(st.floats(160, 500), st.floats(30, 200), st.floats(20, 120))
def test_what_fits_leaves_gaps(pan, length, width):
    """More in a wider pan, never more than the bottom's area, at least one."""
    fits = that_fit(pan, length, width)
    assert fits >= 1
    assert that_fit(pan * 1.3, length, width) >= fits
    assert fits == 1 or fits * length * width <= math.pi * (FLAT * pan / 2 + GAP_MM / 2) ** 2


@pytest.mark.parametrize(("count", "batches"), [(2, (2,)), (4, (4,)), (5, (3, 2)), (9, (3, 3, 3)), (12, (4, 4, 4))])
def test_batches_are_even(count, batches):
    """All pieces, none larger than what fits; the ring holds the largest batch, each with its own place and turn."""
    found = pan_of("hake-loin", count, places=4)
    assert found.batches == batches
    assert [p.order for p in found.places] == list(range(1, batches[0] + 1))
    assert len({(round(p.x_mm), round(p.y_mm)) for p in found.places}) == batches[0]
    assert all(math.hypot(p.x_mm, p.y_mm) <= FLAT * found.pan_mm / 2 for p in found.places)


def test_where_there_is_no_ring():
    """One piece, an oven, a cut without its lengths."""
    assert pan_of("hake-loin", 1) is None
    assert pan_of("hake-loin", 6, way="hot-oven") is None
    assert pan_of("rabbit-saddle", 6, way="pan-rolled") is None
    assert pan_of("scallop", 8) is None or pan_of("scallop", 8).fits >= 4
