"""The verdict: two lines, always both. How it will eat; how it stands under which rule."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ember_core.safety.rules import Profile, profiles

MET, ADVISORY, SHORT, STOP = "met", "advisory", "short", "stop"


@dataclass(frozen=True)
class Standing:
    """One of four states under a rule, with its words and the smallest change that meets it."""

    state: str
    words: str
    detail: str
    profile: Profile


def standing(rule: Mapping[str, Any], form: str, guests: str, profile: Profile | None = None) -> Standing:
    """Judge a rule statement for guests.

    A plate short of a clause may be served with an advisory only where the clause allows it and the
    guests are not highly susceptible. ``profile`` is the one the statement was made by, when it is not one
    of the shipped ones as they are. A profile without a number is never counted as met.
    """
    profile = profile or profiles()[rule["profile"]]
    if rule["met"]:
        return Standing(MET, "met", f"{rule['clause']}: {rule['needs']}", profile)
    if rule["met"] is None:
        state = STOP if guests == "susceptible" else ADVISORY
        return Standing(state, "no number in this rule", rule["needs"], profile)
    if rule["remaining_s"] is not None:
        minutes = rule["remaining_s"] / 60.0
        amount = f"{rule['remaining_s']:.0f} s" if minutes < 2 else f"{math.ceil(minutes - 1e-9)} min"
        return Standing(SHORT, f"short by {amount}", f"{rule['clause']}: {rule['needs']}", profile)
    clause = next((c for c in profile.clauses_for(form) if c.id == rule["clause"]), None)
    detail = f"{rule['clause']}: {rule['needs']}"
    if clause is not None and clause.advisory and guests == "general":
        return Standing(
            ADVISORY,
            "served with advisory",
            f"{detail} Tell the guest it is undercooked; never for susceptible guests.",
            profile,
        )
    why = (
        " Guests are highly susceptible: no advisory can stand in."
        if guests == "susceptible"
        else " No advisory can stand in for it."
    )
    return Standing(STOP, "stop: do not serve", detail + why, profile)


def eats(doneness: str, peak_c: float, target_c: float | None) -> str:
    """How it will eat, in a few words."""
    if target_c is None or abs(peak_c - target_c) <= 0.7:
        return f"{doneness}, core {peak_c:.1f} °C"
    side = "over" if peak_c > target_c else "under"
    return f"{doneness}, core {peak_c:.1f} °C, {abs(peak_c - target_c):.1f} {side} the target"
