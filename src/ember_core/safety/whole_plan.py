"""The statement on a whole plan: every size, part and portion of it, its pieces under steam, and what lies beside them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

import numpy as np

from ember_core.book.foods import food_row
from ember_core.heat.geometry.bird import part_shape
from ember_core.plan.finding import Finding, Level
from ember_core.plan.kinds import CONTACT_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.probe_places import PART_NAMES
from ember_core.safety.clocks import judge_all
from ember_core.safety.premise import Basis, Premise, merge_premises, relabel_premises
from ember_core.safety.statement import Piece, state_rule
from ember_core.wording.message import Message, say

SHORT_K = 0.5  # a part of a bird that stays so far below its target is said: which part leads is an estimate
OUTSIDE_C = (
    63.0  # what has had so much all over its outside leaves nothing raw behind; the row of Food Code 3-401.11(C)
)
"""Heat in which a piece leaves something for another; on trays of one oven it does not. Our reading of Food Code 3-302.11."""
SPREAD_THROUGH = frozenset({"poultry", "minced", "tenderised", "injected", "stuffed", "game-wild", "egg-later"})
"""Forms of which the inside is as raw as the outside: only their own rule says that they leave nothing behind."""


@dataclass(frozen=True, eq=False)
class Computed:
    """A plan with everything that was cooked for it.

    Attributes
    ----------
    piece : Piece
        Its own piece, nominal.
    others : tuple of Piece
        Pieces of other sizes, laid in later, or the other parts of a bird.
    steamed : tuple of Piece
        Its pieces in pans that the steam of their juice cools.
    beside : tuple of Piece
        Other food in the same medium.
    cautious : tuple of Piece
        One at the cautious end of the likely ones, those of other sizes after it; empty: not asked for.
    share_met : float, optional
        Share of the likely pieces that meet the rule, 0 to 1; None: not asked for.
    shared_medium : str
        Kind of the stage whose medium they share with ``beside``; empty: none.
    """

    piece: Piece
    others: tuple[Piece, ...] = ()
    steamed: tuple[Piece, ...] = ()
    beside: tuple[Piece, ...] = ()
    cautious: tuple[Piece, ...] = ()
    share_met: float | None = None
    shared_medium: str = ""


@dataclass(frozen=True, eq=False)
class Decision:
    """What the rules say of a whole plan.

    Attributes
    ----------
    rule : dict or None
        As the open result has it; None where the plan names no rules.
    findings : tuple of Finding
        That go with it.
    parts : dict or None
        What becomes of each part of a bird; None of what is no bird.
    """

    rule: dict[str, Any] | None
    findings: tuple[Finding, ...]
    parts: dict[str, Any] | None


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


def _steam(words: str) -> Message:
    return say("With the steam of their juice, which cools the pan: {words}", words=words)


def decide(computed: Computed) -> Decision:
    """Judge a whole plan: *met* when every one of its pieces meets its clause and all premises hold of each.

    Parameters
    ----------
    computed : Computed
    """
    own = computed.piece
    pieces = bool(computed.others or computed.steamed)
    neighbours = computed.beside if computed.shared_medium in CONTACT_KINDS else ()
    beside = bool(neighbours)

    def of(piece: Piece) -> tuple[dict[str, Any] | None, list[Finding]]:
        return state_rule(piece.plan, piece.cook, piece.coloured, beside=beside, pieces=pieces)

    rule, said = of(own)
    parts, of_parts = _parts(own, computed.others)
    if rule is None:
        return Decision(None, (*of_parts, *said), parts)
    statements = [rule]
    lists: list[Sequence[Premise]] = [[Premise.of(p) for p in rule["premises"]]]
    more: list[Finding] = []
    not_met: list[tuple[bool | None, Message]] = []
    named: list[tuple[Piece, Callable[[str], Message]]] = [(p, partial(_of, p.plan)) for p in computed.others]
    named += [(p, _steam) for p in computed.steamed]
    for piece, words in named:
        theirs, found = of(piece)
        if theirs is None:
            continue
        if theirs["met"] is not True:
            theirs = theirs | {"needs": words(theirs["needs"])}
            not_met.append((theirs["met"], theirs["needs"]))
        statements.append(theirs)
        lists.append(relabel_premises([Premise.of(p) for p in theirs["premises"]], words))
        known = {f.code for f in (*said, *more) if f.stops}
        more += [Finding(f.code, f.level, words(f.message), f.source) for f in found if f.stops and f.code not in known]
    joined = list(merge_premises(lists))
    if not_met:
        met, words_of_it = next((x for x in not_met if x[0] is False), not_met[0])
        basis = Basis.BROKEN if met is False else Basis.UNKNOWN
        joined = [p for p in joined if p.id != "parts"]
        joined.append(Premise("parts", basis, say("this cook, computed"), words_of_it))
    out = judge_all(statements)
    neighbour, of_neighbour = raw_neighbour(own.plan, neighbours)
    if neighbour is not None:
        joined = [p for p in joined if p.id != neighbour.id] + [neighbour]
        more += of_neighbour
        if out["met"] is not False:
            met = False if neighbour.basis is Basis.BROKEN else None
            out = out | {"met": met, "needs": neighbour.needs, "remaining_s": None}
            out |= {"met_at_s": None} if met is False else {}
    out = out | {"premises": [p.as_dict() for p in joined]}
    findings = [*of_parts, *_at_the_cautious_end(computed, out), *said, *more]
    return Decision(out, tuple(findings), parts)


def raw_neighbour(own: Plan, beside: Sequence[Piece]) -> tuple[Premise | None, list[Finding]]:
    """The first piece of other food that leaves the shared medium raw, as a premise with what is said of it; None where none does.

    Parameters
    ----------
    own : Plan
        Of the piece that is judged; it names rules.
    beside : sequence of Piece
        What lies in the same pan, fat, water or bath, each until it leaves.
    """
    for piece in (p for p in beside if p.plan.required.is_animal):
        plan = piece.plan if piece.plan.rules is not None else replace(piece.plan, rules=own.rules, house=own.house)
        rule, _ = state_rule(plan, piece.cook, piece.coloured)
        assert rule is not None  # rules are set
        outside = np.column_stack([piece.cook.surface_a, piece.cook.surface_b])
        if rule["met"] is True or (
            not SPREAD_THROUGH & set(plan.required.forms) and float(outside.max(axis=0).min()) >= OUTSIDE_C
        ):
            continue
        words = say(
            "{food} leaves the same pan, fat, water or bath at {core_c:temp1} in its core, short of its own rule: what it leaves behind "
            "gets on this. Cook that one through, or keep them apart.",
            food=plan.title or say(str((food_row(plan.food or "") or {"name": plan.food})["name"])), core_c=piece.cook.peak_core_c,
        )  # fmt: skip
        basis = Basis.BROKEN if rule["met"] is False else Basis.UNKNOWN
        level = Level.STOP if basis is Basis.BROKEN else Level.CARE
        premise = Premise("neighbours", basis, say("this cook, computed"), words)
        return premise, [
            Finding("raw-beside", level, words, "Food Code 3-302.11, raw kept apart from what is ready to eat")
        ]
    return None, []


def _at_the_cautious_end(computed: Computed, rule: dict[str, Any]) -> list[Finding]:
    """What the rule says of a piece at the cautious end of the likely ones; sets ``at_cautious_end`` and ``share_met``."""
    rule["at_cautious_end"], rule["share_met"] = None, None
    if not computed.cautious:
        return []
    worst = [r for c in computed.cautious if (r := state_rule(c.plan, c.cook, c.coloured)[0]) is not None]
    worse = judge_all(worst)
    rule["at_cautious_end"] = bool(rule["met"] is True and all(r["met"] is True for r in worst))
    rule["share_met"] = None if computed.share_met is None else round(computed.share_met, 3)
    if not rule["met"] or rule["at_cautious_end"]:
        return []
    words = say(
        "At the cautious end of the likely pieces (5 in 100 are worse) it is short: {needs}", needs=worse["needs"]
    )
    return [Finding("rule-at-the-cautious-end", "care", words, "forecast")]


def _parts(own: Piece, others: Sequence[Piece]) -> tuple[dict[str, Any] | None, list[Finding]]:
    """What becomes of each part of a bird, and what a reader should know of it; None of what is no bird."""
    plan = own.plan
    if plan.targets is None:
        return None, []
    out, said = dict[str, Any](), list[Finding]()
    found = {one.plan.shape["part"]: one for one in (own, *others)}
    for part, target in plan.targets.items():
        one, its = found[part].plan, found[part].cook
        ready = its.core >= target - 0.05
        rule, _ = state_rule(one, its, pieces=True)
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
                "When {leads} is done, {part} peaks at {peak_c:temp1}, below its target of {target_c:temp}: leave the bird in "
                "longer, or finish that part alone.",
                part=say(PART_NAMES[part]), peak_c=its.peak_core_c, target_c=target, leads=say(PART_NAMES[plan.shape["part"]]),
            )  # fmt: skip
            said.append(Finding("part-below-target", "care", words, "model"))
    return out, said
