"""What a computed cook claims of each premise: one function for each, by the premise's id."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.data.loader import read_toml
from ember_core.plan.finding import Finding
from ember_core.plan.kinds import COOLING_KINDS, HEAT_KINDS
from ember_core.plan.plan import pieces_kg, unread_of
from ember_core.safety.check import Check, rows_of
from ember_core.safety.clocks import met_times
from ember_core.safety.growth import growth_of
from ember_core.safety.history import History
from ember_core.safety.keeping import (
    check_growth,
    check_raw,
    check_warm,
    kept_at,
    kept_for,
    parasites_controlled,
)
from ember_core.safety.premise import Basis, Premise
from ember_core.safety.rules import Clause
from ember_core.safety.shared_claims import (
    DAY_S,
    KITCHEN,
    PLAN,
    freezing_unknown,
    of_growth,
    of_guests,
    of_raw_life,
    of_shelf,
    of_unread,
    stand_in_clause,
)
from ember_core.wording.message import N_, Message, say

Flags = NDArray[np.bool_]
SERVED_FROM_ICE_S = (
    900.0  # what lies longer in the cold at a plan's end is kept, and its cooling has to be shown; our reading
)

COMPUTED_BY = N_("this cook, computed")


@dataclass(frozen=True, eq=False)
class OfPlan:
    """What the claims on a computed cook are made from.

    Attributes
    ----------
    h : History
    rule : mapping
        What the clause's time and temperature say.
    findings : sequence of Finding
        Of the same cook.
    seared : bool
        Whether a clause for intact, seared pieces is what is met.
    open : sequence of str
        Conditions of clauses of which the plan does not say whether they are kept.
    """

    h: History
    rule: Mapping[str, Any]
    findings: Sequence[Finding]
    seared: bool
    open: Sequence[str]

    def found(self, *codes: str) -> Finding | None:
        """The gravest finding with one of these codes."""
        order = ("note", "care", "stop")
        return max((f for f in self.findings if f.code in codes), key=lambda f: order.index(f.level), default=None)


def _computed(id_: str, words: Message) -> Premise:
    return Premise(id_, Basis.COMPUTED, say(COMPUTED_BY), words)


def _of_check(id_: str, check: Check) -> Premise:
    """A check as a premise: failed is broken, a number that the profile does not have is the kitchen's own."""
    if check.met is None:
        return Premise(id_, Basis.ASSUMED, say(KITCHEN), check.message)
    return Premise(id_, Basis.COMPUTED if check.met else Basis.BROKEN, say(COMPUTED_BY), check.message)


def clause(of: OfPlan) -> Premise:
    """Time and temperature."""
    basis = {True: Basis.COMPUTED, False: Basis.BROKEN, None: Basis.UNKNOWN}[of.rule["met"]]
    return Premise("clause", basis, say(COMPUTED_BY), of.rule["needs"])


AIR_MOST_H, LIQUID_MOST_KG = 300.0, 8.0
"""W/(m²K) that moving air gives at the most, a jet of it among them (Incropera, table 1.1); kg in water or fat that is not told how large
it is, our reading."""


def heat(of: OfPlan) -> Premise:
    """What the heat is said to be."""
    plan = of.h.plan
    loaded = (pieces_kg(plan.document["piece"]) or 0.0) > LIQUID_MOST_KG
    for stage in plan.stages:
        air = [f for f in stage.all_faces if f.kind in {"oven", "grill", "rest", "hold"} and f.surface is not None]
        hard = max((float((f.surface or {}).get("h_w_m2k", 0.0)) for f in air), default=0.0)
        if hard > AIR_MOST_H:
            words = say("Air never passes {hard:,.0f} W/(m²K); {most:g} is the most. Correct it, or measure the core.", hard=hard, most=AIR_MOST_H)  # fmt: skip
            return Premise("heat", Basis.UNKNOWN, say(PLAN), words)
        if loaded and stage.kind in {"bath", "fry", "simmer", "boil"} and stage.store is None and stage.load is None:
            words = say(
                "{kg:.0f} kg go into a {kind} of unknown size: give its litres and its heater, or measure the core.",
                kg=pieces_kg(plan.document["piece"]) or 0.0, kind=say(stage.kind),
            )  # fmt: skip
            return Premise("heat", Basis.UNKNOWN, say(PLAN), words)
    return Premise("heat", Basis.STATED, say(PLAN), say("As the plan has it."))


