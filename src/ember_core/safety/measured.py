"""Rule and model on a measured log: what the probe shows, and what it does not."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.book.foods import food_row
from ember_core.plan.finding import Finding, Level
from ember_core.plan.log import Log
from ember_core.plan.plan import Plan
from ember_core.plan.probe_places import PART_NAMES, other_parts, sizes_mm
from ember_core.plan.requirement import Requirement
from ember_core.safety.arguments import check_arguments
from ember_core.safety.check import Check, rows_of
from ember_core.safety.claims_of_log import CLAIMS, OfLog, traits_of
from ember_core.safety.clocks import TOLERANCE_C, judge, judge_all
from ember_core.safety.conditions import Ran, in_force
from ember_core.safety.evidence import (
    APART_S,
    JUMP_K_S,
    NOTHING_C,
    UNKNOWN_K_S,
    Evidence,
    agreed,
    fastest_core,
    holes,
    weigh,
)
from ember_core.safety.forms import requirement
from ember_core.safety.keeping import (
    check_cooling,
    check_growth,
    check_warm,
)
from ember_core.safety.lethality import for_food, statement
from ember_core.safety.notes import guidance, house_notes
from ember_core.safety.premise import (
    Basis,
    Premise,
    asked_of,
    collect_premises,
    conclude_rule,
    merge_premises,
    premises_broken_by,
    replace_premises,
)
from ember_core.safety.rules import Clause, Profile, profile_of
from ember_core.wording.message import join_sentences, say

Array = NDArray[np.float64]

Flags = NDArray[np.bool_]

Findings = list[Finding]

COLD_C = 10.0  # past it a raw piece warms

HOT_C, COOLED_C = 57.0, 54.4  # a piece cools from here; below here it no longer cooks


@dataclass(frozen=True)
class Judged:
    """What a log is judged by: profile, forms, the clauses in force for them and those of which it cannot be told."""

    profile: Profile
    required: Requirement
    clauses: Mapping[str, Sequence[Clause]]
    open: Mapping[str, Sequence[tuple[Clause, str]]]
    notes: tuple[Finding, ...]


ONE_PART = "one-part-measured"


def judge_log(
    log: Log,
    *,
    rules: str,
    food: str,
    form: str | None,
    probe_error_c: float = 0.0,
    log10: float = 6.5,
    house: Mapping[str, Any] | None = None,
    plan: Plan | None = None,
    ran: Sequence[Ran] | None = None,
    fastest_k_s: float | None = None,
    guests: str | None = None,
    until_s: float | None = None,
) -> dict[str, Any]:
    """Rule and model on a measured log: the ``rule`` with its premises, ``model`` and ``findings`` of a result.

    Parameters
    ----------
    log : Log
    rules, food : str
        Profile id and food id of the open formats.
    form : str or None
        Form of the open formats; None takes the food's own.
    probe_error_c : float
        Stated error of the probe, K, 0 to 10: it works against what is claimed, subtracted where heat is shown and added where cold is.
    log10 : float
        6.5 or 7: column of the FSIS table.
    house : mapping, optional
        The house's own rules, as a plan carries them in ``x-house``.
    plan : Plan, optional
        The plan that was cooked: then its handling and the conditions of its heat count as well.
    ran : sequence of Ran, optional
        When its stages ran; default at their longest.
    fastest_k_s : float, optional
        The fastest this piece's core can change, K/s, where its physics is known; default by the plan's size, else that of 20 mm.
    guests : str, optional
        ``general`` or ``susceptible``; default the plan's, else general.
    until_s : float, optional
        When the cook ended, s: what was not read until then is not known. Default the last reading.

    Raises
    ------
    InputError
        Naming the argument that cannot be used.
    """
    check_arguments(rules, food, form, probe_error_c)
    species = str((food_row(food) or {}).get("species"))
    by = _judged_by(profile_of(rules, house, log10, species=species), food, form, plan, ran)
    eaten_by = guests or (plan.guests if plan is not None else "general")
    t = np.array(log.t_s, dtype=float)
    read = np.array(log.core_c, dtype=float)
    core = read - probe_error_c
    if fastest_k_s is None:
        fastest_k_s = fastest_of_plan(plan)
    evidence = weigh(t, read, _column(log.surface_c), _column(log.medium_c), fastest_k_s=fastest_k_s)
    rule = _rule(by, t, core, evidence)
    if rule["met"] is not True:  # what was met before the probe fell silent stays met
        evidence = _silent(evidence, t, until_s)
    findings = [*evidence.findings, *by.notes]
    if rule["met"] is False and evidence.doubt:  # what shows nothing does not show that it is short
        words = say("Not known: {why}.", why=evidence.doubt)
        rule = rule | {"met": None, "remaining_s": None, "needs": words}
    findings += _course(by, rule, t, core, probe_error_c, evidence)
    findings += _one_of_several(plan)
    kept = np.flatnonzero(evidence.trusted & (np.arange(t.size) < evidence.left))
    low = core[kept]
    of = OfLog(
        by.profile,
        by.required,
        food,
        eaten_by,
        rule,
        t[kept],
        low,
        low + 2.0 * probe_error_c,
        _heated_at(t[kept], low),
        float(rule["met_at_s"]) if rule["met"] else _hottest_at(t[kept], low),
        evidence,
        findings,
        plan,
        [words for pairs in by.open.values() for _, words in pairs],
    )
    traits = traits_of(by.required, food, plan, of.high_c, bool(_one_of_several(plan)))
    rows = asked_of(traits, by.profile.kept_by)
    claims = [CLAIMS[row.id](of) for row in rows if row.id in CLAIMS]
    premises = collect_premises(rows, [*claims, *premises_broken_by(findings)])
    history, counts = (t[evidence.trusted], core[evidence.trusted][:, None]), ~holes(t[evidence.trusted])
    if not evidence.trusted.any():  # nothing is shown, so nothing is credited
        history, counts = (t[:2], core[:2, None]), np.zeros(1, dtype=bool)
    return {
        "rule": conclude_rule(rule, premises) | {"at_cautious_end": None, "share_met": None},
        "model": [statement(*history, organism, counts=counts) for organism in for_food(by.required.species)],
        "findings": [f.as_dict() for f in findings],
    }


SILENT_SHARE, SILENT_S = 0.15, 300.0  # of a cook, and at least: so long a silence at its end hides what became of it


def _silent(evidence: Evidence, t: Array, until_s: float | None) -> Evidence:
    """The evidence, in doubt where the probe fell silent long before the cook ended."""
    if until_s is None or evidence.doubt or not evidence.trusted.any():
        return evidence
    last = float(t[np.flatnonzero(evidence.trusted)[-1]])
    if until_s - last <= max(SILENT_SHARE * until_s, SILENT_S):
        return evidence
    words = say("the probe was read for {read:span} of {whole:span}, and then fell silent", read=last, whole=until_s)
    finding = Finding("silent", Level.CARE, say("This log proves nothing: {doubt}.", doubt=words), "the log")
    return replace(evidence, doubt=words, findings=(*evidence.findings, finding))


def fastest_of_plan(plan: Plan | None) -> float:
    """The fastest the core of a plan's piece can rise, K/s, by its size; that of a thin one where none is told."""
    if plan is None:
        return UNKNOWN_K_S
    size = float(plan.shape.get("thickness_mm") or plan.shape.get("diameter_mm") or 0.0)
    if size <= 0.0:
        return JUMP_K_S
    if plan.shape["kind"] != "slab":
        size *= 0.6  # heat comes from all around
    return min(max(fastest_core(size), 0.02), JUMP_K_S)


