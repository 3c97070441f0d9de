"""Readings of a thermometer that somebody puts in by hand: as a log with a probe's, and as the rule of another part."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.log import Log
from ember_core.plan.plan import Plan
from ember_core.plan.probe_places import THICKEST
from ember_core.safety.conditions import Ran
from ember_core.safety.evidence import JUMP_K_S
from ember_core.safety.measured import judge_log
from ember_core.safety.premise import Basis, Premise, replace_premises
from ember_core.wording.message import say

Points = Sequence[tuple[float, float]]
"""s since the piece began, °C."""

SAME_SEARCH_S = (
    120.0  # readings so close together are one search for the coldest place; an estimate, no published source
)
SETTLING_S = 15.0  # so long a thermometer lies in the piece until it stands still; common practice, no published source
ERROR_K = 3.0  # of the thermometer and of the start's temperature; an estimate
AGAIN_S = 1e-3  # a reading that counts by itself stands in a log twice
RISE_MARGIN = 3.0  # a core may rise so many times as fast as computed: another size, another heat; an estimate
LEAST_RISE_K_S = 0.02  # and at least so fast; an estimate


def fastest_rise(t_s: Array, core_c: Array) -> float:
    """The fastest that a core may change, K/s, by its computed course (s, °C): some times that, no more than any piece's."""
    rates = np.abs(np.diff(core_c)) / np.maximum(np.diff(t_s), 1e-9)
    return float(min(max(RISE_MARGIN * float(rates.max(initial=0.0)), LEAST_RISE_K_S), JUMP_K_S))


def plausible_readings(by_hand: Points, start_c: float, fastest_k_s: float) -> list[tuple[float, float]]:
    """The readings without those that no core can have risen to since it began: a slip of the pen, or another piece.

    Parameters
    ----------
    by_hand : sequence of (s, °C)
    start_c : float
        At its begin, °C.
    fastest_k_s : float
        The fastest this core can change, K/s.
    """
    return [(t, c) for t, c in by_hand if c - start_c <= fastest_k_s * t + ERROR_K]


def end_of_heat(plan: Plan, ran: Sequence[Ran] | None, at_s: float) -> float:
    """When the heat ends that a piece is in at a time, s; that time itself where it is in none, or nobody knows."""
    for stage, when in zip(plan.stages, ran or (), strict=False):
        if when.start_s <= at_s < when.end_s and stage.kind in HEAT_KINDS:
            at_s = when.end_s
    return at_s


def merge_readings(probe: Points, by_hand: Points, fastest_k_s: float, plan: Plan, ran: Sequence[Ran] | None) -> Log:
    """A probe's readings and those by hand as one log, in order of time; not empty.

    A reading by hand has settled: nothing beside it has to agree, and while it settled the core was no further from it than it can change
    in that time. Where several places are read, one soon after another, the coldest counts; and while heat goes on no core falls: a
    later, lower reading was made in a colder place.

    Parameters
    ----------
    probe, by_hand : sequence of (s, °C)
    fastest_k_s : float
        The fastest this core can change, K/s.
    plan : Plan
        As it was cooked.
    ran : sequence of Ran or None
        When its stages ran.
    """
    by_time = dict(probe)
    for at, _ in by_hand:
        heated = end_of_heat(plan, ran, at)
        coldest = min(c for t, c in by_hand if abs(t - at) <= SAME_SEARCH_S or at < t <= heated)
        by_time |= {at: coldest, at + AGAIN_S: coldest}
        if at > SETTLING_S and not any(abs(t - at) <= SAME_SEARCH_S for t, _ in probe):
            by_time.setdefault(at - SETTLING_S, coldest - fastest_k_s * SETTLING_S)
    if len(by_time) == 1:
        by_time |= {at + AGAIN_S: c for at, c in probe}
    times = sorted(by_time)
    return Log(tuple(times), tuple(by_time[t] for t in times))


def judge_part(plan: Plan, part: str, by_hand: Points, ran: Sequence[Ran] | None) -> dict[str, Any]:
    """The rule of another part of a bird, or of the thickest piece, by what was read there.

    Parameters
    ----------
    plan : Plan
        As it was cooked; it names rules and a food.
    part : str
        One of :func:`ember_core.plan.probe_places.other_parts`.
    by_hand : sequence of (s, °C)
        At least one.
    ran : sequence of Ran or None
        When its stages ran.
    """
    part_plan = plan if part == THICKEST else plan.of_part(part)
    judged = judge_log(
        merge_readings((), by_hand, JUMP_K_S, plan, ran), rules=str(plan.rules), food=str(plan.food),
        form=plan.document["piece"].get("form"), house=plan.house, plan=part_plan, ran=ran, fastest_k_s=JUMP_K_S,
    )  # fmt: skip
    return single_part_rule(judged["rule"])


def judge_parts(by_part: Mapping[str, Points], plan: Plan, ran: Sequence[Ran] | None) -> dict[str, dict[str, Any]]:
    """The rules of the parts in which something plausible was read, by part, as of :func:`judge_part`."""
    plausible = {part: plausible_readings(points, plan.start_c, JUMP_K_S) for part, points in by_part.items()}
    return {part: judge_part(plan, part, points, ran) for part, points in plausible.items() if points}


def single_part_rule(rule: dict[str, Any]) -> dict[str, Any]:
    """The rule of one part by itself: that others are not known is said elsewhere."""
    return replace_premises(rule, Premise("parts", Basis.SHOWN, say("a thermometer"), say("This part was measured.")))