def come_up(of: OfPlan) -> Premise:
    """All time in the temperatures of growth until it is cooked; what is not cooked counts to the end of its last heat."""
    h = of.h
    end = h.cooked_at if h.cooked_at is not None else max((s.end_s for s in h.heats), default=h.end_s)
    part = h.part(0.0, end)
    if not part.any():
        return _computed("come-up", say("Cooked at once."))
    return _of_check("come-up", check_growth(h.plan.kept_by, h.t[part], h.coldest[part]))


def storage(of: OfPlan) -> Premise:
    """Raw and cold before its first heat."""
    h, limits = of.h, read_toml("storage.toml")["limits"]
    warm = of.found("raw-too-warm", "thaw-water", "thaw-too-warm")
    if warm is not None and warm.stops:
        return Premise("storage", Basis.BROKEN, say(COMPUTED_BY), warm.message)
    start_c = h.plan.start_c
    begins = min((s.start_s for s in h.heats), default=h.end_s)
    if begins > 0 and h.part(0.0, begins).any():
        part = h.part(0.0, begins)
        check = check_raw(h.plan.kept_by, h.t[part], h.hottest[part])
        if not check.met:
            return _of_check("storage", check)
        used = kept_for(h.t[part], h.hottest[part], limits["frozen_c"], np.inf)
        life = of_raw_life(h.plan.kept_by, h.plan.required.species, h.plan.form, h.plan.food, used / DAY_S)
        if life is not None:
            return life
    if start_c > limits["warm_start_c"] and start_c < 54.4:
        words = say(
            "It begins at {start_c:temp}: add the stage that made it so warm, or start cold.",
            start_c=start_c,
        )
        return Premise("storage", Basis.UNKNOWN, say(PLAN), words)
    return Premise("storage", Basis.ASSUMED, say(KITCHEN), say("Kept cold until the plan begins, and in date."))


def warm_time(of: OfPlan) -> Premise:
    """All time out of hot and cold holding after it was cooked, but for cooling, which has clocks of its own."""
    h = of.h
    heated = max((s.end_s for s in h.heats), default=None)
    since = h.cooked_at if h.cooked_at is not None else heated
    if since is None:
        return _computed("warm-time", say("It is not heated."))
    part = h.part(since, h.end_s)
    if not part.any():
        return _computed("warm-time", say("Served at once."))
    t = h.t[part]
    middle = 0.5 * (t[1:] + t[:-1])
    counted = np.ones(middle.size, dtype=bool)
    for chill in h.keeps:
        counted &= ~((middle >= chill.start_s) & (middle <= chill.end_s))
    roast = h.plan.form == "roast"
    return _of_check("warm-time", check_warm(h.plan.kept_by, t, h.coldest[part], roast=roast, counted=counted))


def growth(of: OfPlan) -> Premise:
    """What grew at any time, killed afterwards or not: heat undoes neither toxins nor spores."""
    found = growth_of(of.h.cook)
    return of_growth(found.log10, found.all_log10, of.h.plan.guests, Basis.COMPUTED, COMPUTED_BY)


def moisture(of: OfPlan) -> Premise:
    """Conditions of a clause on its heat."""
    dry = of.found("moist-oven")
    if dry is not None and dry.stops:
        return Premise("moisture", Basis.BROKEN, say(PLAN), dry.message)
    if of.open and of.rule["met"] is not True:
        return Premise("moisture", Basis.UNKNOWN, say(PLAN), say("{needs}", needs=of.open[0]))
    return Premise("moisture", Basis.STATED, say(PLAN), say("The heat is as the clause asks."))


def intact(of: OfPlan) -> Premise:
    """What the piece is judged as."""
    piece = of.h.plan.document["piece"]
    if "form" in piece or piece.get("handling") or "cut" in piece:
        return Premise("intact", Basis.STATED, say(PLAN), say("Judged as {form}.", form=say(of.h.plan.form)))
    words = say("Judged as {form}, as the food table has it; nothing opened it.", form=say(of.h.plan.form))
    return Premise("intact", Basis.ASSUMED, say(KITCHEN), words)


