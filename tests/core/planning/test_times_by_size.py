"""Times over sizes and targets: every cell is the plan's own, and what makes no table is refused by name."""

from __future__ import annotations

import pytest

from ember_core.entry.sentence import Sentence
from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.planning.times_by_size import (
    MAX_SIZES,
    Cell,
    by_mass,
    check_times_table,
    proposed_sizes,
    resize_sentence,
    rows_of,
    times_by_size,
)

CUTS = ["bavette", "chicken-breast", "whole-chicken", "salmon-fillet"]


@pytest.fixture(params=["bavette", "chicken-breast"])
def sentence(request):
    return Sentence.for_cut(request.param)


def test_a_cell_is_what_its_plan_says(sentence):
    """The same numbers as the plan of that size, whose heat begins with the first stage that heats."""
    size, target = sentence.size_mm + 4.0, sentence.target_c + 1.0
    (cell,) = times_by_size(sentence, [size], [target], likely=False)
    cook = compute(parse(resize_sentence(sentence, size, target).document()), with_forecast=False, advice=False).cook
    assert cell.total_s == cook.stages[-1].end_s
    assert cell.heat_s == pytest.approx(cook.pull_s)
    assert (cell.earliest_s, cell.latest_s, cell.error) == (None, None, "")


def test_thicker_takes_longer_and_hotter_too(sentence):
    cells = times_by_size(sentence, [20.0, 30.0], [sentence.target_c, sentence.target_c + 3.0], likely=False)
    (_, thin), (_, thick) = rows_of([c.as_dict() for c in cells])
    assert all(a["heat_s"] < b["heat_s"] for a, b in zip(thin, thick, strict=True))
    assert all(row[0]["heat_s"] < row[1]["heat_s"] for row in (thin, thick))


def test_the_likely_ones_lie_around_it():
    (cell,) = times_by_size(Sentence.for_cut("bavette"), [28.0], [55.0])
    assert 0 < cell.earliest_s < cell.heat_s < cell.latest_s
    assert cell.state


def test_before_is_no_heat():
    """What stands in the air before does not count as time on heat, and counts in all."""
    plain = Sentence.for_cut("bavette")
    tempered = Sentence.for_cut("bavette", temper_min=30.0)
    (before,), (after,) = (times_by_size(s, [28.0], [55.0], likely=False) for s in (plain, tempered))
    assert after.total_s - after.heat_s == pytest.approx(before.total_s - before.heat_s + 1800.0, abs=1.0)
    assert after.heat_s < before.heat_s  # it began warmer


def test_a_bird_is_told_by_its_mass():
    bird = next(s for c in CUTS if by_mass(s := _known(c)))
    sizes = proposed_sizes(bird)
    assert all(s >= 50 for s in sizes)
    heavier = resize_sentence(bird, 2400.0, bird.target_c)
    assert heavier.mass_g == 2400.0
    assert heavier.size_mm > bird.size_mm or bird.mass_g > 2400.0


def _known(cut):
    try:
        return Sentence.for_cut(cut)
    except KeyError:
        return Sentence.for_cut("bavette")


@pytest.mark.parametrize("size", [8.0, 14.0, 28.0, 60.0, 120.0])
def test_proposed_sizes_are_round_few_and_around_the_own(size):
    found = proposed_sizes(Sentence.for_cut("bavette", size_mm=size))
    assert 3 <= len(found) <= MAX_SIZES
    assert found[0] < size < found[-1]
    assert all(s == round(s) for s in found)


def test_what_cannot_be_computed_says_why_and_the_others_are_there():
    cells = times_by_size(Sentence.for_cut("bavette"), [28.0, 400.0], [55.0], likely=False)
    assert cells[0].error == ""
    assert cells[1].error.startswith("Not reached")
    assert cells[1].heat_s is None
    (cold,) = times_by_size(Sentence.for_cut("bavette"), [28.0], [0.0], likely=False)
    assert cold.error.startswith("Overshot")


REFUSED = [
    ([], [55.0], "sizes"), ([20.0] * (MAX_SIZES + 1), [55.0], "sizes"), ([0.0], [55.0], "sizes"), ([401.0], [55.0], "sizes"), ([float("nan")], [55.0], "sizes"),
    ([20.0], [], "targets"), ([20.0], [101.0], "targets"), ([20.0], [-1.0], "targets"), ([20.0], [1, 2, 3, 4, 5, 6], "targets"),
]  # fmt: skip


@pytest.mark.parametrize(("sizes", "targets", "path"), REFUSED)
def test_what_makes_no_table_is_refused_by_name(sizes, targets, path):
    with pytest.raises(InputError) as refused:
        check_times_table(Sentence.for_cut("bavette"), sizes, targets)
    assert refused.value.path == path


def test_stages_of_ones_own_have_no_other_sizes():
    from dataclasses import replace

    with pytest.raises(InputError) as refused:
        check_times_table(replace(Sentence.for_cut("bavette"), way="file"), [20.0], [55.0])
    assert refused.value.path == "way"


def test_what_a_report_raises_ends_it_there():
    told = []

    def report(done, of):
        told.append((done, of))
        if done == 2:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        times_by_size(Sentence.for_cut("bavette"), [20.0, 25.0, 30.0], [55.0], likely=False, report=report)
    assert told == [(0, 3), (1, 3), (2, 3)]


def test_a_cell_is_plain_for_a_store():
    assert Cell(20.0, 55.0).as_dict()["heat_s"] is None
