"""What the rules say about a computed plan beyond its cooking clause: findings on a whole cook.

Interrupted cooking, cooling, thawing, holding, come-up, parasites, intact steak, susceptible guests
and chilled pouches, each only where the plan has it.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.formats.plan import Plan, food_row
from ember_core.heat.cook import Cook, StageOutcome
from ember_core.heat.surroundings import HEAT_KINDS, SHORT_DIP_S
from ember_core.safety.keeping import check_cooling, check_holding, rows_of

Array = NDArray[np.float64]
COME_UP_S = 6 * 3600.0  # FSIS Appendix A: 10 to 54.4 °C


def _slice(cook: Cook, begin: float, end: float) -> Any:
    return (cook.t >= begin - 1e-6) & (cook.t <= end + 1e-6)


def _finding(code: str, level: str, message: str, source: str) -> dict[str, str]:
    return {"code": code, "level": level, "message": message, "source": source}


def advice(plan: Plan, cook: Cook, rule: Mapping[str, Any] | None) -> list[dict[str, str]]:
    """Findings of the plan's rule profile on the computed cook; empty when the plan names no rules.

    Parameters
    ----------
    plan : Plan
    cook : Cook
        The nominal cook; the hottest and the coldest of all its recorded places decide.
    rule : mapping or None
        The ``rule`` object of the result.
    """
    if plan.rules is None:
        return []
    everywhere = cook.everywhere
    hottest, coldest = everywhere.max(axis=1), everywhere.min(axis=1)
    met_at = None if rule is None else rule.get("met_at_s")
    out = []
    for stage in cook.stages:
        out += _of_stage(plan, cook, stage, hottest, coldest)
    out += _interrupted(plan, cook, met_at)
    out += _come_up(plan, cook, coldest)
    out += _served(plan, cook, rule)
    return out


def _of_stage(plan: Plan, cook: Cook, stage: StageOutcome, hottest: Array, coldest: Array) -> list[dict[str, str]]:
    part = _slice(cook, stage.start_s, stage.end_s)
    rules = plan.kept_by
    if part.sum() < 2:
        return []
    # a short dip only stops the cooking; a chill that is meant to keep the food is judged
    keeps = stage.end_s - stage.start_s >= SHORT_DIP_S or hottest[part][-1] <= 21.0
    if stage.kind == "chill" and keeps and hottest[part][0] > 40.0:
        heats = [s.end_s for s in cook.stages if s.kind in HEAT_KINDS and s.end_s <= stage.start_s + 1e-6]
        since = max(heats, default=stage.start_s)
        whole = _slice(cook, since, stage.end_s)
        return [c.finding() for c in check_cooling(rules, cook.t[whole], hottest[whole], end_of_heat_s=since)]
    if stage.kind == "hold":
        roast = plan.form == "roast"
        return [check_holding(rules, cook.t[part], coldest[part], hot=True, roast=roast).finding()]
    if stage.kind == "thaw":
        for row in rows_of("thawing", rules):
            warm = hottest[part] > row["raw_above_c"]
            if warm.any() and cook.t[part][-1] - cook.t[part][np.argmax(warm)] > row["raw_above_s"]:
                hours = row["raw_above_s"] / 3600
                return [
                    _finding(
                        "thaw-too-warm",
                        "stop",
                        f"Part of the raw piece is above {row['raw_above_c']:g} °C for more than {hours:g} h while it thaws: "
                        "thaw in the cold, in running water for a shorter time, or cook from frozen.",
                        f"{row['authority']}, {row['clause']}",
                    )
                ]
    return []


def _interrupted(plan: Plan, cook: Cook, met_at: float | None) -> list[dict[str, str]]:
    """A first heat, a chill, and heat again, with the clause not met before the chill."""
    kinds = [s.kind for s in cook.stages]
    for i, kind in enumerate(kinds):
        before = [s for s in cook.stages[:i] if s.kind in HEAT_KINDS]
        again = any(k in HEAT_KINDS for k in kinds[i + 1 :])
        if kind != "chill" or not before or not again:
            continue
        if met_at is not None and met_at <= cook.stages[i].start_s:
            continue
        rows = rows_of("interrupted", plan.kept_by)
        if not rows:
            message = "Cooking is interrupted before the clause is met: only under the kitchen's own written plan."
            return [_finding("interrupted-cooking", "care", message, plan.kept_by)]
        row = rows[0]
        spent = before[-1].end_s - before[0].start_s
        level = "stop" if spent > row["first_heat_s"] else "care"
        message = f"Cooking is interrupted before the clause is met (first heat {spent / 60:.0f} min): {row['needs']}."
        return [_finding("interrupted-cooking", level, message, f"{row['authority']}, {row['clause']}")]
    return []


def _come_up(plan: Plan, cook: Cook, coldest: Array) -> list[dict[str, str]]:
    """The coldest point from 10 to 54.4 °C; a stop under FSIS, a caution elsewhere."""
    warm, hot = np.flatnonzero(coldest >= 10.0), np.flatnonzero(coldest >= 54.35)
    heats = [s for s in cook.stages if s.kind in HEAT_KINDS]
    if not warm.size or not heats:
        return []
    end = cook.t[hot[0]] if hot.size else heats[-1].end_s
    spent = float(end - cook.t[warm[0]])
    if spent <= COME_UP_S:
        return []
    level = "stop" if plan.kept_by == "us-fsis-appendix-a" else "care"
    message = f"The coldest point takes {spent / 3600:.1f} h from 10 °C" + (
        " to 54.4 °C" if hot.size else " without reaching 54.4 °C"
    )
    return [
        _finding(
            "come-up",
            level,
            message + "; 6 h are allowed. Use a thinner piece or a hotter start.",
            "US FSIS Appendix A",
        )
    ]


def _served(plan: Plan, cook: Cook, rule: Mapping[str, Any] | None) -> list[dict[str, str]]:
    """What follows from serving it as it is: parasites, intact steak, susceptible guests, chilled pouches."""
    out = []
    short = rule is not None and rule.get("met") is False
    rules = plan.kept_by
    if short and plan.form == "fish":
        for row in rows_of("parasites", rules):
            plain = "; ".join(f"{r['at_c']:g} °C {r['hours']} h" for r in row["freeze"] if "then_c" not in r)
            out.append(
                _finding(
                    "parasites",
                    "care",
                    f"Served undercooked, this fish must have been frozen ({plain}) or be exempt ({row['exempt']}).",
                    f"{row['authority']}, {row['clause']}",
                )
            )
    species = (food_row(plan.food) or {}).get("species") if plan.food else None
    if short and plan.form == "steak" and species == "beef" and rules in {"us-food-code-2022", "house"}:
        faces = min(float(cook.surface_a.max()), float(cook.surface_b.max()))
        if faces >= 63.0 - 0.05:
            out.append(
                _finding(
                    "intact-steak",
                    "note",
                    f"Both faces reach 63 °C ({faces:.0f} °C): a whole-muscle, intact beef steak, labelled as such and with "
                    "colour on all its outside, may be served undercooked to guests who are not highly susceptible.",
                    "US FDA, Food Code 2022, 3-401.11(C)",
                )
            )
    if short and plan.guests == "susceptible":
        row = rows_of("guests", "us-food-code-2022")[0]
        out.append(
            _finding(
                "susceptible-guests",
                "stop",
                f"Highly susceptible guests: {row['susceptible']}.",
                f"{row['authority']}, {row['clause']}",
            )
        )
    kinds = [s.kind for s in cook.stages]
    if kinds and kinds[-1] == "chill" and "bath" in kinds:
        out.append(
            _finding(
                "chilled-pouch",
                "care",
                "A chilled pouch lets non-proteolytic C. botulinum grow: label it, keep it cold, and keep to the shelf life of "
                "the rules; this cook alone does not make it keep (90 °C 10 min, or its equal, would). Spores of "
                "C. perfringens and the toxin of S. aureus survive cooking.",
                "UK FSA guidance on vacuum packs; Food Code 3-502.12",
            )
        )
    return out
