"""What would meet the rule, what if, and how thick it may be: each answer is what the changed plan gives."""

from __future__ import annotations

from dataclasses import replace

import pytest

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.planning.routes import STEP_C, changes, is_met
from ember_core.planning.what_if import cooked, grid, thickest, values

BOOK = shipped()


def met(sentence):
    """Whether the sentence as it stands is met, on the fine grid."""
    return is_met(compute(parse(sentence.document()), with_forecast=False), sentence.guests)


@pytest.mark.parametrize(
    ("cut", "known", "kinds"),
    [
        ("pork-chop", {"target_c": 58.0}, {"target"}),
        ("bavette", {"way": "bath"}, {"target", "way"}),
        (
            "chicken-breast",
            {"way": "bath", "target_c": 61.0, "rules": "us-fsis-appendix-a", "size_mm": 20.0},
            {"target", "minutes"},
        ),
        ("guinea-fowl-supreme", {"way": "bath", "target_c": 61.0}, {"target"}),
        ("hake-loin", {}, {"target", "done"}),
    ],
)
def test_changes_meet_the_rule_and_smaller_ones_do_not(cut, known, kinds):
    """Each is proved; half a degree less, or minutes less, is not enough."""
    sentence = Sentence.for_cut(cut, **known)
    assert not met(sentence)
    found = {c.kind: c for c in changes(sentence, BOOK)}
    assert set(found) == kinds
    assert all(met(c.sentence) for c in found.values() if c.kind != "done")  # that one may be served with an advisory
    target = found["target"].sentence.target_c
    assert not met(replace(sentence, target_c=target - STEP_C))
    if "minutes" in found:
        assert found["minutes"].sentence.target_c == sentence.target_c
        assert not met(replace(sentence, minutes=found["minutes"].sentence.minutes - 3.0))
    if "way" in found:
        assert found["way"].sentence.target_c == sentence.target_c


def test_nothing_is_offered_where_it_is_met_or_nothing_helps():
    """A seared steak is met; poultry that is out for hours in the heat is not mended by more heat."""
    assert changes(Sentence.for_cut("bavette"), BOOK) == ()
    warm = Sentence.for_cut("chicken-breast", way="bath", temper_min=600.0, air_c=35.0)
    assert not met(warm)
    found = changes(warm, BOOK)
    assert [c.kind for c in found] == ["temper"]
    assert found[0].sentence.temper_min == 0.0


def test_three_by_three():
    """Thicker takes longer, warmer takes less; the middle says what the plan itself says."""
    sentence = Sentence.for_cut("bavette")
    rows = grid(sentence, "size_mm", "start_c")
    assert [[c.across for c in row] for row in rows] == [[23.8, 28.0, 32.2]] * 3
    assert [row[0].down for row in rows] == [0.0, 4.0, 12.0]
    times = [[c.total_s for c in row] for row in rows]
    assert all(row == sorted(row) for row in times)
    assert all(list(column) == sorted(column, reverse=True) for column in zip(*times, strict=True))
    assert rows[1][1].total_s == pytest.approx(
        compute(parse(sentence.document()), with_forecast=False).cook.stages[-1].end_s
    )
    assert values("start_c", -18.0, sentence) == (-26.0, -18.0, -10.0)


def test_what_cannot_be_computed_is_an_empty_cell():
    """One neighbour that fails leaves the others."""
    rows = grid(Sentence.for_cut("asparagus", way="blanch-and-shock"), "heat_c", "size_mm", 94.0)
    assert rows[0][0].cook is None
    assert rows[0][1].cook is not None


@pytest.mark.parametrize("minutes", [12.0, 20.0, 45.0])
def test_how_thick_it_may_be(minutes):
    """The answer is ready in time, a millimetre more is not."""
    sentence = Sentence.for_cut("bavette")
    size = thickest(sentence, 60.0 * minutes)

    def total(mm):
        return cooked(replace(sentence, size_mm=mm, mass_g=None)).stages[-1].end_s / 60.0

    assert total(size) <= minutes < total(size + 1.0)
    assert thickest(sentence, 60.0) is None
