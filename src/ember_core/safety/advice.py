"""What the rules say about a computed plan beyond its cooking clause: findings on a whole cook.

Growth before and after, cooling, thawing, holding, reheating, interrupted cooking, parasites, susceptible guests,
chilled pouches, liquid egg and bivalves, each only where the plan has it. A finding of level ``stop`` takes *met* away.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.data.loader import read_toml
from ember_core.heat.cook import Cook
from ember_core.heat.course import StageOutcome
from ember_core.plan.finding import Finding, Level
from ember_core.plan.kinds import COOLING_KINDS, HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.safety.check import Check, rows_of, standing_in
from ember_core.safety.claims_of_plan import guests_of_cook
from ember_core.safety.clocks import met_times
from ember_core.safety.growth import GROWS_LITTLE, growth_findings, growth_of
from ember_core.safety.history import History
from ember_core.safety.keeping import (
    check_begin_of_chilling,
    check_cooling,
    check_egg_product,
    check_growth,
    check_holding,
    check_raw,
    check_reheating,
    check_warm,
    parasites_controlled,
    shelf_life,
    time_out_of_control,
)
from ember_core.safety.notes import guidance, house_notes
from ember_core.safety.rules import Profile
from ember_core.wording.message import join_sentences, say

Array = NDArray[np.float64]
Findings = list[Finding]


def advice(plan: Plan, cook: Cook, rule: Mapping[str, Any], profile: Profile) -> Findings:
    """Findings of the plan's rule profile on the computed cook.

    Parameters
    ----------
    plan : Plan
    cook : Cook
        The nominal cook; the hottest and the coldest of all its recorded places decide.
    rule : mapping
        The ``rule`` object of the result, before findings took *met* away.
    profile : Profile
        The profile it was made by.
    """
    h = History(plan, cook, rule, profile)
    out: Findings = [*plan.required.notes, *house_notes(profile)]
    for stage in cook.stages:
        out += _of_stage(h, stage)
    out += [c.finding() for c in _growth(h) if not c.met]
    if plan.properties is None and plan.required.species not in GROWS_LITTLE:
        out += growth_findings(growth_of(cook))
    out += _raw(h)
    out += _interrupted(h)
    out += _reheated(h)
    out += _fish(h)
    out += _served(h)
    out += guidance(profile, plan.required, h.t, h.cook.everywhere, interpolate=True)
    return [*out, *_cautions(h)]


SMOKE, GROWTH_ENDS_C = (
    "smoke",
    54.4,
)  # where C. perfringens no longer grows, °C: the come-up of US FSIS Appendix A ends there


def _cautions(h: History) -> Findings:
    """What always goes with such a food or way, whatever was computed."""
    texts = read_toml("cautions.toml")
    heats = [s.kind for s in h.plan.stages]
    smoked = [s for s in h.plan.stages if s.kind == SMOKE]
    holds = {
        "smoke-cold": any((s.face_a.medium_c or 0.0) < GROWTH_ENDS_C for s in smoked),
        "smoke-kept": bool(smoked) and heats[-1] in COOLING_KINDS,
        "poultry": "poultry" in h.plan.required.forms and h.plan.required.species is not None,
        "pouch": "bath" in heats and h.plan.shape["kind"] != "egg" and not COOLING_KINDS & set(heats),
    }
    return [
        Finding(f"caution-{name}", Level.CARE, say(row["words"]), f"{row['authority']}, {row['clause']}")
        for name, row in texts.items()
        if holds[name]
    ]


def _of_stage(h: History, stage: StageOutcome) -> Findings:
    plan, rules = h.plan, h.plan.kept_by
    part = h.part(stage.start_s, stage.end_s)
    if not part.any():
        return []
    t = h.t[part]
    since = h.heat_before(stage)
    if stage in h.chills and since is not None:
        return _cooled(h, stage, since)
    if stage.kind == "hold":
        return [_held(rules, t, h.coldest[part], roast=plan.form == "roast")]
    if stage.kind == "thaw":
        return _thawed(h, stage, t, h.hottest[part])
    return []


def _cooled(h: History, stage: StageOutcome, since: float) -> Findings:
    """Cooling after heat that ended at ``since`` s: of several stages in a row all together, at the end of the last.

    Heat that follows while there is time left ends the cooling: what was warm until then is counted as growth.
    """
    rules = h.plan.kept_by
    i = h.cook.stages.index(stage)
    following = h.cook.stages[i + 1].kind if i + 1 < len(h.cook.stages) else ""
    begins = i == 0 or h.cook.stages[i - 1].kind not in COOLING_KINDS
    out = []
    if following not in COOLING_KINDS:
        whole = h.part(since, stage.end_s)
        checks = check_cooling(rules, h.t[whole], h.hottest[whole], end_of_heat_s=since, measured=False)
        heated = following in HEAT_KINDS
        for check in checks:
            over = check.used_s is None or check.limit_s is None or check.used_s > check.limit_s
            if check.met or over:
                out.append(check.finding())
            elif not heated:  # its clock still runs: nothing is broken
                out.append(replace(check.finding(), level=Level.CARE))
    begin = check_begin_of_chilling(rules, stage.start_s - since) if begins else None
    return [*out, *([begin.finding()] if begin and not begin.met else [])]


def _held(rules: str, t: Array, coldest: Array, *, roast: bool) -> Finding:
    """Hot holding; below its limit time is the control, where the profile has it."""
    check = check_holding(rules, t, coldest, hot=True, roast=roast)
    found = check.finding()
    if check.met is False and rows_of("time_control", rules):
        time = time_out_of_control(rules, t, coldest)
        words = join_sentences([found.message, say("Time as a control: {time}", time=time.message)])
        return replace(found, message=words, level=Level.CARE if time.met else Level.STOP)
    return found


def _thawed(h: History, stage: StageOutcome, t: Array, hottest: Array) -> Findings:
    out = []
    spec = h.plan.stages[h.cook.stages.index(stage)]
    for row in rows_of("thawing", h.plan.kept_by):
        source = f"{row['authority']}, {row['clause']}"
        water = [f.medium_c for f in spec.all_faces if f.variant in {"running-water", "still-water"}]
        if any(c is not None and c > row["water_c"] + 0.05 for c in water):
            words = say(
                "Thawing water is at most {water_c:temp}, running: use colder water, or cook from frozen.",
                water_c=row["water_c"],
            )
            out.append(Finding("thaw-water", "stop", words, source))
        warm = hottest > row["raw_above_c"]
        if warm.any() and t[-1] - t[np.argmax(warm)] > row["raw_above_s"]:
            hours = row["raw_above_s"] / 3600
            words = say(
                "Part of the raw piece is above {raw_above_c:temp} for more than {hours:g} h while it thaws: thaw in the "
                "cold, in running water for a shorter time, or cook from frozen.",
                raw_above_c=row["raw_above_c"],
                hours=hours,
            )
            out.append(Finding("thaw-too-warm", "stop", words, source))
    return out


def _growth(h: History) -> Iterator[Check]:
    """Growth before each episode's food is cooked, and after."""
    for begin, end in h.episodes():
        heats = [s.end_s for s in h.heats if begin < s.end_s <= end + 1e-6]
        cooked = h.cooked_at if h.cooked_at is not None else max(heats, default=end)
        cooked = min(max(cooked, begin), end)
        before, after = h.part(begin, cooked), h.part(cooked, end)
        if before.any():
            yield check_growth(h.plan.kept_by, h.t[before], h.coldest[before])
        if after.any():
            yield check_warm(h.plan.kept_by, h.t[after], h.coldest[after], roast=h.plan.form == "roast")


