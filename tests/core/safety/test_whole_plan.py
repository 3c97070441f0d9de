"""A whole plan: other sizes, parts and neighbours, each at its limit."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.safety.premise import Basis
from ember_core.safety.statement import Piece
from ember_core.safety.whole_plan import Computed, decide, laid_after, raw_neighbour
from tests.core.safety.histories import US

UNKNOWN, BROKEN = Basis.UNKNOWN, Basis.BROKEN


def piece_of(food="beef-lean", minutes=6.0, medium_c=200.0, kind="pan", rules=US, title="", **piece):
    """A computed piece of two faces in a pan, or of one stage of another kind."""
    heat = (
        [{"kind": "pan", "minutes": minutes / 2, "faces": {f: {"medium_c": medium_c}}} for f in "ab"]
        if kind == "pan"
        else [{"kind": kind, "minutes": minutes, "medium_c": medium_c}]
    )
    document = {
        "format": "open-ember.plan/1", "stages": heat, **({"rules": rules} if rules else {}), **({"title": title} if title else {}),
        "piece": {"food": food, "start_c": 4, "shape": {"kind": "slab", "thickness_mm": 25}, **piece},
    }  # fmt: skip
    plan = parse(document)
    return Piece(plan, run(plan, setup(plan)))


def outside_at(piece, a_c, b_c):
    """The same with outsides that reach no more than so much."""
    cook = piece.cook
    return replace(piece, cook=replace(cook, surface_a=np.full(cook.t.size, a_c), surface_b=np.full(cook.t.size, b_c)))


RARE, RAW_CHICKEN, DONE_CHICKEN = piece_of(), piece_of("chicken-breast"), piece_of("chicken-breast", 60, 200, "oven")
OWN = piece_of("beef-lean", 60, 160, "oven").plan
CARROT = piece_of("carrot")
NEIGHBOURS = [
    # what lies beside → what it leaves behind
    (outside_at(RARE, 63.0, 63.0), None), (outside_at(RARE, 62.9, 80.0), BROKEN), (outside_at(RARE, 80.0, 62.9), BROKEN),
    (outside_at(RAW_CHICKEN, 90.0, 90.0), BROKEN), (DONE_CHICKEN, None), (CARROT, None), (outside_at(piece_of(rules=None), 62.0, 62.0), BROKEN),
    (outside_at(piece_of(rules=None), 63.0, 63.0), None),
]  # fmt: skip


@pytest.mark.parametrize(("beside", "basis"), NEIGHBOURS)
def test_what_leaves_the_same_medium_raw(beside, basis):
    """Intact meat by its outside all over, poultry by its own rule, plants never; one without rules by those of the piece."""
    premise, said = raw_neighbour(OWN, [beside])
    assert (None if premise is None else premise.basis) is basis
    assert [f.level for f in said] == ([] if basis is None else ["stop"])


def test_the_first_raw_one_is_named_by_its_title_or_its_food():
    for raw, name in ((piece_of("chicken-breast", title="Supreme"), "Supreme"), (RAW_CHICKEN, "chicken breast")):
        premise, _ = raw_neighbour(OWN, [CARROT, DONE_CHICKEN, raw, outside_at(RARE, 30.0, 30.0)])
        assert premise.needs.startswith(name)


def test_one_of_which_it_is_not_known_leaves_it_open():
    """Not met, and not short either: care, and not known."""
    document = {**DONE_CHICKEN.plan.document, "x-unread": ["glitter"]}
    unread = replace(DONE_CHICKEN, plan=replace(DONE_CHICKEN.plan, document=document))
    premise, said = raw_neighbour(OWN, [unread])
    assert premise.basis is UNKNOWN
    assert [f.level for f in said] == ["care"]


SHORT, LONG = piece_of("chicken-breast", 12, 180, "oven"), piece_of("chicken-breast", 60, 180, "oven")


@pytest.mark.parametrize(
    ("others", "met", "parts"),
    [((), True, None), ((LONG,), True, None), ((SHORT,), False, BROKEN), ((LONG, SHORT), False, BROKEN), ((SHORT, LONG), False, BROKEN)],
)  # fmt: skip
def test_other_sizes_meet_it_too_or_it_is_short(others, met, parts):
    decision = decide(Computed(LONG, others))
    assert decision.rule["met"] is met
    states = {p["id"]: p["state"] for p in decision.rule["premises"]}
    if parts is not None:
        assert states["parts"] == parts
        assert decision.rule["met_at_s"] is None
    assert decision.parts is None


def test_what_stops_another_size_is_said_once_and_only_that():
    """Of two that are held too cool, one stop; what is only a note of theirs is not said again."""
    heats = [{"kind": "oven", "minutes": 60, "medium_c": 180}, {"kind": "hold", "minutes": 400, "medium_c": 45}]
    document = LONG.plan.document | {"stages": heats}
    plan = parse(document)
    old = Piece(plan, run(plan, setup(plan)))
    decision = decide(Computed(LONG, (old, old)))
    stops = [f for f in decision.findings if f.stops]
    assert len(stops) == len({f.code for f in stops}) >= 1
    assert all(f.message.startswith("The piece of 25 mm") for f in stops)
    assert [f for f in decision.findings if f.message.startswith("The piece of") and not f.stops] == []
    again = decide(Computed(old, (old,)))
    assert [f.code for f in again.findings if f.stops].count(stops[0].code) == 1


@pytest.mark.parametrize("order", [(0, 1), (1, 0)])
def test_of_several_that_do_not_meet_it_the_short_one_is_said(order):
    """One is not known, one is short: short."""
    unread = replace(LONG, plan=replace(LONG.plan, document={**LONG.plan.document, "x-unread": ["glitter"]}))
    others = [(unread, SHORT)[i] for i in order]
    rule = decide(Computed(LONG, tuple(others))).rule
    parts = {p["id"]: p for p in rule["premises"]}["parts"]
    assert parts["state"] == BROKEN
    assert "peaks" in parts["needs"]
    assert [p["id"] for p in rule["premises"]].count("parts") == 1


@pytest.mark.parametrize(("share", "said"), [(None, None), (0.96123, 0.961)])
def test_the_share_of_the_likely_pieces_is_told_to_a_thousandth(share, said):
    assert decide(Computed(LONG, cautious=(LONG,), share_met=share)).rule["share_met"] == said


def test_a_shared_medium_counts_only_where_pieces_touch_what_it_leaves():
    """In a pan, not on trays of one oven."""
    rare = outside_at(RARE, 30.0, 30.0)
    assert decide(Computed(LONG, beside=(rare,), shared_medium="oven")).rule["met"] is True
    beside = decide(Computed(LONG, beside=(rare,), shared_medium="pan"))
    assert beside.rule["met"] is False
    assert beside.rule["met_at_s"] is None
    assert "raw-beside" in [f.code for f in beside.findings]


BIRD = {
    "format": "open-ember.plan/1", "rules": US, "target": {"core_c": 75, "leg_c": 82},
    "piece": {"food": "chicken-whole", "start_c": 4, "shape": {"kind": "bird", "mass_g": 1800}},
    "stages": [{"kind": "oven", "minutes": 80, "medium_c": 190}, {"kind": "rest", "minutes": 15}],
}  # fmt: skip


def bird(short_k=0.0, reaches_k=1.0):
    """The leading part, and the other one so far below its target."""
    plan = parse(BIRD)
    own = Piece(plan, run(plan, setup(plan)))
    other = next(p for p in plan.targets if p != plan.shape["part"])
    part = plan.of_part(other)
    cook = run(part, setup(part))
    target = plan.targets[other]
    top = target - short_k
    shifted = replace(cook, core=cook.core - cook.core.max() + top, peak_core_c=top)
    return other, target, decide(Computed(own, (Piece(part, shifted),)))


@pytest.mark.parametrize(("short_k", "said"), [(0.4, False), (0.6, True), (1.4, True), (-3.0, False)])
def test_a_part_that_stays_below_its_target_is_said(short_k, said):
    """By more than half a kelvin."""
    _, _, decision = bird(short_k)
    assert ("part-below-target" in [f.code for f in decision.findings]) is said


@pytest.mark.parametrize(("short_k", "ready"), [(0.04, True), (0.06, False), (-5.0, True)])
def test_when_a_part_is_ready(short_k, ready):
    """When it first is at its target, to a twentieth of a kelvin."""
    other, target, decision = bird(short_k)
    its = decision.parts[other]
    assert (its["ready_s"] is not None) is ready
    assert its["leads"] is False
    assert its["target_c"] == target
    leads = next(p for p in decision.parts.values() if p["leads"])
    if ready and short_k < -1.0:
        assert 1200.0 < its["ready_s"] < 6000.0
        assert its["ready_s"] == round(its["ready_s"], 3)
    assert leads["pull_core_c"] is not None


STORE = {"kind": "pan", "mass_kg": 2.4, "material": "cast-iron", "power_w": 1800, "set_c": 220}


@pytest.mark.parametrize(
    ("every_s", "until", "later"), [(0.0, None, False), (60.0, None, True), (None, None, False), (60.0, {"core_c": 50}, False)]
)  # fmt: skip
def test_a_piece_that_is_laid_in_after_the_first(every_s, until, later):
    """By the first one's clock: one of its stages lays them in apart, and none waits for this piece."""
    store = STORE | ({} if every_s is None else {"lay_in_every_s": every_s})
    heat = [
        {"kind": "pan", "minutes": 3, "store": s, "faces": {f: {"medium_c": 220}}}
        for f, s in (("a", store), ("b", STORE))
    ]
    if until:
        heat[1]["until"] = until
    plan = parse({
        "format": "open-ember.plan/1", "stages": heat, "piece": {"food": "beef-lean", "count": 2, "start_c": 4, "mass_g": 200, "shape": {"kind": "slab", "thickness_mm": 25}},
    })  # fmt: skip
    assert laid_after(plan) is later
