"""Writing the record of a finished cook."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import accumulate, pairwise
from typing import Any

import numpy as np

from ember_core import __version__
from ember_core.data.loader import data_version
from ember_core.errors import EmberError, InputError
from ember_core.formats.plan import parse
from ember_core.line.fold import CHECK, HAPPENED, PROBE, CookState, MoveState
from ember_core.line.fold import Event as CoreEvent
from ember_core.plan.finding import Finding
from ember_core.plan.probe_places import other_parts
from ember_core.running.checks import THERMOMETER
from ember_core.running.history import CORE, SECOND, is_out, running
from ember_core.running.media import WATCHED_S
from ember_core.running.state import replay
from ember_core.safety.evidence import JUMP_K_S
from ember_core.safety.measured import (
    by_its_outside,
    judge_log,
    of_both,
    of_one_piece,
)
from ember_core.safety.premise import CLAUSE, Basis, basis_of_premise, replace_premises
from ember_core.safety.readings_by_hand import (
    fastest_rise,
    judge_parts,
    merge_readings,
    plausible_readings,
    single_part_rule,
)
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import standing
from ember_core.wording.message import N_, join_sentences, say
from ember_web.line.models import Cook, Event, Reading
from ember_web.line.public import (
    around_named,
    around_of,
    cook_document,
    moment,
    raw_neighbour_of,
    readings_of,
    said_of_probe,
    second_part,
    state_of,
)
from ember_web.logbook.models import Record
from ember_web.tenancy.action import Actor, Rank, action

NEARLY = 0.9  # of the planned time: so long at least must a sear have lasted to count as done
UNJUDGED = {
    "state": "none",
    "words": say("not measured"),
    "detail": say("No probe readings: the rule cannot be judged on what was not measured."),
}
COMPUTED_MEMBERS = 64  # likely pieces that a cook nobody measured is judged by
COMPUTED_BUDGET_S = 4.0


def _replayed(cook: Cook, state: CookState, end: float) -> tuple[dict[str, Any] | None, dict[str, Any]] | None:
    """The rule of a piece that no probe was in: by what was read by hand, else by its moves as they were made; None where there is no rule."""
    unmarked = [raw["verb"] for m, raw in zip(state.moves, cook.moves, strict=True) if m.done is None]
    by_hand = [e for e in state.live if e.kind == CHECK and e.payload.get("check") == THERMOMETER]
    words = say(
        "Nothing was measured, and moves were not marked as done: {moves}. What was done to it is not known.",
        moves=join_sentences([say(verb) for verb in unmarked], ", "),
    )
    if unmarked and not by_hand:
        return None, UNJUDGED | {"detail": words}
    try:
        asked = running(cook_document(cook.document, state, end))
        found = replay(asked, members=COMPUTED_MEMBERS, budget_s=COMPUTED_BUDGET_S)
    except EmberError:
        return None
    if found.rule is None:
        return None
    # what was read does not show the clause, and what was done is not known
    if unmarked and found.rule["met"] and basis_of_premise(found.rule, CLAUSE) is not Basis.SHOWN:
        return None, UNJUDGED | {"detail": words}
    plan = asked.planned
    rule, said = _with_neighbours(found.rule, found.findings, cook, state, end)
    findings = [f.as_dict() for f in said]
    stands = standing(rule, plan.required, plan.guests, profile_of(str(plan.rules), plan.house), said)
    judged = {"rule": rule, "model": found.outcome.result["model"], "findings": findings}
    return judged, {
        "state": stands.state,
        "words": stands.words,
        "detail": stands.detail
        if by_hand
        else join_sentences([stands.detail, say("Computed from the moves as they were made: nothing was measured.")]),
        "under": stands.profile.name,
        "basis": basis_of(rule) if by_hand else N_("computed, not measured"),
    }


def _with_neighbours(
    rule: dict[str, Any], said: Sequence[Finding], cook: Cook, state: CookState, end: float
) -> tuple[dict[str, Any], list[Finding]]:
    """A rule, and what is said with it, with what the board knows of other pieces in the same medium."""
    premise, more = raw_neighbour_of(cook, state, end)
    return rule if premise is None else replace_premises(rule, premise), [*said, *more]


@dataclass(frozen=True)
class Ran:
    """When a stage of the plan ran, s."""

    start_s: float
    end_s: float


def as_planned(
    moves: Sequence[MoveState], result: Mapping[str, Any], happened: Sequence[CoreEvent] = (), away_s: float = 0.0
) -> bool:
    """Whether every stage up to the moment the plan's rule is met lasted nearly as long as planned, nothing was done to
    its heat, and that was not read to be too low for ``away_s``: what is computed happened."""
    if happened or away_s > WATCHED_S:
        return False
    met_at = (result.get("rule") or {}).get("met_at_s")
    done = [m.done for m in moves if m.done is not None]
    if met_at is None or len(done) < len(moves):
        return False
    for stage, begun, ended in zip(result["stages"], done, done[1:], strict=False):
        needed = min(stage["end_s"], met_at) - stage["start_s"]
        if needed > 0 and ended - begun < NEARLY * needed:
            return False
    return True


OTHER_PART = 2.0  # a bird's other part may change so much faster than the one that leads; an estimate


def _judge(
    cook: Cook,
    readings: Sequence[Sequence[float]],
    state: CookState,
    end: float,
    away_s: float = 0.0,
    second: Sequence[Sequence[float]] = (),
) -> tuple[dict[str, Any] | None, dict[str, str]] | None:
    """Rule and model on the readings, by the plan's own rules, forms and conditions; None when there is nothing to judge. ``second`` are those of
    the second part of a bird."""
    document = cook.document
    rules, food = document.get("rules"), document["piece"].get("food")
    if not rules or not food:
        return None
    if len(readings) < 2:
        return _replayed(cook, state, end)
    by_hand = read_by_hand(cook, state)
    fastest = fastest_rise(*np.array(cook.trace, dtype=float).reshape(-1, 2).T)
    try:
        plan, ran = parse(document), [Ran(s["start_s"], s["end_s"]) for s in cook.result["stages"]]
        if state.happened():  # judged as what really was done to it
            plan = running(cook_document(document, state, end)).plan
            ends = list(accumulate(60.0 * s.minutes for s in plan.stages))
            ran = [Ran(a, b) for a, b in pairwise([0.0, *ends])]
        log = merge_readings(
            [(r[0], r[1]) for r in readings],
            plausible_readings(by_hand.get("", ()), plan.start_c, fastest),
            fastest,
            plan,
            ran,
        )
        house = document.get("x-house")
        judged = judge_log(
            log, rules=rules, food=food, form=document["piece"].get("form"), house=house, plan=plan, ran=ran,
            fastest_k_s=fastest, until_s=end - start_of(cook, state),
        )  # fmt: skip
        others = {part: by_hand.get(part, ()) for part in other_parts(plan)}
        part_rules = judge_parts(others, plan, ran)
        part = second_part(cook.result)
        both = part is not None and len(second) > 1
        if both and part is not None:
            log = merge_readings(
                [(r[0], r[1]) for r in second],
                plausible_readings(by_hand.get(part, ()), plan.start_c, JUMP_K_S),
                JUMP_K_S,
                plan,
                ran,
            )
            other = judge_log(
                log, rules=rules, food=food, form=document["piece"].get("form"), house=house, plan=plan.of_part(part), ran=ran,
                fastest_k_s=min(OTHER_PART * fastest, JUMP_K_S), until_s=end - start_of(cook, state),
            )  # fmt: skip
            part_rules[part] = single_part_rule(other["rule"])
            judged = of_both(judged, other, all_of=set(plan.targets or ()) <= {plan.shape["part"], *part_rules})
    except InputError as error:
        return None, UNJUDGED | {"detail": error.message}
    profile = profile_of(rules, house)
    said = [Finding.of(f) for f in judged["findings"]]
    if as_planned(state.moves, cook.result, state.happened(), away_s):
        judged["rule"] = by_its_outside(judged["rule"], cook.result.get("rule"), profile, said)
    # what the plan says of the other sizes and parts does not hold when its heat was another
    otherwise = state.happened() or away_s > WATCHED_S
    judged["rule"] = of_one_piece(judged["rule"], None if otherwise else cook.result.get("rule"), plan, part_rules)
    judged["rule"], said = _with_neighbours(judged["rule"], said, cook, state, end)
    judged["findings"] = [f.as_dict() for f in said]
    found = standing(judged["rule"], plan.required, plan.guests, profile, said)
    return judged, {
        "state": found.state,
        "words": found.words,
        "detail": found.detail,
        "under": found.profile.name,
        "basis": basis_of(judged["rule"]),
    }


def read_by_hand(cook: Cook, state: CookState) -> dict[str, list[tuple[float, float]]]:
    """What a thermometer read by hand, (s since the start, °C), by part; "" of the part that the plan follows, or of a piece without parts."""
    start, parts = start_of(cook, state), cook.result.get("parts") or {}
    out: dict[str, list[tuple[float, float]]] = {}
    for e in state.live:
        if e.kind == CHECK and e.payload.get("check") == THERMOMETER and e.at >= start:
            part = str(e.payload.get("part", ""))
            own = part in parts and parts[part]["leads"]
            out.setdefault("" if own else part, []).append((e.at - start, float(e.payload["core_c"])))
    return out


def start_of(cook: Cook, state: CookState) -> float:
    """When a cook began, s since the epoch."""
    return state.started or cook.created_at.timestamp()


def basis_of(rule: Mapping[str, Any]) -> str:
    """What a record's verdict stands on, in a word: measured, computed, or in part the one and in part the other."""
    clause, readings, parts = (basis_of_premise(rule, id_) for id_ in (CLAUSE, "readings", "parts"))
    if clause is Basis.COMPUTED:
        return N_("computed, in part measured") if readings is Basis.SHOWN else N_("computed")
    if readings is Basis.UNKNOWN or parts in {Basis.COMPUTED, Basis.UNKNOWN}:
        return N_("part measured")
    return N_("measured")


