"""What a measured log claims of each premise: one function for each, by the premise's id.

What lies outside the log (how it was kept before, who else was in the pan) is assumed unless the plan that was cooked says more.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.data.loader import read_toml
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan, unread_of
from ember_core.plan.requirement import Requirement
from ember_core.safety.check import rows_of
from ember_core.safety.clocks import met_times
from ember_core.safety.evidence import APART_S, Evidence, agreed, holes
from ember_core.safety.growth import living_and_all
from ember_core.safety.keeping import check_raw, kept_at, kept_for
from ember_core.safety.premise import Basis, Premise
from ember_core.safety.rules import Clause, Profile
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

Array = NDArray[np.float64]
READ = N_("the readings")


@dataclass(frozen=True, eq=False)
class OfLog:
    """What the claims on a log are made from.

    Attributes
    ----------
    profile : Profile
    required : Requirement
    food : str
    guests : str
    rule : mapping
        What the clause's time and temperature say.
    t_s, low_c, high_c : ndarray (n,)
        The trusted readings before the probe left the piece: s; °C less and more the stated error.
    heated_s : float
        When heat begins to show, s; the first time the core is past 10 °C for good, or the end.
    cooked_s : float
        When the clause is held, or the core is hottest, s.
    evidence : Evidence
    findings : sequence of Finding
    plan : Plan or None
        That was cooked, where it is known.
    open : sequence of str
        Conditions of clauses of which nobody says whether they are kept.
    """

    profile: Profile
    required: Requirement
    food: str
    guests: str
    rule: Mapping[str, Any]
    t_s: Array
    low_c: Array
    high_c: Array
    heated_s: float
    cooked_s: float
    evidence: Evidence
    findings: Sequence[Finding]
    plan: Plan | None
    open: Sequence[str]

    def stop(self, *codes: str) -> Finding | None:
        """The first finding that stops with one of these codes."""
        return next((f for f in self.findings if f.stops and f.code in codes), None)


def _shown(id_: str, words: Message) -> Premise:
    return Premise(id_, Basis.SHOWN, say(READ), words)


def _assumed(id_: str, words: Message) -> Premise:
    return Premise(id_, Basis.ASSUMED, say(KITCHEN), words)


def _unless(of: OfLog, id_: str, words: Message, *codes: str) -> Premise:
    """Shown, unless a finding with one of these codes stops."""
    stop = of.stop(*codes)
    return _shown(id_, words) if stop is None else Premise(id_, Basis.BROKEN, say(READ), stop.message)


def clause(of: OfLog) -> Premise:
    """Time and temperature."""
    basis = {True: Basis.SHOWN, False: Basis.BROKEN, None: Basis.UNKNOWN}[of.rule["met"]]
    return Premise("clause", basis, say(READ), of.rule["needs"])


def readings(of: OfLog) -> Premise:
    """Whether the log can be of one piece's core."""
    if of.evidence.doubt:
        words = say("This log proves nothing: {doubt}.", doubt=of.evidence.doubt)
        return Premise("readings", Basis.UNKNOWN, say(READ), words)
    return _shown("readings", say("They fit the core of one piece."))


def heat(of: OfLog) -> Premise:
    """What heated it: whatever it was, the core was read."""
    del of
    return _shown("heat", say("The core was read, whatever heated it."))


def come_up(of: OfLog) -> Premise:
    """Time in the temperatures of growth."""
    return _unless(of, "come-up", say("In time, as far as the readings go."), "come-up")


def storage(of: OfLog) -> Premise:
    """Raw and cold before its heat, as far as it was read."""
    before = of.t_s <= of.heated_s + 1e-6
    if before.sum() >= 2:
        t, c = of.t_s[before], of.high_c[before]
        check = check_raw(of.profile.kept_by, t, c)
        if not check.met:
            return Premise("storage", Basis.BROKEN, say(READ), check.message)
        limits = read_toml("storage.toml")["limits"]
        used = kept_for(t, c, limits["frozen_c"], np.inf) / DAY_S
        life = of_raw_life(of.profile.kept_by, of.required.species, of.required.form, of.food, used)
        if life is not None:
            return life
    return _assumed("storage", say("Kept cold until the log begins, and in date."))


