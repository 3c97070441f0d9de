"""Kinds of stages are rows of a table: complete or refused by name, and a new one works without a change of code."""

from __future__ import annotations

import copy

import pytest

from ember_core.data.loader import read_toml
from ember_core.errors import InputError
from ember_core.formats import plan as plan_format
from ember_core.formats.plan import parse
from ember_core.plan.kinds import COOLING_KINDS, HEAT_KINDS, WAITING_KINDS, stage_kind, stage_kinds
from ember_core.planning.compute import compute
from ember_core.planning.moves import moves
from ember_core.running.history import running
from ember_core.running.state import replay
from ember_sim import device, piece
from tests.conftest import plan_document

BREAST = {"food": "chicken-breast", "shape": {"kind": "slab", "thickness_mm": 25}, "start_c": 4}


def smoked(kind="smoke", medium_c=110.0, more=(), **over):
    """A breast hot-smoked to 76 °C."""
    heat = {"kind": kind, "minutes": 480, "medium_c": medium_c, "until": {"peak_core_c": 76}}
    return plan_document(
        piece=BREAST, target={"core_c": 76}, stages=[heat, {"kind": "rest", "minutes": 5}, *more], **over
    )


def test_every_kind_is_whole():
    """The simulated kitchen has numbers of its own for each; what a kind lies in is a device that can be simulated."""
    assert set(stage_kinds()) == set(piece.H_BY_KIND)
    assert {k.name: k.gear for k in stage_kinds().values() if k.gear} == device.LIES_IN
    assert {k.gear for k in stage_kinds().values() if k.gear} <= set(device.KINDS)
    assert set(plan_format.schema("plan-1")["$defs"]["kind"]["enum"]) == set(stage_kinds())
    assert not HEAT_KINDS & COOLING_KINDS
    assert not HEAT_KINDS & WAITING_KINDS


@pytest.fixture
def table(monkeypatch):
    """The tables, to be changed by a test; as they were afterwards."""
    held = {
        name: copy.deepcopy(read_toml(name))
        for name in ("stage_kinds.toml", "surroundings.toml", "spreads.toml", "moves.toml")
    }
    stage_kinds.cache_clear()
    plan_format._validator.cache_clear()
    yield {name: read_toml(name) for name in held}
    for name, was in held.items():
        now = read_toml(name)
        now.clear()
        now.update(was)
    stage_kinds.cache_clear()
    plan_format._validator.cache_clear()


@pytest.mark.parametrize(
    ("lacks", "says"),
    [
        (("stage_kinds.toml", "sand", "role"), "role is missing"), (("stage_kinds.toml", "sand", "hands"), "hands is missing"),
        (("surroundings.toml", "sand"), "no sand.default"), (("spreads.toml", "medium_c", "sand"), "no medium_c.sand"), (("moves.toml", "start", "sand"), "no start.sand"),
    ],
)  # fmt: skip
def test_a_kind_that_is_not_complete_is_refused_by_name(table, lacks, says):
    """With what it lacks."""
    in_sand(table)
    file, *path, last = lacks
    row = table[file]
    for key in path:
        row = row[key]
    del row[last]
    with pytest.raises(InputError, match=f"stage kind sand is not complete: .*{says}"):
        stage_kinds()


def in_sand(table):
    """A made-up kind: cooked in hot sand."""
    table["stage_kinds.toml"]["sand"] = dict(
        table["stage_kinds.toml"]["oven"],
        gear="",
        keys=["medium_c", "surface"],
        default="default",
        covers=["bare"],
        load=[],
    )
    table["surroundings.toml"]["sand"] = {
        "default": {"h": 120.0, "wet": 0.0, "range": [80.0, 160.0], "spread": 0.3, "source": "made up"}
    }
    table["spreads.toml"]["medium_c"]["sand"] = 4.0
    table["moves.toml"]["start"]["sand"] = {
        "verb": "Bury it",
        "cue": "Sand hot",
        "why": "It holds heat",
        "caution": "Hot sand",
    }


def test_a_made_up_kind_goes_through_plan_forecast_moves_replay_and_simulator(table, monkeypatch):
    """Rows in the tables and its word in the format are all that it takes."""
    in_sand(table)
    monkeypatch.setitem(piece.H_BY_KIND, "sand", 118.0)
    enum = plan_format.schema("plan-1")["$defs"]["kind"]["enum"]
    monkeypatch.setitem(plan_format.schema("plan-1")["$defs"]["kind"], "enum", [*enum, "sand"])
    plan_format._validator.cache_clear()
    document = smoked("sand", 160.0)
    plan = parse(document)
    outcome = compute(parse(document | {"forecast": {"members": 16, "seed": 1}}))
    assert outcome.cook.peak_core_c == pytest.approx(76, abs=0.1)
    assert outcome.forecast.peak_core_c.size >= 8
    assert [m.verb for m in moves(plan, outcome.cook)] == ["Bury it", "Pull", "Serve"]
    told = {
        "format": "open-ember.cook/1",
        "plan": document,
        "now_s": 300,
        "events": [{"at_s": 0, "kind": "start"}],
        "readings": [],
    }
    assert replay(running(told), members=16).belief.peak_c.size > 0
    simulated = piece.Piece(document, "any")
    simulated.advance(600.0, 0)
    assert 4.0 < simulated.core_c < 160.0


def test_smoke_heats_slower_than_an_oven_with_a_fan_and_is_held_to_the_same_rule():
    """Hot smoke is heat: a breast comes to its clause, later than in a fan oven; humidity in it speeds it up."""
    fan = smoked("oven", 110.0)
    fan["stages"][0]["variant"] = "fan"
    humid = smoked(medium_c=110.0)
    humid["stages"][0]["humidity"] = 0.9
    smoke, by_fan, moist = (compute(parse(d), with_forecast=False) for d in (smoked(medium_c=110.0), fan, humid))
    assert moist.cook.pull_s < smoke.cook.pull_s
    assert by_fan.cook.pull_s < smoke.cook.pull_s
    assert smoke.result["rule"]["met"] is True


@pytest.mark.parametrize(
    ("medium_c", "more", "codes"),
    [
        (95.0, (), set()), (25.0, (), {"caution-smoke-cold"}), (53.0, (), {"caution-smoke-cold"}),
        (95.0, ({"kind": "chill", "medium_c": 2, "minutes": 240},), {"caution-smoke-kept"}),
    ],
)  # fmt: skip
def test_smoke_says_what_it_does_not_do(medium_c, more, codes):
    """Cold smoke does not cook, and no smoke makes food keep; nothing is said where it changes nothing."""
    document = smoked(medium_c=medium_c, more=more)
    if medium_c < 76:
        document["stages"][0] = {"kind": "smoke", "minutes": 120, "medium_c": medium_c}
    found = compute(parse(document), with_forecast=False)
    assert {f.code for f in found.findings if f.code.startswith("caution-smoke")} == codes
    if medium_c < 54:
        assert found.result["rule"]["met"] is not True


def test_no_kind_is_another():
    """A name that is none has no row."""
    with pytest.raises(KeyError):
        stage_kind("sand")


@pytest.mark.parametrize("medium_c", [-20.0, 0.0, 25.0, 110.0, 374.0, 400.0])
def test_smoke_of_any_heat_is_answered(medium_c):
    """Its own vapour is no more than its air can hold, also where water has no boiling point any more."""
    document = smoked(medium_c=medium_c)
    document["stages"][0] = {"kind": "smoke", "minutes": 5, "medium_c": medium_c}
    cook = compute(parse(document), with_forecast=False, advice=False).cook
    assert -25.0 < cook.peak_core_c < 120.0