def _since(start: float, rows: Sequence[Reading]) -> list[list[float]]:
    """Readings as pairs of s since the start and °C, in order of time, one at a time."""
    out: list[list[float]] = []
    for row in rows:
        t = round(row.measured_at.timestamp() - start, 3)
        if not out or t > out[-1][0]:
            out.append([t, row.core_c])
    return out


@action(Rank.COOK)
def write_record(actor: Actor, cook: Cook) -> Record:
    """Write the record of a cook that was just finished; the verdict comes from the readings, or says that there were none."""
    if cook.kitchen_id != actor.kitchen.pk:
        raise InputError(say("No such cook in this kitchen."), path="cook", code="missing")
    state = state_of(cook)
    start = start_of(cook, state)
    end = state.finished or start
    readings, of_second = (_since(start, readings_of(cook, second=second)) for second in (False, True))
    around = around_of(cook, state)
    in_it, in_other = (  # what they read elsewhere says nothing of the piece
        [r for r in rows if not is_out([(e.at - start, what) for e, what in said_of_probe(state, of)], r[0])]
        for rows, of in ((readings, CORE), (of_second, SECOND))
    )
    judged, verdict = _judge(cook, in_it, state, end, around.away_s(state), in_other) or (None, UNJUDGED)
    by_hand = read_by_hand(cook, state).get("", ())
    by_whom = {
        str(row): name or "" for row, name in Event.objects.filter(cook=cook).values_list("id", "actor__username")
    }
    document = {
        "format": "open-ember.record/1",
        "plan": cook.document,
        "result": cook.result,
        "trace": cook.trace,
        "readings": readings,
        "second": None
        if cook.second_probe is None
        else {"part": second_part(cook.result), "probe": cook.second_probe.name, "readings": of_second},
        "media": [
            {"name": name, "readings": [[round(t - start, 3), round(c, 2)] for t, c in zip(*pairs, strict=True)]}
            for name, pairs in around_named(cook, around)
        ],
        "moves": [
            {**raw, "due_s": round(m.due - start, 1), "done_s": None if m.done is None else round(m.done - start, 1)}
            for m, raw in zip(state.moves, cook.moves, strict=True)
        ],
        "happened": [
            {"kind": e.kind, "at_s": round(e.at - start, 1), **e.payload, "by": by_whom.get(e.id, "")}
            for e in state.live
            if e.kind in {CHECK, PROBE} or e.kind in HAPPENED
        ],
        "notes": state.notes,
        "judged": judged,
        "verdict": verdict,
        "probe": None if cook.probe is None else cook.probe.name,
        "started_at": moment(start).isoformat(),
        "finished_at": moment(end).isoformat(),
        "core_version": __version__,
        "data_version": data_version(),
        "planned_with": {"core_version": cook.core_version, "data_version": cook.data_version},
    }
    return Record.objects.create(
        kitchen=actor.kitchen,
        cook=cook,
        title=cook.title,
        started_at=moment(start),
        finished_at=moment(end),
        peak_core_c=max((r[1] for r in [*in_it, *by_hand]), default=None),
        state=verdict["state"],
        document=document,
        note="\n".join(state.notes),
        core_version=__version__,
        data_version=data_version(),
    )
