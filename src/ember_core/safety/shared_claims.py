"""What computed cooks and measured logs claim alike: days raw, growth, days kept, words that nobody read, frost."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.heat.arrays import Array
from ember_core.plan.plan import Plan
from ember_core.plan.requirement import Requirement
from ember_core.safety.check import rows_of, standing_in
from ember_core.safety.clocks import Flags, judge, judge_all
from ember_core.safety.conditions import Ran, breaks_of, in_force
from ember_core.safety.keeping import raw_life, shelf_life
from ember_core.safety.premise import Basis, Premise
from ember_core.safety.rules import Clause, profile_of
from ember_core.wording.message import N_, say

DAY_S = 86400.0
PLAN, KITCHEN = N_("the plan"), N_("the kitchen's own plan")


def of_raw_life(profile: str, species: str | None, form: str, food: str | None, days: float) -> Premise | None:
    """What so many days raw in the cold break or leave open; None: nothing.

    Parameters
    ----------
    profile, species, form
        As of :func:`ember_core.safety.keeping.raw_life`.
    food : str or None
        Of the food table; some make toxins that no heat undoes.
    days : float
    """
    limits = read_toml("storage.toml")["limits"]
    most, authority = raw_life(profile, species, form)
    if days <= most + 1e-9:
        return None
    spoilt = most if food in limits["histamine"] else most * limits["spoilt"]
    if days > spoilt:
        words = say(
            "Raw for {days:.1f} days; {authority} allows {most:g}. Do not serve it: heat destroys neither spoilage nor toxins.",
            days=days, most=most, authority=say(authority),
        )  # fmt: skip
        return Premise("storage", Basis.BROKEN, say(authority), words)
    words = say(
        "Raw for {days:.1f} days; {authority} allows {most:g}. More only under the kitchen's own written plan: record it in the house rules.",
        days=days, most=most, authority=say(authority),
    )  # fmt: skip
    return Premise("storage", Basis.UNKNOWN, say(authority), words)


def of_growth(living: float, all_of_it: float, guests: str, basis: Basis, by: str) -> Premise:
    """What so much growth breaks or leaves open.

    Parameters
    ----------
    living, all_of_it : float
        log10 of what lives, and of all that grew, killed afterwards or not.
    guests : str
        For highly susceptible ones less is taken.
    basis, by
        What the premise stands on where it holds.
    """
    row = read_toml("growth.toml")["c-perfringens"]
    share = row["susceptible_share"] if guests == "susceptible" else 1.0
    log10 = max(living, all_of_it)
    words = say("Growth while it is warm is {log10:.1f} log10, by a model.", log10=log10)
    if log10 >= row["ill_log10"] * share:
        words = say(
            "While it is warm bacteria can grow {log10:.1f} log10, by a model: toxins that heat does not destroy may form. Discard "
            "it; next time bring it through 10 to 54 °C faster.",
            log10=log10,
        )
        return Premise("growth", Basis.BROKEN, say(by), words)
    if living >= row["more_log10"] * share or all_of_it >= row["killed_log10"] * share:
        words = say(
            "While it is warm bacteria can grow {log10:.1f} log10, by a model, more than is allowed for: measure how fast it comes "
            "through 10 to 54 °C, or bring it through faster.",
            log10=log10,
        )
        return Premise("growth", Basis.UNKNOWN, say(by), words)
    return Premise("growth", basis, say(by), words)


def of_shelf(profile: str, keep: str, cold_s: float, at_c: float, basis: Basis, by: str) -> Premise:
    """What so long in the cold breaks or leaves open, of cooked food.

    Parameters
    ----------
    profile, keep
        As of :func:`ember_core.safety.keeping.shelf_life`.
    cold_s, at_c : float
        How long, s, and at how much, °C.
    basis, by
        What the premise stands on where it holds.
    """
    if cold_s <= read_toml("storage.toml")["kept"]["within_s"]:
        return Premise("shelf-life", basis, say(by), say("Eaten within a day."))
    cold_c = rows_of("holding", profile)[0]["cold_c"]
    days, words = shelf_life(profile, keep, round(at_c, 1))
    standing = days is None
    if days is None:
        days, words = shelf_life("us-food-code-2022", keep, min(round(at_c, 1), 5.0))
    assert days is not None  # the Food Code has a number for both
    kept = cold_s / DAY_S
    if kept <= days + 1e-9:
        if standing:
            return Premise("shelf-life", Basis.ASSUMED, say(KITCHEN), say("{words}", words=words))
        return Premise("shelf-life", basis, say(by), say("{kept:.1f} of {days:g} days.", kept=kept, days=days))
    said = say(
        "Kept for {kept:.1f} days at {at_c:temp1}, allowed {days:g} ({clause}). Discard it.",
        kept=kept, at_c=at_c, days=days, clause=words,
    )  # fmt: skip
    if (standing and kept <= 2.0 * days) or (days == 0.0 and at_c <= cold_c and kept <= 3.0):
        said = say(
            "Kept for {kept:.1f} days at {at_c:temp1}; this profile gives no limit ({clause}): name the written plan.",
            kept=kept, at_c=at_c, clause=words,
        )  # fmt: skip
        return Premise("shelf-life", Basis.UNKNOWN, say(by), said)
    return Premise("shelf-life", Basis.BROKEN, say(by), said)


def of_unread(unread: Sequence[str]) -> Premise:
    """What words that nobody read leave open."""
    if not unread:
        return Premise("words", Basis.STATED, say(PLAN), say("All read."))
    needs = say(
        "Can't read “{words}”, and it may change how the piece is judged. Use other words, or leave it out.",
        words=", ".join(unread),
    )
    return Premise("words", Basis.UNKNOWN, say("quick entry"), needs)


def freezing_unknown(by: str) -> Premise:
    """That nobody says whether a fish was frozen against parasites."""
    needs = say(
        "Say that it was frozen (−20 °C for 7 days, or −35 °C for 15 h) or was farmed on pellets, or cook it to {at_c:temp} for 15 s.",
        at_c=63.0,
    )
    return Premise("freezing", Basis.UNKNOWN, say(by), needs)


def stand_in_clause(
    required: Requirement,
    t_s: Array,
    field_c: Array,
    plan: Plan | None = None,
    ran: Sequence[Ran] | None = None,
    *,
    interpolate: bool = True,
    breaks: Flags | None = None,
    apart_s: float | None = None,
) -> Clause | None:
    """The clause that a piece meets in the profile whose word counts for highly susceptible guests; None: none.

    Parameters
    ----------
    required : Requirement
    t_s, field_c : ndarray (n,), (n, places)
        s; °C.
    plan : Plan, optional
        That was cooked: a clause with conditions on its heat counts only where the plan keeps them.
    ran : sequence of Ran, optional
        When its stages ran; default at their longest.
    interpolate, breaks, apart_s
        As of :func:`ember_core.safety.clocks.judge`; ``breaks`` besides those of clauses that count some stages only.
    """
    profile = profile_of(standing_in("guests"))
    by_form: Mapping[str, Sequence[Clause]]
    not_counted: Flags | Mapping[str, Flags] | None = breaks
    if plan is None:
        by_form = {
            f: [c for c in profile.clauses_for(f) if c.oven is None and c.moisture is None] for f in required.forms
        }
    else:
        force = in_force(plan, ran, profile)
        by_form = force.by_form
        if breaks is None and ran is not None:
            not_counted = breaks_of(force, ran, t_s)
    rule = judge_all([
        judge(profile, f, t_s, field_c, clauses=by_form[f], interpolate=interpolate, breaks=not_counted, apart_s=apart_s)
        for f in required.forms
    ])  # fmt: skip
    return next((c for c in profile.clauses if c.id == rule["clause"]), None) if rule["met"] else None


def of_guests(
    guests: str,
    required: Requirement,
    rule: Mapping[str, Any],
    stand_in: Callable[[], Clause | None],
    holds: Basis,
    by: str,
    *,
    seared: bool = False,
) -> Premise:
    """Who eats it, and whether it is cooked as they need.

    Parameters
    ----------
    guests : str
        ``general`` or ``susceptible``.
    required : Requirement
    rule : mapping
        What the clause's time and temperature say.
    stand_in : function
        Gives :func:`stand_in_clause`; asked only where the profile has no clause.
    holds, by
        What the premise stands on where it is cooked.
    seared : bool
        Whether a clause for intact, seared pieces is what is met.
    """
    if guests != "susceptible":
        return Premise("guests", Basis.STATED, say(PLAN), say("For the general public."))
    if not required.is_animal:
        return Premise("guests", Basis.STATED, say(PLAN), say("No animal food in it."))
    if rule["met"] and not seared:
        return Premise(
            "guests", holds, say(by), say("Cooked by its clause, which is what highly susceptible guests need.")
        )
    if rule["clause"] is None and (clause := stand_in()) is not None:
        profile = profile_of(standing_in("guests")).name
        words = say(
            "Cooked by {clause} of {profile}, which is what highly susceptible guests need.",
            clause=clause.id,
            profile=profile,
        )
        return Premise("guests", holds, say(by), words)
    row = rows_of("guests", standing_in("guests"))[0]
    words = say("Highly susceptible guests: {susceptible}.", susceptible=say(row["susceptible"]))
    return Premise("guests", Basis.BROKEN, say(PLAN), words)
