"""A breakfast of eggs: what is read, when each batch goes in, and in which pot."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from itertools import combinations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.eggs.breakfast import MOST_BATCHES, Batch, pots, read, timed
from ember_core.eggs.question import EggQuestion
from ember_core.errors import EmberError

MIDNIGHT = datetime(2026, 12, 5, tzinfo=UTC)
HERE = EggQuestion(altitude_m=1850.0)


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("12 soft 7:30", [Batch(12, "shell", "syrupy", 450)]),
        ("12 soft 7:30, 6 hard 8:00, 8 poached 8:30", [Batch(12, "shell", "syrupy", 450), Batch(6, "shell", "dry", 480), Batch(8, "poached", "runny", 510)]),
        ("4 x jammy eggs at 7.15\n2 poached jammy 9", [Batch(4, "shell", "jammy", 435), Batch(2, "poached", "jammy", 540)]),
        (" 3 BOILED soft 07h05 ;", [Batch(3, "shell", "syrupy", 425)]),
    ],
)  # fmt: skip
def test_what_is_read(text, found):
    assert list(read(text)) == found


@pytest.mark.parametrize(
    "text",
    [
        "",
        "soft 7:30",
        "12 soft",
        "12 soft 25:00",
        "12 soft 7:61",
        "0 soft 7:30",
        "12 green 7:30",
        "12 eggs 7:30",
        "1 soft hard 7:30",
        ", ".join(["1 soft 7:00"] * (MOST_BATCHES + 1)),
    ],
)
def test_what_is_no_batch_is_said(text):
    with pytest.raises(EmberError) as told:
        read(text)
    assert told.value.path == "batches"


@given(st.text(max_size=40))
def test_any_text_is_answered(text):
    try:
        assert read(text)
    except EmberError as error:
        told = str(error.message)
    else:
        return
    assert "12 soft 7:30" in told


def test_a_breakfast_at_1850_m():
    """Each batch is on its plate at its minute; those in the water together have pots of their own, and no pot holds two kinds."""
    found = timed(read("12 soft 7:30, 6 hard 7:35, 8 poached 7:30, 10 soft 8:00"), HERE, MIDNIGHT)
    assert [t.in_at for t in found] == sorted(t.in_at for t in found)
    for t in found:
        assert t.plate_at == MIDNIGHT + timedelta(minutes=t.batch.minute)
        assert t.in_at < t.out_at < t.plate_at
        assert t.answer.reached
    for a, b in combinations(found, 2):
        together = a.in_at < b.out_at and b.in_at < a.out_at
        assert a.pot != b.pot or (not together and a.batch.how == b.batch.how)
    soft = [t for t in found if t.batch.yolk == "syrupy"]
    assert len({t.pot for t in found if t.batch.how == "shell"}) == 2  # the later one takes a pot that is free again
    assert soft[0].answer.minutes > 6.5  # not the usual six, here
    needed = pots(found)
    assert [n for n, _, _ in needed] == list(range(1, len(needed) + 1))
    assert all(litres >= 2.0 for _, _, litres in needed)