def _raw(h: History) -> Findings:
    """Raw food above cold holding before its first heat; raw vegetables need none (Food Code 1-201.10(B))."""
    if not h.plan.required.is_animal and h.plan.food in read_toml("forms.toml")["raw_vegetables"]["foods"]:
        return []
    part = h.part(0.0, min((s.start_s for s in h.heats), default=h.end_s))
    check = check_raw(h.plan.kept_by, h.t[part], h.hottest[part]) if part.any() else None
    return [check.finding()] if check is not None and not check.met else []


def _interrupted(h: History) -> Findings:
    """A first heat, a chill, and heat again, with the clause not met before the chill; of animal food (Food Code 3-401.14)."""
    if not h.plan.required.is_animal:
        return []
    kinds = [s.kind for s in h.cook.stages]
    met_at = h.cooked_at
    for i, kind in enumerate(kinds):
        before = [s for s in h.cook.stages[:i] if s.kind in HEAT_KINDS]
        again = any(k in HEAT_KINDS for k in kinds[i + 1 :])
        if kind not in COOLING_KINDS or not before or not again:
            continue
        if met_at is not None and met_at <= h.cook.stages[i].start_s:
            continue
        rows = rows_of("interrupted", h.plan.kept_by)
        if not rows:
            message = say("Cooking is interrupted before the clause is met: only under the kitchen's own written plan.")
            return [Finding("interrupted-cooking", "care", message, h.plan.kept_by)]
        row = rows[0]
        spent = before[-1].end_s - before[0].start_s
        level = "stop" if spent > row["first_heat_s"] else "care"
        message = say(
            "Cooking is interrupted before the clause is met (first heat {minutes:.0f} min): {needs}.",
            minutes=spent / 60,
            needs=say(row["needs"]),
        )
        return [Finding("interrupted-cooking", level, message, f"{row['authority']}, {row['clause']}")]
    return []


