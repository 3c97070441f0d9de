"""The table of premises: each is claimed in every place that says a verdict, and without any of them *met* goes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from ember_core.formats.plan import parse
from ember_core.plan.finding import Finding, Level
from ember_core.plan.log import Log
from ember_core.planning.compute import compute
from ember_core.running.history import running
from ember_core.running.state import replay
from ember_core.safety import claims_of_log, claims_of_plan
from ember_core.safety.measured import judge_log
from ember_core.safety.premise import (
    Basis,
    Premise,
    asked_of,
    collect_premises,
    conclude_rule,
    merge_premises,
    premises_broken_by,
    replace_premises,
    table,
)
from ember_core.wording.message import say
from tests.core.safety.histories import UK, US
from tests.core.safety.test_attempts import CHICKEN, COLD_POUCH, FAIR, RISE, STEAK, T, bath, chill, pan, slab

ALL = {
    # a plan for each trait → the premises that must be asked of it
    "chilled and reheated": (CHICKEN, [COLD_POUCH, chill(300), COLD_POUCH, {"kind": "hold", "minutes": 10, "medium_c": 65}], US,
                             {"cooling", "shelf-life", "reheating", "holding", "interrupted"}),
    "seared": (STEAK, [pan(3, "a"), pan(3, "b"), {"kind": "rest", "minutes": 5}], US, {"surface"}),
    "fish": ({"food": "hake"}, [bath(60, 66)], US, {"freezing"}),
    "bivalve": ({"food": "mussel", **slab(15)}, [{"kind": "boil", "minutes": 10}], UK, {"origin"}),
    "egg": ({"food": "egg-whole", "form": "egg-now", "shape": {"kind": "egg", "mass_g": 57, "species": "hen"}}, [{"kind": "boil", "minutes": 14}], US, {"eggs"}),
    "sizes": (CHICKEN | {"x-sizes-mm": [20, 25], "count": 2}, [bath(60, 76)], US, {"parts"}),
    "beside": (*FAIR["a carrot in its pan"][:2], US, {"neighbours"}),
}  # fmt: skip
ALWAYS = {
    "clause",
    "heat",
    "come-up",
    "storage",
    "warm-time",
    "growth",
    "moisture",
    "intact",
    "guests",
    "neighbours",
    "words",
}


def document(name):
    piece, stages, rules, _ = ALL[name]
    return {
        "format": "open-ember.plan/1",
        "piece": {"start_c": 4, **slab(25), **piece},
        "stages": stages,
        "rules": rules,
    }


def of_plan(name):
    return compute(parse(document(name)), with_forecast=False, advice=False).result["rule"]


def of_state(name):
    """Of the same plan once everything is done, nothing measured."""
    plan = document(name)
    end = compute(parse(plan), with_forecast=False, advice=False).cook.stages
    moves = [{"at_s": s.end_s, "kind": "move", "move": f"m{i + 1}"} for i, s in enumerate(end)]
    cook = {
        "format": "open-ember.cook/1",
        "plan": plan,
        "now_s": end[-1].end_s,
        "events": [{"at_s": 0, "kind": "start"}, *moves],
    }
    return replay(running(cook), members=16).rule


@pytest.mark.parametrize("name", ALL)
def test_what_is_asked_of_a_plan_is_claimed(name):
    """By its traits; all of it holds, so it is met."""
    rule = of_plan(name)
    assert rule["met"] is True
    assert ALWAYS | ALL[name][3] <= {p["id"] for p in rule["premises"]}


@pytest.mark.parametrize("row", [r.id for r in table()])
def test_without_a_premise_a_plan_is_not_met(monkeypatch, row):
    """Nobody claims it: it is not known, and met is gone, wherever it was asked."""
    names = [n for n in ALL if row in ALWAYS | ALL[n][3]] if row != "readings" else []
    monkeypatch.delitem(claims_of_plan.CLAIMS, row, raising=False)
    for name in names if row not in ALWAYS else names[:2]:
        rule = of_plan(name)
        assert rule["met"] is not True
        assert next(p for p in rule["premises"] if p["id"] == row)["state"] in {"unknown", "broken"}


@pytest.mark.parametrize("row", sorted(ALWAYS | {"surface"}))
def test_without_a_premise_a_running_cook_is_not_met(monkeypatch, row):
    """The same of a cook that is done."""
    assert of_state("seared")["met"] is True
    monkeypatch.delitem(claims_of_plan.CLAIMS, row)
    assert of_state("seared")["met"] is not True


def of_log(**more):
    fine = np.arange(0.0, T[-1], 10.0)
    log = Log(tuple(fine.tolist()), tuple(np.interp(fine, T, RISE).tolist()))
    return judge_log(log, **({"rules": US, "food": "chicken-breast", "form": "poultry"} | more))["rule"]


@pytest.mark.parametrize("row", sorted(claims_of_log.CLAIMS))
def test_without_a_premise_a_log_is_not_met(monkeypatch, row):
    """Wherever it is asked."""
    more = {
        "freezing": {"food": "hake", "form": "fish"}, "origin": {"food": "scallop", "form": "shellfish", "rules": US},
        "eggs": {"food": "custard", "form": "egg-later"},
    }.get(row, {})  # fmt: skip
    if row in {"parts", "cooling", "shelf-life"}:
        return  # asked only of logs with a plan, or that cool: test_attempts has them
    assert of_log(**more)["met"] is True
    monkeypatch.delitem(claims_of_log.CLAIMS, row)
    assert of_log(**more)["met"] is not True


def test_every_row_can_be_claimed():
    """Of a plan, but for readings; of a log, but for what a log cannot show."""
    rows = {r.id for r in table()}
    assert set(claims_of_plan.CLAIMS) == rows - {"readings"}
    assert set(claims_of_log.CLAIMS) == rows - {"surface", "interrupted", "holding", "reheating"}


def premise(id_, basis):
    return Premise(id_, basis, say("somebody"), say("{id} {basis}", id=id_, basis=str(basis)))


RULE = {
    "profile": US,
    "edition": "",
    "clause": "c",
    "met": True,
    "met_at_s": 9.0,
    "remaining_s": 0.0,
    "needs": say("Met."),
}
HELD = premise("clause", Basis.COMPUTED)
CONCLUSIONS = [
    # what time and temperature say, the premises → met, when
    (True, [HELD], True, 9.0), (True, [], None, 9.0), (True, [HELD, premise("x", Basis.UNKNOWN)], None, 9.0),
    (True, [HELD, premise("x", Basis.BROKEN)], False, None), (True, [HELD, premise("x", Basis.UNKNOWN), premise("y", Basis.BROKEN)], False, None),
    (False, [premise("clause", Basis.BROKEN)], False, 9.0), (None, [premise("clause", Basis.UNKNOWN)], None, 9.0),
    (None, [premise("clause", Basis.UNKNOWN), premise("x", Basis.BROKEN)], False, None),
    (True, [HELD, *(premise(str(b), b) for b in (Basis.SHOWN, Basis.COMPUTED, Basis.STATED, Basis.ASSUMED))], True, 9.0),
]  # fmt: skip


@pytest.mark.parametrize(("said", "premises", "met", "at"), CONCLUSIONS)
def test_conclusions(said, premises, met, at):
    """Met needs the clause claimed, and none unknown or broken; broken is graver than unknown."""
    rule = conclude_rule(RULE | {"met": said}, premises)
    assert (rule["met"], rule["met_at_s"]) == (met, at)
    assert [p["id"] for p in rule["premises"]] == [p.id for p in premises]


def test_a_premise_that_is_answered_lets_met_come_back():
    """Concluded anew with what was found out."""
    rule = conclude_rule(RULE, [HELD, premise("x", Basis.UNKNOWN)])
    assert replace_premises(rule, premise("x", Basis.STATED))["met"] is True
    assert replace_premises(rule, premise("y", Basis.BROKEN))["met"] is False
    assert (
        replace_premises(replace_premises(rule, premise("clause", Basis.BROKEN)), premise("x", Basis.STATED))["met"]
        is False
    )


def test_the_gravest_of_what_is_claimed():
    """Of several claims, and of several pieces; what nobody claims is not known; what breaks counts though it was not asked."""
    rows = asked_of({"animal"}, US)
    first = rows[0].id
    found = {p.id: p.basis for p in collect_premises(rows, [premise(first, Basis.SHOWN), premise(first, Basis.UNKNOWN), premise("z", Basis.BROKEN), premise("w", Basis.SHOWN)])}  # fmt: skip
    assert (found[first], found["z"], "w" in found) == (Basis.UNKNOWN, Basis.BROKEN, False)
    assert {found[r.id] for r in rows[1:]} == {Basis.UNKNOWN}
    several = merge_premises([[premise("a", b)] for b in (Basis.STATED, Basis.BROKEN, Basis.SHOWN)])
    assert [p.basis for p in several] == [Basis.BROKEN]


def test_every_stop_breaks_a_premise():
    """The one whose codes name it, else one of its own."""
    stops = [Finding(code, Level.STOP, say("No."), "") for code in ("cooling", "never-heard-of")]
    assert [p.id for p in premises_broken_by([*stops, Finding("cooling", Level.CARE, say("Yes."), "")])] == [
        "cooling",
        "other",
    ]


def test_a_plan_in_the_open_format_keeps_its_premises():
    """As they were written, they read back."""
    rule = of_plan("seared")
    assert [Premise.of(p).as_dict() for p in rule["premises"]] == rule["premises"]
    assert np.all([set(p) == {"id", "state", "by", "needs"} for p in rule["premises"]])


def test_the_page_of_premises_lists_them_all():
    """docs/method/verdicts.md, with what has to hold."""
    page = (Path(__file__).parents[3] / "docs" / "method" / "verdicts.md").read_text()
    assert [r.id for r in table() if f"| `{r.id}` | {r.says} |" not in page] == []