def warm_time(of: OfLog) -> Premise:
    """Time out of hot and cold holding."""
    return _unless(of, "warm-time", say("In time, as far as the readings go."), "warm-after-cooking")


def growth(of: OfLog) -> Premise:
    """What grew while it was read."""
    if of.t_s.size < 2:
        return of_growth(0.0, 0.0, of.guests, Basis.SHOWN, READ)
    found = [living_and_all(of.t_s, c[:, None]) for c in (of.low_c, of.high_c)]  # the error, whichever way it is worse
    return of_growth(max(f[0] for f in found), max(f[1] for f in found), of.guests, Basis.SHOWN, READ)


def moisture(of: OfLog) -> Premise:
    """Conditions of a clause on its heat."""
    stop = of.stop("moist-oven")
    if stop is not None:
        return Premise("moisture", Basis.BROKEN, say(PLAN), stop.message)
    if of.plan is None:
        return _assumed("moisture", say("The heat was as the clause asks; the log does not say."))
    if of.open and of.rule["met"] is not True:
        return Premise("moisture", Basis.UNKNOWN, say(PLAN), say("{needs}", needs=of.open[0]))
    return Premise("moisture", Basis.STATED, say(PLAN), say("The heat was as the clause asks."))


def intact(of: OfLog) -> Premise:
    """What it is judged as."""
    return Premise("intact", Basis.STATED, say(PLAN), say("Judged as {form}.", form=say(of.required.form)))


def freezing(of: OfLog) -> Premise:
    """Parasites."""
    if of.rule["met"]:
        return _shown("freezing", say("Cooked by its clause, which kills parasites."))
    if of.plan is not None and {"frozen", "pellet-fed"} & set(of.plan.document["piece"].get("handling", ())):
        return Premise("freezing", Basis.STATED, say(PLAN), say("Frozen as the rules ask, or exempt, by the plan."))
    if of.food in read_toml("forms.toml")["parasite_exempt"]["foods"]:
        return Premise(
            "freezing", Basis.STATED, say("the food table"), say("Exempt: farmed on pellets, or of a kind that is.")
        )
    return freezing_unknown(READ)


def origin(of: OfLog) -> Premise:
    """Bivalves from waters that are not the cleanest."""
    for row in rows_of("bivalves", of.profile.kept_by):
        reached = np.inf
        if of.t_s.size >= 2:
            reached = float(
                met_times(of.t_s, of.low_c[:, None], row["rows"], interpolate=False, apart_s=APART_S)[0].min()
            )
        if np.isfinite(reached):
            continue
        if of.plan is not None and "cleanest-waters" in of.plan.document["piece"].get("handling", ()):
            return Premise("origin", Basis.STATED, say(PLAN), say("From waters of the cleanest class."))
        words = say(
            "Bivalves from waters that are not the cleanest are heated to {at_c:temp} for 90 s inside; the readings do not show it.",
            at_c=90.0,
        )
        return Premise("origin", Basis.UNKNOWN, say(READ), words)
    return _shown("origin", say("Heated for what bivalves carry, or the profile asks for nothing."))


def eggs(of: OfLog) -> Premise:
    """Eggs that are not a hen's for one plate."""
    shell = of.plan.shape.get("species", "hen") if of.plan is not None else "hen"
    species = "duck" if of.food == "egg-duck" else shell
    if not of.rule["met"] and of.profile.kept_by == "uk-fsa" and species != "hen":
        words = say(
            "Only a hen's egg of an assurance scheme may be soft: cook it through, 70 °C for 2 min or its equal."
        )
        return Premise("eggs", Basis.BROKEN, say(READ), words)
    return Premise("eggs", Basis.STATED, say(PLAN), say("Judged as {form}.", form=say(of.required.form)))