def _reheated(h: History) -> Findings:
    """Heat after a chill that followed a met clause: reheating, for hot holding where a hold follows, else for service."""
    met_at = h.cooked_at
    out = []
    for stage in h.keeps:
        after = [s for s in h.cook.stages if s.start_s >= stage.end_s - 1e-6]
        if met_at is None or met_at > stage.start_s or not any(s.kind in HEAT_KINDS for s in after):
            continue
        part = h.part(
            stage.end_s, min((s.start_s for s in after if s.kind in COOLING_KINDS | {"hold"}), default=h.end_s)
        )
        if not part.any():
            continue
        purpose = "hot-holding" if any(s.kind == "hold" for s in after) else "immediate"
        check = check_reheating(h.plan.kept_by, h.t[part], h.coldest[part], purpose=purpose)
        out.append(check.finding())
    return out


def _fish(h: History) -> Findings:
    """Parasites in fish that is served short of the clause, unless heat or the plan's own freezing deals with them."""
    out = []
    if h.rule.get("met") or "fish" not in h.plan.required.forms:
        return []
    for row in rows_of("parasites", h.plan.kept_by):
        cooked = met_times(h.t, h.cook.everywhere, row["cook"], interpolate=True)[0]
        if np.isfinite(cooked.min(axis=0).max()) or parasites_controlled(row["profile"], h.t, h.hottest).met:
            continue
        rows = [r for r in row["freeze"] if "then_c" not in r]
        plain = join_sentences([say("{at_c:temp} {hours} h", at_c=r["at_c"], hours=r["hours"]) for r in rows], "; ")
        words = say(
            "Served undercooked, this fish must have been frozen ({plain}) or be exempt ({exempt}).",
            plain=plain,
            exempt=say(row["exempt"]),
        )
        out.append(Finding("parasites", "care", words, f"{row['authority']}, {row['clause']}"))
    return out


def _served(h: History) -> Findings:
    """What follows from serving it as it is: susceptible guests, bivalves, liquid egg, chilled food."""
    out, plan, rules = [], h.plan, h.plan.kept_by
    if not h.rule.get("met"):
        eaten = guests_of_cook(h)
        if not eaten.holds:
            row = rows_of("guests", standing_in("guests"))[0]
            out.append(Finding("susceptible-guests", "stop", eaten.needs, f"{row['authority']}, {row['clause']}"))
    if plan.food in read_toml("forms.toml")["bivalves"]["foods"]:
        for row in rows_of("bivalves", rules):
            reached = met_times(h.t, h.cook.everywhere, row["rows"], interpolate=True)[0]
            if not np.isfinite(reached.min(axis=0).max()):
                words = say(
                    "Bivalves from waters that are not the cleanest are heated to {at_c:temp} for 90 s inside; this cook "
                    "does not.",
                    at_c=90.0,
                )
                out.append(Finding("bivalves", "care", words, f"{row['authority']}, {row['clause']}"))
    species = "duck" if plan.food == "egg-duck" else plan.shape.get("species", "hen")
    if not h.rule.get("met") and plan.required.species == "egg" and plan.kept_by == "uk-fsa" and species != "hen":
        words = say(
            "Only a hen's egg of an assurance scheme may be soft: cook it through, 70 °C for 2 min or its equal."
        )
        out.append(Finding("egg-species", "stop", words, "UK FSA guidance, 2017"))
    egg_products = read_toml("forms.toml")["egg_products"]
    if plan.food in egg_products and plan.shape["kind"] != "egg" and rows_of("egg_products", rules):
        found = check_egg_product(rules, egg_products[plan.food], h.t, h.coldest).finding()
        out.append(replace(found, level=Level.NOTE if found.level == Level.NOTE else Level.CARE))
    if h.chills and h.chills[-1] is h.cook.stages[-1]:
        out += _kept(h)
    return out


def _kept(h: History) -> Findings:
    """How long the chilled food keeps, and what lives on in a pouch."""
    rules = h.plan.kept_by
    pouch = any(s.kind == "bath" for s in h.plan.stages)
    store_c = max(f.medium_c or 0.0 for f in h.plan.stages[-1].all_faces)
    days, clause = shelf_life(rules, "pouch" if pouch else "ready-to-eat", store_c)
    label = say("no number")
    if days is not None:
        label = say("keeps {days:g} days at {store_c:temp} or below", days=days, store_c=store_c)
    out = [
        Finding(
            "shelf-life",
            "care" if not days else "note",
            say("Label it: {label}. {clause}.", label=label, clause=clause),
            rules,
        )
    ]
    if pouch:
        out.append(
            Finding(
                "chilled-pouch",
                "care",
                say(
                    "A chilled pouch lets non-proteolytic C. botulinum grow: label it, keep it cold, and keep to the shelf "
                    "life of the rules; this cook alone does not make it keep ({at_c:temp} 10 min, or its equal, would). Spores of "
                    "C. perfringens and the toxin of S. aureus survive cooking.",
                    at_c=90.0,
                ),
                "UK FSA guidance on vacuum packs; Food Code 3-502.12",
            )
        )
    return out
