"""The open result format, ``open-ember.result/1``: a computed cook with its two statements."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from ember_core import __version__
from ember_core.data.loader import data_version
from ember_core.doneness.eggs import egg_findings
from ember_core.doneness.outside import outside
from ember_core.heat.cook import Cook
from ember_core.heat.egg_states import is_egg, state_of
from ember_core.heat.ensemble.forecast import Forecast, quantiles
from ember_core.heat.geometry.bird import part_shape
from ember_core.heat.physics.stores import same_store
from ember_core.heat.setup import store_stated
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan
from ember_core.plan.requirement import JUICELESS
from ember_core.safety.clocks import judge_all
from ember_core.safety.growth import GROWS_LITTLE, growth_findings, growth_of
from ember_core.safety.lethality import for_food, statement
from ember_core.safety.statement import state_rule
from ember_core.wording.message import N_, Message, say

FORMAT = "open-ember.result/1"

DRAW_POINTS = 400


def sample_rows(plan: Plan, cook: Cook) -> np.ndarray[Any, np.dtype[np.intp]]:
    """Indices of the samples to write: start, stage ends, report times, and enough to draw."""
    must = {0, len(cook.t) - 1}
    for moment in [s.end_s for s in cook.stages] + [t for t in plan.report_at_s if t <= cook.t[-1] + 1e-6]:
        must.add(cook.at(moment))
    last = {round(float(cook.t[i]), 3): i for i in sorted(must)}  # of moments that are written the same, the last
    must, written = set(last.values()), set(last)
    free = np.array(
        [i for i in range(len(cook.t)) if i not in must and round(float(cook.t[i]), 3) not in written], dtype=int
    )
    free = free[np.unique(cook.t[free].round(3), return_index=True)[1]] if free.size else free
    if free.size > DRAW_POINTS:
        free = free[np.linspace(0, free.size - 1, DRAW_POINTS).astype(int)]
    return np.union1d(free, sorted(must)).astype(np.intp)


def _at_the_cautious_end(rule: dict[str, Any], worse: dict[str, Any]) -> list[Finding]:
    """What the rule says of a piece at the cautious end of the likely ones, when it says so of the nominal one."""
    if not rule["met"]:
        return []
    if worse["met"]:
        words = say("Met at the cautious end too (5 in 100 are worse).")
        return [Finding("rule-at-the-cautious-end", "note", words, "forecast")]
    words = say(
        "At the cautious end of the likely pieces (5 in 100 are worse) it is short: {needs}", needs=worse["needs"]
    )
    return [Finding("rule-at-the-cautious-end", "care", words, "forecast")]


PART_NAMES = {"breast": N_("the breast"), "leg": N_("the leg"), "stuffing": N_("the stuffing")}


def laid_after(plan: Plan) -> bool:
    """Whether this is a piece laid in after the first of its plan (its stages are by the first one's clock)."""
    stated = [s.get("store", {}) for s in plan.document["stages"]]
    return any(s.get("lay_in_every_s", 0.0) > 0.0 for s in stated) and not any(s.until for s in plan.stages)


def _of(one: Plan, words: str) -> Message:
    """Words about a piece of another size, or about another part of a bird."""
    if one.targets is not None:
        return say("Of {part}: {words}", part=say(PART_NAMES[one.shape["part"]]), words=words)
    if laid_after(one):
        return say("A piece that is laid in later: {words}", words=words)
    size = float(one.shape.get("thickness_mm") or one.shape["diameter_mm"])
    return say("The piece of {size:length0}: {words}", size=size, words=words)


def _with_steam(rule: dict[str, Any] | None, steamed: Sequence[dict[str, Any] | None]) -> dict[str, Any] | None:
    """A statement with those on the pieces in a pan which steam cools."""
    if rule is None:
        return rule
    statements = [rule]
    for colder in steamed:
        if colder is not None and colder["met"] is not True:
            words = say("With the steam of their juice, which cools the pan: {words}", words=colder["needs"])
            statements.append(colder | {"needs": words})
        elif colder is not None:
            statements.append(colder)
    return judge_all(statements)


SHORT_K = 0.5  # a part of a bird that stays so far below its target is said: which part leads is an estimate


def _parts(plan: Plan, cook: Cook, others: Sequence[tuple[Plan, Cook]]) -> tuple[dict[str, Any] | None, list[Finding]]:
    """What becomes of each part of a bird, and what a reader should know of it; None of what is no bird."""
    if plan.targets is None:
        return None, []
    out, said = dict[str, Any](), list[Finding]()
    found = {one.shape["part"]: (one, its) for one, its in ((plan, cook), *others)}
    for part, target in plan.targets.items():
        one, its = found[part]
        ready = its.core >= target - 0.05
        rule, _ = state_rule(one, its)
        pull = its.pull_s
        out[part] = {
            "target_c": target,
            "leads": part == plan.shape["part"],
            "size_mm": round(float(next(v for k, v in part_shape(one.shape).items() if k.endswith("_mm"))), 1),
            "pull_core_c": None if pull is None else round(float(np.interp(pull, its.t, its.core)), 4),
            "peak_core_c": round(its.peak_core_c, 4),
            "ready_s": round(float(its.t[int(np.argmax(ready))]), 3) if ready.any() else None,
            "rule": rule,
        }
        if its.peak_core_c < target - SHORT_K and not out[part]["leads"]:
            words = say(
                "{part} peaks at {peak_c:temp1}, below its target of {target_c:temp}, when {leads} is done: leave the bird in "
                "longer, or finish that part alone.",
                part=say(PART_NAMES[part]), peak_c=its.peak_core_c, target_c=target, leads=say(PART_NAMES[plan.shape["part"]]),
            )  # fmt: skip
            said.append(Finding("part-below-target", "care", words, "model"))
    return out, said


def _of_all_sizes(
    rule: dict[str, Any] | None, said: list[Finding], others: Sequence[tuple[Plan, Cook]]
) -> tuple[dict[str, Any] | None, list[Finding]]:
    """The statement on the gravest of the pieces, and the findings with what stops a piece of another size."""
    if rule is None:
        return rule, said
    statements, more = [rule], list[Finding]()
    for one, cook in others:
        own, its = state_rule(one, cook)
        if own is None:
            continue
        if own["met"] is not True:
            own = own | {"needs": _of(one, own["needs"])}
        statements.append(own)
        known = {f.code for f in (*said, *more) if f.stops}
        more += [
            Finding(f.code, f.level, _of(one, f.message), f.source) for f in its if f.stops and f.code not in known
        ]
    return judge_all(statements), [*said, *more]


MEDIUM_POINTS = 60


def _medium(plan: Plan, cook: Cook, i: int) -> dict[str, Any]:
    """The temperature of a stage's medium with a store, as ``medium``; nothing where it has none."""
    if not cook.medium.size:
        return {}
    stage, stated = cook.stages[i], store_stated(plan.stages[i])
    # what is recorded at its begin is the medium of the stage before, which may be another
    goes_on = i == 0 or same_store(store_stated(plan.stages[i - 1]), stated)
    after = cook.t >= stage.start_s if goes_on else cook.t > stage.start_s
    within = after & (cook.t <= stage.end_s) & np.isfinite(cook.medium)
    at = np.flatnonzero(within)
    if at.size < 2:
        return {}
    at = at[np.unique(np.linspace(0, at.size - 1, min(at.size, MEDIUM_POINTS)).astype(int))]
    return {"medium": [[round(float(cook.t[i]), 3), round(float(cook.medium[i]), 3)] for i in at]}


def document(
    plan: Plan,
    cook: Cook,
    ahead: Forecast | None,
    cautious: Sequence[Cook],
    said_of_plan: list[Finding],
    others: Sequence[tuple[Plan, Cook]] = (),
    steamed: Sequence[tuple[Plan, Cook]] = (),
) -> dict[str, Any]:
    """A computed plan as the result document.

    Parameters
    ----------
    plan, cook : Plan, Cook
        What was asked, and its nominal cook.
    ahead : Forecast or None
    cautious : sequence of Cook
        Of a piece at the cautious end of the likely ones; of pieces of other sizes after it. Empty: not asked for.
    said_of_plan : list of finding
        What is said besides the cook's own findings and the rule's.
    others : sequence of (Plan, Cook)
        Pieces of the same plan of other sizes, or the other parts of a bird, and how they cook: the rule is met when it is met
        of all.
    steamed : sequence of (Plan, Cook)
        Its pieces in pans that the steam of their juice cools: the rule is met when it is met of these too.
    """
    rule, said = _of_all_sizes(*state_rule(plan, cook), others)
    rule = _with_steam(rule, [state_rule(one, its)[0] for one, its in steamed])
    parts, of_parts = _parts(plan, cook, others)
    findings = [*cook.findings, *of_parts, *said_of_plan]
    worst_rules = [r for c in cautious if (r := state_rule(plan, c)[0]) is not None]
    worse = judge_all(worst_rules) if worst_rules else None
    if rule is not None and worse is not None:
        findings += _at_the_cautious_end(rule, worse)
    findings += said
    if plan.rules is None and plan.properties is None and plan.required.species not in GROWS_LITTLE:
        findings += growth_findings(growth_of(cook))
    coast = None
    if cook.pull_stage is not None:
        pull = cook.stages[cook.pull_stage]
        after = cook.t >= pull.end_s - 1e-6
        top = max(float(cook.core[after].max()), cook.peak_core_c if cook.peak_t_s >= pull.end_s else -1e9)
        coast = {
            "pull_s": round(pull.end_s, 3),
            "pull_core_c": round(pull.core_c, 4),
            "rise_c": round(max(top - pull.core_c, 0.0), 4),
        }
    if ahead is not None and ahead.failed:
        findings.append(
            Finding(
                "members-failed",
                "care",
                say("{failed} members of the forecast gave up and are left out.", failed=ahead.failed),
                "forecast",
            )
        )
    egg = state_of(plan, cook) if is_egg(plan) else None
    if egg is not None:
        findings += egg_findings(plan, egg)
    worst = (cautious[0].t, cautious[0].everywhere) if cautious else None
    out: dict[str, Any] = {
        "format": FORMAT,
        "core_version": __version__,
        "data_version": data_version(),
        "samples": [
            {
                "t_s": round(float(cook.t[i]), 3),
                "core_c": round(float(cook.core[i]), 4),
                "mean_c": round(float(cook.mean[i]), 4),
                "surface_c": round(float(cook.surface_a[i]), 4),
                "surface_b_c": round(float(cook.surface_b[i]), 4),
            }
            | ({} if egg is None else {"yolk_edge_c": round(float(egg.edge_c[i]), 4)})
            for i in sample_rows(plan, cook)
        ],
        "stages": [
            {
                "kind": s.kind,
                "start_s": round(s.start_s, 3),
                "end_s": round(s.end_s, 3),
                "core_c": round(s.core_c, 4),
                "mean_c": round(s.mean_c, 4),
                "ended_by": s.ended_by,
            }
            | _medium(plan, cook, i)
            for i, s in enumerate(cook.stages)
        ],
        "peak": {"core_c": round(cook.peak_core_c, 4), "t_s": round(cook.peak_t_s, 3)},
        "coast": coast,
        "rule": rule,
        "model": [statement(cook.t, cook.everywhere, o, worst) for o in for_food(plan.required.species)],
        "forecast": None
        if ahead is None
        else {
            "pull_s": quantiles(ahead.pull_s),
            "peak_core_c": quantiles(ahead.peak_core_c),
            "members": int(ahead.peak_core_c.size),
            "grid_error": {k: round(v, 4) for k, v in ahead.grid_error.items()},
        },
        "egg": None if egg is None else egg.as_dict(cook.peak_core_c),
        "findings": [f.as_dict() for f in findings],
    }
    if plan.properties is None and plan.required.form not in JUICELESS:
        out["outside"] = outside(plan, cook).as_dict()
    if plan.properties is None and plan.required.species not in GROWS_LITTLE:
        out["growth"] = growth_of(cook).as_dict()
    if parts is not None:
        out["parts"] = parts
    return out
