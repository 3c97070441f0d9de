"""What goes with a statement, of plans and logs alike: a house that allows less, a standard without a number."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ember_core.plan.finding import Finding
from ember_core.plan.requirement import Requirement
from ember_core.safety.clocks import judge
from ember_core.safety.rules import Clause, Profile
from ember_core.wording.message import join_sentences, say

Array = NDArray[np.float64]
Findings = list[Finding]


def house_notes(profile: Profile) -> Findings:
    """That the house's rows allow less than their base, whenever they do."""
    if not profile.weaker:
        return []
    words = say(
        "The house's rows for {choices} allow less than {edition}.",
        choices=", ".join(profile.weaker),
        edition=profile.edition,
    )
    shown = (
        say("Shown: {shown}.", shown=profile.shown)
        if profile.shown
        else say("No validated reduction is recorded for them.")
    )
    words = join_sentences([words, shown])
    return [Finding("house-weaker", "care", words, profile.authority)]


def guidance(
    profile: Profile,
    required: Requirement,
    t_s: Array,
    field_c: Array,
    *,
    interpolate: bool,
    apart_s: float | None = None,
) -> Findings:
    """How a history stands against the guidance of a profile without a number of its own; empty for other profiles.

    Parameters
    ----------
    profile : Profile
    required : Requirement
        What the piece is judged as.
    t_s, field_c : ndarray (n,), (n, depths)
        s, °C.
    interpolate, apart_s
        As of :func:`ember_core.safety.clocks.met_times`.
    """
    if not profile.guidance_rows:
        return []
    clause = Clause("guidance", frozenset(required.forms), profile.guidance_rows, frozenset())
    found = judge(profile, required.form, t_s, field_c, interpolate=interpolate, apart_s=apart_s, clauses=[clause])
    if found["met"]:
        return [Finding("guidance", "note", say("The guidance beside the standard is reached."), profile.authority)]
    as_it_is = required.whole or required.form in {"fish", "egg-now", "plant"}
    level = "care" if as_it_is and required.species in profile.guidance_below else "stop"
    words = say("The guidance beside the standard is not reached. {needs}", needs=found["needs"])
    return [Finding("guidance", level, words, profile.authority)]