def _heated_at(t: Array, core: Array) -> float:
    """When the core is past the cold for good, s; the end when it never is."""
    warm = np.flatnonzero(core > COLD_C)
    if not warm.size:
        return float(t[-1]) if t.size else 0.0
    colder = np.flatnonzero(core[: int(np.argmax(core)) + 1] <= COLD_C)
    return float(t[colder[-1]]) if colder.size else float(t[0])


def _hottest_at(t: Array, core: Array) -> float:
    return float(t[int(np.argmax(core))]) if t.size else 0.0


def _column(values: Sequence[float | None]) -> Array | None:
    return np.array([np.nan if v is None else v for v in values]) if values else None


def _one_of_several(plan: Plan | None) -> Findings:
    """That a log is of one piece, where a plan has pieces of several sizes, or of one part of a bird."""
    if plan is not None and plan.targets is not None:
        words = say(
            "The readings are of one place; a bird is done when breast and leg are, and a stuffing. Measure each."
        )
        return [Finding(ONE_PART, "care", words, "the plan")]
    sizes = set() if plan is None else sizes_mm(plan)
    if not sizes:
        return []
    words = say(
        "The readings are of one piece; the pieces are from {thin:length0} to {thick:length0}. Measure the thickest too.",
        thin=min(sizes),
        thick=max(sizes),
    )
    return [Finding("one-size-measured", "care", words, "the plan")]


