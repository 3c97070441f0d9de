"""The verdict: two lines, always both. How it will eat; how it stands under which rule."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from ember_core.plan.finding import Finding
from ember_core.plan.requirement import Requirement
from ember_core.safety.premise import Basis, Premise
from ember_core.safety.rules import Clause, Profile, profiles
from ember_core.wording.message import N_, Message, join_sentences, mentions, say

MET, READ, ADVISORY, SHORT, STOP, OPEN = "met", "read", "advisory", "short", "stop", "open"
OF_THE_CLAUSE = frozenset({"clause", "parts", "surface"})  # premises whose words are the clause's own


@dataclass(frozen=True)
class Standing:
    """One of six states under a rule, with its words and the smallest change that meets it."""

    state: str
    words: str
    detail: str
    profile: Profile


def standing(
    rule: Mapping[str, Any],
    required: Requirement,
    guests: str,
    profile: Profile | None = None,
    findings: Sequence[Finding] = (),
) -> Standing:
    """Judge a rule statement for guests.

    A plate short of a clause may be served with an advisory only where the clause allows it for every form the piece is
    judged by, no finding is a stop, and the guests are not highly susceptible. A profile without a number is never
    counted as met, and has words of its own.

    Parameters
    ----------
    rule : mapping
        The ``rule`` object of a result, or of a judged log.
    required : Requirement
        What the piece is judged as.
    guests : str
        ``general`` or ``susceptible``.
    profile : Profile, optional
        The one the statement was made by, when it is not one of the shipped ones as they are.
    findings : sequence of finding
        Those that go with the statement.
    """
    profile = profile or profiles()[rule["profile"]]
    premises = [Premise.of(p) for p in rule.get("premises", ())]
    detail = say("{clause}: {needs}", clause=rule["clause"], needs=rule["needs"]) if rule["clause"] else rule["needs"]
    if rule["met"]:
        if rule.get("at_cautious_end") is False:
            return Standing(READ, *_by_reading(rule, profile), profile)
        return Standing(MET, say("met"), detail, profile)
    stop = next((f.message for f in findings if f.stops and not mentions(detail, f.message)), None)
    if stop is not None or any(f.stops for f in findings):
        return Standing(STOP, say("stop: do not serve"), join_sentences([stop, detail]) if stop else detail, profile)
    aside = [p for p in premises if p.id not in OF_THE_CLAUSE]
    broken = next((p for p in aside if p.basis is Basis.BROKEN), None)
    if broken is not None:
        more = "" if mentions(detail, broken.needs) else broken.needs
        return Standing(STOP, say("stop: do not serve"), join_sentences([more, detail]) if more else detail, profile)
    unknown = next((p for p in aside if p.basis is Basis.UNKNOWN), None)
    if rule["met"] is None:
        enough = any(p.id == "guests" and p.holds for p in premises) and rule["clause"] is None
        if guests == "susceptible" and not enough:
            why = say("Guests are highly susceptible: nothing can stand in for it.")
            return Standing(STOP, say("stop: do not serve"), join_sentences([detail, why]), profile)
        words = say("no number in this rule") if rule["clause"] is None else say("not yet known")
        return Standing(OPEN, words, detail, profile)
    left_s = rule["remaining_s"]
    if left_s is None and all(c.holding_only for form in required.forms for c in profile.clauses_for(form)):
        return Standing(OPEN, say("nothing required when served at once"), detail, profile)
    if guests == "general" and _advised(required, profile):
        if unknown is not None:  # an advisory tells the guest what is known
            more = "" if mentions(detail, unknown.needs) else unknown.needs
            return Standing(OPEN, say("not yet known"), join_sentences([more, detail]) if more else detail, profile)
        words = say("Tell the guest it is undercooked; never for susceptible guests.")
        return Standing(ADVISORY, say("served with advisory"), join_sentences([detail, words]), profile)
    if left_s is not None:
        words = say("short by {left_s:span}", left_s=left_s) if left_s > 0 else say("short by {left_s:.0f} s", left_s=0)
        return Standing(SHORT, words, detail, profile)
    why = (
        say("Guests are highly susceptible: no advisory can stand in.")
        if guests == "susceptible"
        else say("No advisory can stand in for it.")
    )
    return Standing(STOP, say("stop: do not serve"), join_sentences([detail, why]), profile)


def _by_reading(rule: Mapping[str, Any], profile: Profile) -> tuple[Message, Message]:
    """The words for what is met as computed, and short at the cautious end: the core has to be read."""
    rows = next((c.rows for c in profile.clauses if c.id == rule["clause"]), ())
    left = say("By the clock alone, some of the likely pieces are short.")
    if rule.get("share_met") is not None:
        short = max(round(100.0 * (1.0 - rule["share_met"])), 6)
        left = say("By the clock alone, about {short} in 100 of the likely pieces are short.", short=short)
    if not rows:
        return say("met when it is measured"), left
    at_c, held_s = rows[-1] if rows[-1][1] <= 30.0 else rows[0]
    if held_s:
        words = say("met when the core reads {at_c:temp} for {held_s:span}", at_c=at_c, held_s=held_s)
    else:
        words = say("met when the core reads {at_c:temp}", at_c=at_c)
    return words, join_sentences([left, say("Put a probe in, and go by what it reads.")])


def _advised(required: Requirement, profile: Profile) -> bool:
    """Whether a consumer advisory can stand in: under every clause of every form the piece is judged by."""
    clauses = [(form, c) for form in required.forms for c in profile.clauses_for(form)]

    def may(form: str, clause: Clause) -> bool:
        return form in clause.advisory or (required.breast and required.species in clause.advised_breasts)

    return required.species is not None and bool(clauses) and all(may(form, c) for form, c in clauses)


COLDER_K = 0.5  # a place so much colder than the core is named beside it
OFF_TARGET_K = 0.7


def eats(doneness: str, peak_c: float, target_c: float | None, coldest_c: float | None = None) -> Message:
    """How it will eat, in a few words.

    Parameters
    ----------
    doneness : str
        Its name, by the core.
    peak_c, target_c : float
        The core's peak, and what was wanted, °C.
    coldest_c : float, optional
        The peak of the coldest place, °C, by which it is compared with the target; default the core's.
    """
    colder = coldest_c is not None and coldest_c < peak_c - COLDER_K
    reached = coldest_c if coldest_c is not None else peak_c
    if colder:
        what = say(
            "{doneness}, core {peak_c:temp1}, coldest place {coldest_c:temp1}",
            doneness=doneness,
            peak_c=peak_c,
            coldest_c=coldest_c,
        )
    else:
        what = say("{doneness}, core {peak_c:temp1}", doneness=doneness, peak_c=peak_c)
    if target_c is None or abs(reached - target_c) <= OFF_TARGET_K:
        return what
    template = N_("{what}, {off_k:rise1} under the target")
    if reached > target_c:
        template = N_("{what}, {off_k:rise1} over the target")
    return say(template, what=what, off_k=abs(reached - target_c))
