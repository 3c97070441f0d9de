"""The rule's statement on a running piece: of what is past and read, never of what is still to come."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from ember_core.heat.cook import Cook, run
from ember_core.heat.setup import setup
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan
from ember_core.plan.probe_places import other_parts
from ember_core.planning.compute import Outcome, as_piece
from ember_core.running.belief import Belief
from ember_core.running.checks import MEAN, MEDIUM, checks
from ember_core.running.history import Running
from ember_core.safety.clocks import TOLERANCE_C
from ember_core.safety.measured import by_its_outside, judge_log, of_one_piece
from ember_core.safety.premise import CLAUSE, Basis, Premise, basis_of_premise, replace_premises
from ember_core.safety.readings_by_hand import fastest_rise, judge_parts, merge_readings, plausible_readings
from ember_core.safety.rules import profile_of
from ember_core.safety.statement import Piece
from ember_core.safety.whole_plan import Computed, decide
from ember_core.wording.message import say

APART_K = (
    3.0  # a reading or a check so far from what is computed does not bear it out; two probes' errors and placement
)


def rule_now(running: Running, outcome: Outcome, belief: Belief) -> dict[str, Any] | None:
    """The ``rule`` of a state; None where the plan names no rules.

    *Met* only where it has been met by now: on the readings where there are any, else as computed from what was done, and no check
    speaks against it. Before that it is null, with ``expected_met_at_s`` where the forecast meets it.

    Parameters
    ----------
    running : Running
    outcome : Outcome
        Of its real history and what is to come.
    belief : Belief
    """
    ahead = outcome.result["rule"]
    if ahead is None:
        return None
    expected = {"expected_met_at_s": ahead["met_at_s"] if ahead["met"] else None}
    computed = _past(running, outcome)
    if computed is None:
        words = say("Nothing has been done to it yet.")
        waiting = Premise(CLAUSE, Basis.UNKNOWN, say("this cook"), words)
        return replace_premises(ahead, waiting) | {"met": None, "met_at_s": None, "needs": words} | expected
    rule = _measured(running, computed)
    if rule is None:
        rule = decide(computed).rule
        assert rule is not None  # it names rules
        rule = _with_parts(rule, running, computed)
    rule = _borne_out(rule, running, outcome, belief)
    rule = {"at_cautious_end": None, "share_met": None} | rule
    if rule["met"]:
        return rule | {"expected_met_at_s": None}
    aside = [
        p
        for p in map(Premise.of, rule["premises"])
        if p.basis is Basis.BROKEN and p.id not in {CLAUSE, "parts", "guests"}
    ]
    if running.current is None or aside:
        return rule | expected
    needs = say("Not yet: {needs}", needs=rule["needs"])
    open_ = [replace(p, basis=Basis.UNKNOWN) for p in map(Premise.of, rule["premises"]) if p.basis is Basis.BROKEN]
    return replace_premises(rule, *open_) | {"met": None, "needs": needs, "remaining_s": rule["remaining_s"]} | expected


def _past(running: Running, outcome: Outcome) -> Computed | None:
    """What was cooked until now; None before anything was."""
    whole = outcome.judged.computed
    if running.now_s <= 0.0 or running.current == 0:
        return None
    until = running.now_s if running.current is not None else np.inf
    count = running.current if running.current is not None else len(running.plan.stages)

    def cut(piece: Piece) -> Piece:
        return as_piece(_plan_until(piece.plan, count), cook_until(piece.cook, until, count))

    own = cut(whole.piece)
    return Computed(
        own,
        tuple(cut(p) for p in whole.others),
        tuple(cut(p) for p in whole.steamed),
        tuple(as_piece(p.plan, cook_until(p.cook, until, len(p.plan.stages))) for p in whole.beside),
        shared_medium=whole.shared_medium,
    )


def piece_until(running: Running, until_s: float | None) -> Piece:
    """A piece by its real history, until it leaves what it lies in.

    Parameters
    ----------
    running : Running
    until_s : float or None
        s since its start; None: until the stage under way ends, as foreseen.
    """
    cook = run(running.plan, setup(running.plan))
    if until_s is None:
        until_s = cook.stages[running.current if running.current is not None else -1].end_s
    count = max(sum(s.start_s < until_s - 1e-6 for s in cook.stages), 1)
    return as_piece(_plan_until(running.plan, count), cook_until(cook, until_s, count))


def _plan_until(plan: Plan, count: int) -> Plan:
    stages = plan.stages[:count]
    return replace(plan, stages=stages, document={**plan.document, "stages": plan.document["stages"][:count]})


def cook_until(cook: Cook, until_s: float, count: int) -> Cook:
    """The part of a cook that is over at ``until_s``, with its first ``count`` stages; at least its first two samples."""
    end = max(int(np.searchsorted(cook.t, until_s + 1e-6)), 2)
    if end >= cook.t.size and count >= len(cook.stages):
        return cook
    rows = slice(0, end)
    core = cook.core[rows]
    last = float(cook.t[end - 1])
    stages = (
        tuple(replace(s, end_s=min(s.end_s, last)) for s in cook.stages[:count] if s.start_s < last) or cook.stages[:1]
    )
    top = int(np.argmax(core))
    parts: dict[str, Any] = {
        name: getattr(cook, name)[rows]
        for name in (
            "t",
            "core",
            "mean",
            "surface_a",
            "surface_b",
            "field",
            "elsewhere",
            "medium",
            "taken",
            "vapour_lost",
        )
        if getattr(cook, name).shape[:1] == cook.t.shape
    }
    return replace(
        cook, **parts, stages=stages, peak_core_c=float(core[top]), peak_t_s=float(cook.t[top]), pull_stage=None, findings=()
    )  # fmt: skip


def _measured(running: Running, computed: Computed) -> dict[str, Any] | None:
    """The statement by what was read of the core; None where nothing was, so that only the computation speaks."""
    fastest = fastest_rise(computed.piece.cook.t, computed.piece.cook.core)
    by_hand = plausible_readings(running.read_in(), running.plan.start_c, fastest)
    if not (running.readings or by_hand) or running.plan.food is None:
        return None
    plan = computed.piece.plan
    judged = judge_log(
        merge_readings(running.readings, by_hand, fastest, plan, computed.piece.cook.stages),
        rules=str(plan.rules), food=str(plan.food), form=plan.document["piece"].get("form"), house=plan.house, plan=plan,
        ran=computed.piece.cook.stages, fastest_k_s=fastest, until_s=float(computed.piece.cook.t[-1]),
    )  # fmt: skip
    of_plan = decide(computed).rule
    assert of_plan is not None  # the plan names rules
    said = [Finding.of(f) for f in judged["findings"]]
    rule = by_its_outside(judged["rule"], of_plan, profile_of(str(plan.rules), plan.house), said)
    rule = of_one_piece(rule, of_plan, plan, judge_parts(read_in_parts(running), plan, computed.piece.cook.stages))
    # what only the computation sees counts as well: how it was kept, chilled, held, what lies beside it
    broken = [p for p in map(Premise.of, of_plan["premises"]) if not p.holds and p.id not in {CLAUSE, "parts"}]
    return replace_premises(rule, *broken) if broken else rule


def read_in_parts(running: Running) -> dict[str, list[tuple[float, float]]]:
    """What a thermometer read by hand in the other parts of a bird, or in the thickest piece, (s, °C) by part."""
    return {part: running.read_in(part) for part in other_parts(running.planned)}


def _with_parts(rule: dict[str, Any], running: Running, computed: Computed) -> dict[str, Any]:
    """The computed statement, where a part was read by hand and is short."""
    if computed.piece.plan.food is None:
        return rule
    part_rules = judge_parts(read_in_parts(running), computed.piece.plan, computed.piece.cook.stages)
    if all(part["met"] for part in part_rules.values()):
        return rule
    return of_one_piece(rule, rule, computed.piece.plan, part_rules)


def _borne_out(rule: dict[str, Any], running: Running, outcome: Outcome, belief: Belief) -> dict[str, Any]:
    """What is met as computed, unless a check says that the piece is another: then it has to be measured."""
    if rule["met"] is not True or running.readings or basis_of_premise(rule, CLAUSE) is Basis.SHOWN:
        return rule
    against = _against(running, outcome.cook)
    if not against and belief.told:
        now = min(running.now_s, float(outcome.cook.t[-1]))
        believed = belief.band(belief.core_c)[1]
        against = believed < float(np.interp(now, outcome.cook.t, outcome.cook.core)) - APART_K
    words = say("A check says that it is colder than computed: measure the core.")
    if not against:
        least = _lowest_row(rule, running)
        low = belief.band(belief.core_c if running.current is not None else belief.peak_c)[0]
        if least is None or low >= least:
            return rule
        words = say(
            "Met as computed, but 5 in 100 of such pieces have a core of {low:temp1} or less: measure it.", low=low
        )
    return replace_premises(rule, Premise(CLAUSE, Basis.UNKNOWN, say("a check"), words))


def _lowest_row(rule: dict[str, Any], running: Running) -> float | None:
    """The least core of the rows that are met, °C; None where they are not the core's."""
    plan = running.plan
    profile = profile_of(str(plan.rules), plan.house, species=plan.required.species)
    rows = [c.rows for c in profile.clauses if c.id == rule["clause"]]
    return rows[0][0][0] - TOLERANCE_C if rows else None


def _against(running: Running, cook: Cook) -> bool:
    """Whether a thermometer read far less than is computed for its time."""
    read = [
        (c.at_s, c.core_c)
        for c in running.checks
        if c.core_c is not None and checks()[c.check].of not in {MEAN, MEDIUM}
    ]
    return any(c < float(np.interp(at, cook.t, cook.core)) - APART_K for at, c in read)


def said_after_serving(read_after: Sequence[tuple[float, float]]) -> list[Finding]:
    """That a probe still reads once the piece is served: what it reads is not the piece."""
    if not read_after:
        return []
    words = say(
        "The probe still reads ({core_c:temp1}) after serving: it is lying somewhere. Its readings since then do not count.",
        core_c=read_after[-1][1],
    )
    return [Finding("read-after-serving", "note", words, "the readings")]