def _judged_by(profile: Profile, food: str, form: str | None, plan: Plan | None, ran: Sequence[Ran] | None) -> Judged:
    if plan is not None:
        force = in_force(plan, ran, profile)
        notes = (*plan.required.notes, *house_notes(profile), *force.findings)
        return Judged(profile, plan.required, force.by_form, force.open, notes)
    required = requirement(food_row(food), form, path="--form")
    clauses = {f: profile.clauses_for(f) for f in required.forms}
    return Judged(profile, required, clauses, {}, (*required.notes, *house_notes(profile)))


def _rule(by: Judged, t: Array, core: Array, evidence: Evidence) -> dict[str, Any]:
    """The statement on what is trusted; null when only readings or conditions of which it cannot be told would meet it."""

    def of(kept: Flags, with_open: bool, *, alone: bool = True) -> dict[str, Any]:
        said = []
        field = core[kept] if alone else agreed(t[kept], core[kept])
        for form, clauses in by.clauses.items():
            more = [c for c, _ in by.open.get(form, ())] if with_open else []
            said.append(
                judge(
                    by.profile,
                    form,
                    t[kept],
                    field[:, None],
                    interpolate=False,
                    breaks=holes(t[kept]),
                    apart_s=APART_S,
                    clauses=[*clauses, *more],
                )
            )
        return judge_all(said)

    shown = evidence.trusted.sum() >= 2
    rule = of(evidence.trusted, False, alone=False) if shown else _nothing_shown(by, t)
    if rule["met"] is not False:
        return rule
    missing = [words for pairs in by.open.values() for _, words in pairs]
    single = say("only one reading reaches it, and its neighbours do not confirm it")
    for kept, with_open, why in (
        (evidence.trusted, False, single),
        (evidence.trusted, True, missing[0] if missing else ""),
        (evidence.possible, True, evidence.why),
    ):
        loose = of(kept, with_open) if why and kept.sum() >= 2 else None
        if loose is not None and loose["met"]:
            needs = say("Not known: {why}.", why=why) if why in (evidence.why, single) else why
            return loose | {"met": None, "remaining_s": None, "needs": needs}
    return rule


def _nothing_shown(by: Judged, t: Array) -> dict[str, Any]:
    """The statement on a log without a reading that can be the core's."""
    cold = np.full((2, 1), NOTHING_C)
    rule = judge_all(
        [judge(by.profile, form, t[[0, -1]], cold, clauses=clauses) for form, clauses in by.clauses.items()]
    )
    return rule | ({"needs": say("No reading of this log can be the core's.")} if rule["met"] is False else {})


def _course(by: Judged, rule: Mapping[str, Any], t: Array, core: Array, error_c: float, evidence: Evidence) -> Findings:
    """What the readings show of growth before it is cooked, of warm food after, and of cooling; failures only."""
    kept = np.flatnonzero(evidence.trusted & (np.arange(t.size) < evidence.left))
    if kept.size < 2:
        return []
    t, core = t[kept], core[kept]
    keep = by.profile.kept_by
    cooked = t[-1] if rule["met_at_s"] is None else rule["met_at_s"]
    before, after = t <= cooked + 1e-6, t >= cooked - 1e-6
    hot = np.flatnonzero(core >= min(HOT_C, float(core.max()) - 1.0))
    checks = []
    if before.sum() >= 2:  # the error works against the claim, whichever way
        both = [check_growth(keep, t[before], core[before] + e, apart_s=APART_S) for e in {0.0, 2.0 * error_c}]
        checks.append(max(both, key=lambda c: c.used_s or 0.0))
    cooking = np.flatnonzero(core >= COOLED_C - TOLERANCE_C)
    held = after & (np.arange(t.size) <= (cooking[-1] if cooking.size else -1))
    if rule["met_at_s"] is not None and held.sum() >= 2:
        checks.append(check_warm(keep, t[held], core[held], roast=by.required.form == "roast", apart_s=APART_S))
    out = [c.finding() for c in checks if not c.met]
    tail = slice(int(hot[-1]), None)
    roast = by.required.form == "roast"
    stands = rows_of("holding", keep)[0].get("hot_roast_c", COOLED_C) if roast else COOLED_C
    if t[tail].size >= 2 and core[tail].min() < stands - TOLERANCE_C:
        # the error works against the claim: what cools is taken as warmer than it reads
        cooling = check_cooling(keep, t[tail], core[tail] + 2.0 * error_c, end_of_heat_s=float(t[hot[-1]]))
        out += [c.finding() for c in cooling if c.met is False and _too_late(c)]
    out += guidance(by.profile, by.required, t, core[:, None], interpolate=False, apart_s=APART_S)
    return out