def guests(of: OfLog) -> Premise:
    """Who eats it."""

    def stand_in() -> Clause | None:
        if of.t_s.size < 2:
            return None
        field = agreed(of.t_s, of.low_c)[:, None]
        return stand_in_clause(
            of.required, of.t_s, field, of.plan, interpolate=False, breaks=holes(of.t_s), apart_s=APART_S
        )

    return of_guests(of.guests, of.required, of.rule, stand_in, Basis.SHOWN, READ)


def cooling(of: OfLog) -> Premise:
    """Cooling after heat."""
    return _unless(of, "cooling", say("In time, as far as the readings go."), "cooling", "begin-of-chilling")


def shelf(of: OfLog) -> Premise:
    """Time in the cold after it was cooked."""
    after = of.t_s >= of.cooked_s - 1e-6
    if after.sum() < 2:
        return of_shelf(of.profile.kept_by, "ready-to-eat", 0.0, 0.0, Basis.SHOWN, READ)
    t, c = of.t_s[after], of.high_c[after]
    cold = kept_for(t, c, read_toml("storage.toml")["limits"]["frozen_c"], 10.0)
    at_c = kept_at(t, c)
    keeps = ["ready-to-eat", "pouch"]  # of an unknown plan the shorter of what it may be
    if of.plan is not None:
        keeps = ["pouch" if any(s.kind == "bath" for s in of.plan.stages) else "ready-to-eat"]
    found = [of_shelf(of.profile.kept_by, keep, cold, at_c, Basis.SHOWN, READ) for keep in keeps]
    return next((f for f in found if not f.holds), found[0])


def parts(of: OfLog) -> Premise:
    """Other sizes and parts."""
    del of
    return Premise(
        "parts", Basis.UNKNOWN, say(READ), say("One piece or part was measured. Measure the slowest of them too.")
    )


def neighbours(of: OfLog) -> Premise:
    """What else was in the same medium."""
    if of.plan is not None and of.plan.also:
        return Premise(
            "neighbours", Basis.UNKNOWN, say(READ), say("Other food was in the same medium. Measure that too.")
        )
    return _assumed("neighbours", say("Nothing else came out of its pan, fat, water or bath undercooked."))


def words(of: OfLog) -> Premise:
    """Words of a quick entry that nobody read."""
    return of_unread(() if of.plan is None else unread_of(of.plan.document))


CLAIMS: dict[str, Callable[[OfLog], Premise]] = {
    "clause": clause,
    "heat": heat,
    "readings": readings,
    "come-up": come_up,
    "storage": storage,
    "warm-time": warm_time,
    "growth": growth,
    "moisture": moisture,
    "intact": intact,
    "freezing": freezing,
    "origin": origin,
    "eggs": eggs,
    "guests": guests,
    "cooling": cooling,
    "shelf-life": shelf,
    "parts": parts,
    "neighbours": neighbours,
    "words": words,
}


def traits_of(required: Requirement, food: str, plan: Plan | None, high_c: Array, several: bool) -> frozenset[str]:
    """The traits by which the table asks for premises of a log.

    Parameters
    ----------
    required, food, plan
        As of :class:`OfLog`.
    high_c : ndarray
        Its trusted readings, °C.
    several : bool
        Whether there are other sizes or parts than the one that was read.
    """
    out = {"log", "conditions"}
    if required.is_animal:
        out.add("animal")
    if required.species == "fish":
        out.add("fish")
    if food in read_toml("forms.toml")["bivalves"]["foods"]:
        out.add("bivalve")
    if required.species == "egg":
        out.add("egg")
    if high_c.size and (high_c[int(np.argmax(high_c)) :] < 10.0).any():
        out.add("chilled")
    if several:
        out.add("pieces")
    if plan is not None and plan.also:
        out.add("beside")
    return frozenset(out)