def surface(of: OfPlan) -> Premise:
    """The sear that a clause rests on."""
    return _computed("surface", of.rule["needs"])


def freezing(of: OfPlan) -> Premise:
    """Parasites."""
    h = of.h
    if of.rule["met"] and not of.seared:
        return _computed("freezing", say("Cooked by its clause, which kills parasites."))
    stated = {"frozen", "pellet-fed"} & set(h.plan.document["piece"].get("handling", ()))
    if stated:
        return Premise("freezing", Basis.STATED, say(PLAN), say("Frozen as the rules ask, or exempt, by the plan."))
    exempt = read_toml("forms.toml")["parasite_exempt"]["foods"]
    if h.plan.food in exempt:
        return Premise(
            "freezing", Basis.STATED, say("the food table"), say("Exempt: farmed on pellets, or of a kind that is.")
        )
    for row in rows_of("parasites", h.plan.kept_by) or rows_of("parasites", "us-food-code-2022"):
        cooked = met_times(h.t, h.cook.everywhere, row["cook"], interpolate=True)[0]
        if np.isfinite(cooked.min(axis=0).max()) or parasites_controlled(row["profile"], h.t, h.hottest).met:
            return _computed("freezing", say("Heat or frost in this plan kills parasites."))
    return freezing_unknown(PLAN)


def origin(of: OfPlan) -> Premise:
    """Bivalves from waters that are not the cleanest."""
    short = of.found("bivalves")
    if short is None:
        return _computed("origin", say("Heated for what bivalves carry, or the profile asks for nothing."))
    if "cleanest-waters" in of.h.plan.document["piece"].get("handling", ()):
        return Premise("origin", Basis.STATED, say(PLAN), say("From waters of the cleanest class."))
    return Premise("origin", Basis.UNKNOWN, say(PLAN), short.message)


def eggs(of: OfPlan) -> Premise:
    """Eggs that are not a hen's for one plate."""
    h = of.h
    wrong = of.found("egg-species", "egg-product")
    if wrong is not None and wrong.stops:
        return Premise("eggs", Basis.BROKEN, say(wrong.source), wrong.message)
    if h.plan.required.form == "egg-later":
        return Premise("eggs", Basis.STATED, say(PLAN), say("Judged as pooled or held."))
    return Premise("eggs", Basis.STATED, say(PLAN), say("Broken for one order, served at once."))


def guests(of: OfPlan) -> Premise:
    """Who eats it."""
    return guests_of_cook(of.h, seared=of.seared)


def guests_of_cook(h: History, *, seared: bool = False) -> Premise:
    """Who eats a computed cook; ``seared``: a clause for intact, seared pieces is what is met."""

    def stand_in() -> Clause | None:
        return stand_in_clause(h.plan.required, h.t, h.cook.everywhere, h.plan, h.cook.stages)

    return of_guests(h.plan.guests, h.plan.required, h.rule, stand_in, Basis.COMPUTED, COMPUTED_BY, seared=seared)


def interrupted(of: OfPlan) -> Premise:
    """Cooking that a chill interrupts before the clause is met."""
    found = of.found("interrupted-cooking")
    if found is None:
        return _computed("interrupted", say("Cooked before it is chilled."))
    basis = Basis.BROKEN if found.stops else Basis.ASSUMED
    return Premise("interrupted", basis, say(KITCHEN), found.message)


def holding(of: OfPlan) -> Premise:
    """Hot holding."""
    found = of.found("holding-hot", "holding-cold", "holding")
    if found is None:
        return _computed("holding", say("Too short to judge."))
    if found.stops:
        return Premise("holding", Basis.BROKEN, say(COMPUTED_BY), found.message)
    basis = Basis.ASSUMED if found.level == "care" else Basis.COMPUTED
    return Premise("holding", basis, say(KITCHEN if basis is Basis.ASSUMED else COMPUTED_BY), found.message)