def _too_late(check: Check) -> bool:
    """A step that has failed, and not one that the log ends before."""
    return check.used_s is None or check.limit_s is None or check.used_s > check.limit_s or check.unseen


def by_its_outside(
    rule: dict[str, Any], planned: Mapping[str, Any] | None, profile: Profile, findings: Sequence[Finding]
) -> dict[str, Any]:
    """A log's statement where the plan meets a clause for intact, seared pieces, of which a core's log shows nothing.

    Parameters
    ----------
    rule : dict
        What the log shows of the core.
    planned : mapping or None
        The ``rule`` object of the plan as it was cooked, when all its moves were done.
    profile : Profile
    findings : sequence of finding
        Of the log; a stop keeps it from being met.
    """
    if rule["met"] or planned is None or not planned["met"] or any(f.stops for f in findings):
        return rule
    if planned["clause"] not in {e.id for e in profile.exceptions}:
        return rule
    needs = say(
        "{needs} Its outside is as planned (computed, not measured; its moves were done).", needs=planned["needs"]
    )
    by = say("the plan, computed; its moves were done")
    held = [Premise("clause", Basis.COMPUTED, by, needs), Premise("surface", Basis.COMPUTED, by, needs)]
    moved = {k: planned[k] for k in ("clause", "met_at_s")}
    return replace_premises(rule | moved, *held)


def of_both(first: dict[str, Any], second: dict[str, Any], *, all_of: bool) -> dict[str, Any]:
    """What two logs show of one bird, each of a part: it is met when both are, by the graver of them.

    Parameters
    ----------
    first, second : dict
        As of :func:`judge_log`.
    all_of : bool
        Whether these are all of its parts; else it stays said that one was not measured.
    """
    said = [f for f in first["findings"] if not (all_of and f["code"] == ONE_PART)]
    known = {(f["code"], f["message"]) for f in said}
    said += [f for f in second["findings"] if f["code"] != ONE_PART and (f["code"], f["message"]) not in known]
    by_organism = {m["organism"]: m for m in second["model"]}
    model = [min(m, by_organism.get(m["organism"], m), key=lambda x: x["log10"]) for m in first["model"]]
    rules = [first["rule"], second["rule"]]
    if all_of:
        shown = Premise("parts", Basis.SHOWN, say("the readings"), say("Each part was measured."))
        rules = [replace_premises(r, shown) for r in rules]
    joined = merge_premises([[Premise.of(p) for p in r["premises"]] for r in rules])
    rule = judge_all(rules) | {"premises": [p.as_dict() for p in joined]}
    return {"rule": rule, "model": model, "findings": said}


def of_one_piece(
    rule: dict[str, Any],
    planned: Mapping[str, Any] | None,
    plan: Plan,
    part_rules: Mapping[str, Mapping[str, Any]] | None = None,
) -> dict[str, Any]:
    """A log's statement where the pieces differ in size, or a bird has parts: what was not measured only the plan tells.

    Parameters
    ----------
    rule : dict
        What the log shows of the piece that was measured.
    planned : mapping or None
        The ``rule`` object of the plan, which is met when it is met of every size.
    plan : Plan
    part_rules : mapping, optional
        The rules of the other parts that were measured, by part, as of :func:`ember_core.safety.readings_by_hand.judge_part`.
    """
    others = other_parts(plan)
    if not others:
        return rule
    read = part_rules or {}
    short = [part for part in others if part in read and read[part]["met"] is not True]
    missing = [part for part in others if part not in read]
    if short:
        words = say(
            "Measured in {part}: short of the rule. {needs}",
            part=say(PART_NAMES[short[0]]), needs=read[short[0]]["needs"],
        )  # fmt: skip
        return replace_premises(rule, Premise("parts", Basis.UNKNOWN, say("a thermometer"), words))
    if not missing:
        shown = Premise("parts", Basis.SHOWN, say("a thermometer"), say("Each part was measured."))
        return replace_premises(rule, shown)
    names = join_sentences([say(PART_NAMES[part]) for part in missing], ", ")
    if planned is not None and planned["met"]:
        words = say("Not measured, computed by the plan: {parts}.", parts=names)
        return replace_premises(rule, Premise("parts", Basis.COMPUTED, say("the plan, computed"), words))
    words = say("The plan does not meet the rule everywhere. Measure {parts}.", parts=names)
    return replace_premises(rule, Premise("parts", Basis.UNKNOWN, say("the plan, computed"), words))
