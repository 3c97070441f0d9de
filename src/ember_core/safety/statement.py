"""The statement on a computed plan: what its clause says, and the premises it stands on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.data.loader import read_toml
from ember_core.heat.cook import Cook
from ember_core.plan.finding import Finding
from ember_core.plan.kinds import COLOURING_KINDS
from ember_core.plan.plan import Plan
from ember_core.safety.advice import advice
from ember_core.safety.claims_of_plan import CLAIMS, OfPlan, traits_of
from ember_core.safety.clocks import judge, judge_all, met_times
from ember_core.safety.conditions import InForce, breaks_of, in_force
from ember_core.safety.history import History
from ember_core.safety.premise import Premise, asked_of, collect_premises, conclude_rule, premises_broken_by
from ember_core.safety.rules import Profile, Seared, profile_of
from ember_core.wording.message import join_sentences, say

Array = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Piece:
    """One computed piece, as the rules look at it.

    Attributes
    ----------
    plan : Plan
    cook : Cook
    coloured : tuple of bool, optional
        Of each of its outsides, whether dry heat gave it a colour; None: nobody looked, so no clause rests on it.
    """

    plan: Plan
    cook: Cook
    coloured: tuple[bool, ...] | None = None


def state_rule(
    plan: Plan,
    cook: Cook,
    coloured: Sequence[bool] | None = None,
    *,
    beside: bool = False,
    pieces: bool = False,
) -> tuple[dict[str, Any] | None, list[Finding]]:
    """The ``rule`` object of a result with its premises, and the findings that go with it, of one piece.

    *Met* is true only when every form's clause is met and every premise that the table asks for holds; it is null when one is not
    known, or when the profile has no number.

    Parameters
    ----------
    plan, cook, coloured
        As of :class:`Piece`.
    beside, pieces : bool
        Whether other food shares its medium; whether its plan has other pieces, sizes or parts.
    """
    if plan.rules is None:
        return None, []
    profile = profile_of(plan.rules, plan.house, species=plan.required.species)
    force = in_force(plan, cook.stages, profile)
    rule = _judged(plan, cook, profile, force, coloured)
    seared = rule["clause"] in {e.id for e in profile.exceptions}
    findings = force.findings + advice(plan, cook, rule, profile)
    h = History(plan, cook, rule, profile)
    missing = [words for pairs in force.open.values() for _, words in pairs]
    of = OfPlan(h, rule, findings, seared, missing)
    rows = asked_of(traits_of(h, seared, beside=beside, pieces=pieces), plan.kept_by)
    claims: list[Premise] = [CLAIMS[row.id](of) for row in rows if row.id in CLAIMS]
    return conclude_rule(rule, collect_premises(rows, [*claims, *premises_broken_by(findings)])), findings


def _judged(
    plan: Plan, cook: Cook, profile: Profile, force: InForce, coloured: Sequence[bool] | None
) -> dict[str, Any]:
    breaks = breaks_of(force, cook.stages, cook.t)

    def of_all(with_open: bool) -> dict[str, Any]:
        said = []
        for form, clauses in force.by_form.items():
            more = [c for c, _ in force.open[form]] if with_open else []
            said.append(judge(profile, form, cook.t, cook.everywhere, breaks=breaks, clauses=[*clauses, *more]))
        return judge_all(said)

    rule = of_all(False)
    if not rule["met"]:
        for seared in profile.exceptions:
            at = _seared_at(plan, cook, seared, coloured)
            if at is not None:
                return rule | {
                    "clause": seared.id, "met": True, "met_at_s": round(at, 3), "remaining_s": 0.0, "needs": join_sentences([say("Met."), say(seared.note)])
                }  # fmt: skip
    missing = [words for pairs in force.open.values() for _, words in pairs]
    if not rule["met"] and missing:
        loose = of_all(True)
        if loose["met"]:
            return loose | {"met": None, "met_at_s": None, "remaining_s": None, "needs": missing[0]}
        return loose
    return rule


def is_a_steak(plan: Plan) -> bool:
    """Whether a piece has the shape of a steak: a slab of its thickness, and as wide and long as one where that is stated."""
    size = read_toml("forms.toml")["steak_size"]
    shape = plan.shape
    if shape["kind"] not in {"slab", "box"} or plan.cut_at is not None:
        return False
    if not size["thickness_mm"][0] <= shape["thickness_mm"] <= size["thickness_mm"][1]:
        return False
    across = [shape[k] for k in ("length_mm", "width_mm") if k in shape]
    mass = plan.document["piece"].get("mass_g")
    return all(a >= size["across_mm"] for a in across) and (mass is None or mass <= size["mass_g"])


def _seared_at(plan: Plan, cook: Cook, seared: Seared, coloured: Sequence[bool] | None) -> float | None:
    """When an intact piece's outside has met the rows of a clause for it, s; None when that clause does not hold.

    The outside must be hot enough, and coloured all over by dry heat of a pan, grill, oven or fat: what is boiled, steamed, left in
    its pouch, or only torched is not seared.
    """
    required = plan.required
    if not required.whole or required.form not in seared.forms or required.species not in seared.species:
        return None
    if plan.guests == "susceptible" or plan.cut_at is not None:  # cut faces were inside when the outside was seared
        return None
    if required.form == "steak" and seared.top_and_bottom and not is_a_steak(plan):
        return None
    if not coloured or not all(coloured):
        return None
    dry = [s for s in plan.stages if s.kind in COLOURING_KINDS and not any(f.cover == "bag" for f in s.all_faces)]
    a, b = (any(f.kind in COLOURING_KINDS for s in dry for f in (getattr(s, face),)) for face in ("face_a", "face_b"))
    if not (a and (b or cook.closed)):
        return None
    outside = [cook.surface_a] if cook.closed and not cook.elsewhere.size else [cook.surface_a, cook.surface_b]
    field = np.column_stack(outside)
    if not seared.top_and_bottom and cook.elsewhere.size:
        field = np.hstack([field, cook.elsewhere])
    met, _ = met_times(cook.t, field, seared.rows, interpolate=True)
    at = float(met.min(axis=0).max())
    return at if np.isfinite(at) else None
