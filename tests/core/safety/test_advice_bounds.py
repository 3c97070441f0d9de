"""Advice at the second where it turns, on histories written by hand: stages, times and temperatures, no heat computed."""

from __future__ import annotations

from types import SimpleNamespace

import numpy as np
import pytest

from ember_core.safety import advice


def history(cooked_at, core=(5, 75, 75, 3, 3, 75, 75), **rest):
    """Ten minutes of heat, a chill to 7200 s, ten minutes of heat; ``core`` at seven even times within."""
    t = np.array([0.0, 300, 600, 3600, 7200, 7500, 7800])
    c = np.array(core, dtype=float)
    first, chill, second = (
        SimpleNamespace(kind=kind, start_s=a, end_s=b)
        for kind, a, b in [("bath", 0.0, 600.0), ("chill", 600.0, 7200.0), ("bath", 7200.0, 7800.0)]
    )
    out = SimpleNamespace(
        t=t, hottest=c, coldest=c, cooked_at=cooked_at, end_s=7800.0, heats=[first, second], chills=[chill], keeps=[chill],
        cook=SimpleNamespace(stages=[first, chill, second], everywhere=c[:, None]),
        plan=SimpleNamespace(kept_by="us-food-code-2022", food="mussel", guests="general", shape={"kind": "slab"},
                             required=SimpleNamespace(forms={"fish"}, species="shellfish", is_animal=True)),
        rule={"met": False},
    )  # fmt: skip
    out.part = lambda begin, end: advice.History.part(out, begin, end)
    return SimpleNamespace(**(vars(out) | rest))


@pytest.mark.parametrize(
    ("cooked_at", "interrupted", "reheated"),
    [(None, True, False), (599.9, False, True), (600.0, False, True), (600.1, True, False)],
)
def test_cooked_as_the_chill_begins_is_cooked_before_it(cooked_at, interrupted, reheated):
    """Met at the chill's first second: not interrupted, and what follows is reheating."""
    h = history(cooked_at)
    assert bool(advice._interrupted(h)) is interrupted
    assert bool(advice._reheated(h)) is reheated


@pytest.mark.parametrize(("core", "said"), [((5, 64, 64, 3, 3, 64, 64), False), ((5, 61, 61, 3, 3, 61, 61), True)])
@pytest.mark.parametrize(("check", "table", "key"), [("_fish", "parasites", "cook"), ("_served", "bivalves", "rows")])
def test_one_row_of_a_table_is_enough(monkeypatch, core, said, check, table, key):
    """Of several rows a cook has to meet one; the shipped tables have one each."""
    shipped = advice.rows_of

    def two_rows(name, profile):
        return [r | {key: [[90.0, 60], [63.0, 15]]} for r in shipped(name, "eu-853-2004")] if name == table else []

    monkeypatch.setattr(advice, "rows_of", two_rows)
    h = history(None, core=core, chills=[])
    assert (table in {f.code for f in getattr(advice, check)(h)}) is said
