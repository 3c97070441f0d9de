"""What a core is called: one word for each, the same on a plan and on the line, by the set that is asked."""

from __future__ import annotations

import math
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from ember_core.book.book import shipped
from ember_core.book.doneness import doneness_at, doneness_spans, read_names
from ember_core.data.loader import read_toml
from ember_core.entry.sentence import Sentence
from ember_core.formats.plan import parse
from ember_core.running.state import words_of

SETS = {
    k: tuple((n, float(c)) for n, c in row["names"]) for k, row in read_toml("doneness.toml").items() if "names" in row
}
RISING = st.lists(st.floats(20, 95), min_size=1, max_size=8, unique=True).map(
    lambda xs: tuple((f"n{i}", c) for i, c in enumerate(sorted(xs)))
)


@given(RISING, st.floats(0, 120))
def test_every_core_has_one_word_and_a_higher_core_no_lower_one(names, core):
    """The spans meet without gap or overlap; each name holds its own core."""
    spans = doneness_spans(names)
    assert all(a[2] == b[1] for a, b in pairwise(spans))
    assert (spans[0][1], spans[-1][2]) == (-math.inf, math.inf)
    assert all(doneness_at(names, c) == n for n, c in names)
    order = [str(w) for w, _low, _high in spans]
    assert order.index(str(doneness_at(names, core))) <= order.index(str(doneness_at(names, core + 1.0)))


@pytest.mark.parametrize("cut", ["bavette", "chicken-breast", "salmon-fillet", "pork-chop"])
def test_plan_and_line_say_the_same(cut):
    """At every half degree."""
    plan = parse(Sentence.for_cut(cut).document())
    for half in range(60, 170):
        core = half / 2.0
        line = next(w for w, low, high in words_of(plan) if low <= core < high)
        assert shipped().doneness_reached(plan.food, core, cut) == line


def test_a_set_of_the_plans_own_counts():
    """The kitchen's names travel with what is started; a cut may name another set than its food's."""
    document = Sentence.for_cut("bavette").document() | {"x-doneness": [["red", 50], ["pink", 57]]}
    assert [str(w) for w, *_ in words_of(parse(document))] == ["still under red", "red", "pink"]
    book = shipped().with_rows(cut=[{**shipped().cuts["bavette"], "version": 2, "doneness": "pork"}])
    assert book.doneness_names("beef-lean", "bavette") == SETS["pork"]
    assert book.doneness_names("beef-lean") == SETS["red-meat"]


@pytest.mark.parametrize(
    "stated",
    [
        None,
        "rare",
        [],
        [["rare"]],
        [["rare", "x"]],
        [["", 50]],
        [["b", 60], ["a", 50]],
        [["a", math.nan]],
        [["a", 50]] * 30,
        {"a": 50},
    ],
)
def test_what_is_no_set_is_not_used(stated):
    """A file's own key may hold anything; the food's names hold then."""
    assert read_names(stated) == ()