def cooling(of: OfPlan) -> Premise:
    """Cooling after heat."""
    h = of.h
    stops = [f for f in of.findings if f.code in {"cooling", "begin-of-chilling"} and f.stops]
    if stops:
        return Premise("cooling", Basis.BROKEN, say(COMPUTED_BY), stops[0].message)
    if "animal" not in traits_of(h, of.seared, beside=False, pieces=False):
        return _computed("cooling", say("Nothing required."))
    last = h.cook.stages[-1]
    running = [f for f in of.findings if f.code == "cooling" and f.level == "care"]
    if running and last in h.chills and last.took >= SERVED_FROM_ICE_S:
        return Premise("cooling", Basis.UNKNOWN, say(COMPUTED_BY), running[0].message)
    if running:
        return _computed("cooling", say("A short dip to stop the cooking; the time for cooling has only begun."))
    return _computed("cooling", say("In time."))


def shelf(of: OfPlan) -> Premise:
    """All time in the cold after its first heat, whatever the stage is called, against how long it keeps."""
    h = of.h
    first = min((s.end_s for s in h.heats), default=0.0)
    part = h.part(first, h.end_s)
    limits = read_toml("storage.toml")["limits"]
    cold = kept_for(h.t[part], h.hottest[part], limits["frozen_c"], 10.0) if part.any() else 0.0
    pouch = any(s.kind == "bath" for s in h.plan.stages)
    at_c = kept_at(h.t[part], h.hottest[part]) if part.any() else 0.0
    return of_shelf(h.plan.kept_by, "pouch" if pouch else "ready-to-eat", cold, at_c, Basis.COMPUTED, COMPUTED_BY)


def reheating(of: OfPlan) -> Premise:
    """Reheating."""
    found = of.found("reheating")
    if found is None:
        return _computed("reheating", say("Nothing required."))
    basis = {"stop": Basis.BROKEN, "care": Basis.ASSUMED}.get(str(found.level), Basis.COMPUTED)
    return Premise("reheating", basis, say(COMPUTED_BY), found.message)


def neighbours(of: OfPlan) -> Premise:
    """What else is in the same medium; the whole plan's judge says more of it."""
    del of
    return _computed("neighbours", say("Nothing else of the plan is in its pan, fat, water or bath."))


def parts(of: OfPlan) -> Premise:
    """Other sizes and parts; the whole plan's judge puts theirs beside it."""
    del of
    return _computed("parts", say("Judged piece by piece."))


def words(of: OfPlan) -> Premise:
    """Words of a quick entry that nobody read."""
    return of_unread(unread_of(of.h.plan.document))


CLAIMS: dict[str, Callable[[OfPlan], Premise]] = {
    "clause": clause,
    "heat": heat,
    "come-up": come_up,
    "storage": storage,
    "warm-time": warm_time,
    "growth": growth,
    "moisture": moisture,
    "intact": intact,
    "surface": surface,
    "freezing": freezing,
    "origin": origin,
    "eggs": eggs,
    "guests": guests,
    "interrupted": interrupted,
    "holding": holding,
    "cooling": cooling,
    "shelf-life": shelf,
    "reheating": reheating,
    "neighbours": neighbours,
    "parts": parts,
    "words": words,
}


def traits_of(h: History, seared: bool, *, beside: bool, pieces: bool) -> frozenset[str]:
    """The traits of a piece and its history by which the table asks for premises."""
    plan, required = h.plan, h.plan.required
    kinds = [s.kind for s in h.cook.stages]
    out = set()
    if required.is_animal:
        out.add("animal")
    if {"fish", "shellfish"} & set(required.forms) and required.species == "fish":
        out.add("fish")
    if plan.food in read_toml("forms.toml")["bivalves"]["foods"]:
        out.add("bivalve")
    if required.species == "egg":
        out.add("egg")
    if seared:
        out.add("whole")
    if plan.rules is not None:
        out.add("conditions")
    first = min((s.end_s for s in h.heats), default=None)
    if first is not None:
        after = h.t >= first
        if h.chills or bool((h.hottest[after] <= 10.0).any()):
            out.add("chilled")
        if h.keeps and any(s.start_s >= h.keeps[0].end_s - 1e-6 for s in h.heats):
            out.add("reheated")
    if "hold" in kinds:
        out.add("held")
    heated = False
    for i, kind in enumerate(kinds):
        heated = heated or kind in HEAT_KINDS
        if heated and kind in COOLING_KINDS and any(k in HEAT_KINDS for k in kinds[i + 1 :]):
            out.add("interrupted")
    if beside:
        out.add("beside")
    if pieces:
        out.add("pieces")
    return frozenset(out)
