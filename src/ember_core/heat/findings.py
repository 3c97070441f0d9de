"""What a reader should know about a plan and its computed cook, as findings of the open formats."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from ember_core.book.foods import doneness_of, food_row
from ember_core.heat.arrays import Array
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan
from ember_core.wording.message import N_, Message, say

HOT_START_C = 30.0  # a piece that starts warmer was heated before, which the plan does not show

SAME_S = 1e-6
MOMENTS = 3  # must be recorded for it to be told how a medium went

SHORT_K, OVER_K = 0.3, 1.5  # so far from its target a piece is said to be off it
COLDEST_SHORT_K = 0.7  # and a place in it that stays colder; less is within what a thermometer and its tip are off
PROPERTIES_HOLD_C = (-40.0, 150.0)  # Choi & Okos 1986
CHARS_C = 200.0  # a crust above this is burnt, and its depth is no longer computed well; an estimate

DONENESS_K = 3.0  # a doneness name and a core this far apart are said; houses differ by less


class Outcome(Protocol):
    """When a stage ran and what ended it; see :class:`ember_core.heat.cook.StageOutcome`."""

    @property
    def start_s(self) -> float:
        """Start, s."""

    @property
    def end_s(self) -> float:
        """End, s."""

    @property
    def mean_c(self) -> float:
        """Mean temperature at the end, °C."""

    @property
    def ended_by(self) -> str:
        """What ended it."""


def setup_findings(plan: Plan, boil_c: float) -> list[Finding]:
    """What a reader should know about the plan before any number of it."""
    out = []
    for i, stage in enumerate(plan.stages):
        for face in stage.all_faces:
            if face.kind == "bath" and plan.properties is None and (face.medium_c or 0.0) > boil_c:
                out.append(
                    Finding(
                        "bath-above-boiling",
                        "care",
                        say(
                            "Stage {stage}: water boils at {boil_c:temp1} here; the bath is computed at that.",
                            stage=i + 1,
                            boil_c=boil_c,
                        ),
                        "standard atmosphere; IAPWS SR1-86",
                    )
                )
                break
    named = plan.document.get("target", {}).get("doneness")
    usual = doneness_of(food_row(plan.food)).get(named) if named and plan.food else None
    if usual is not None and plan.target_c is not None and abs(usual - plan.target_c) > DONENESS_K:
        message = say(
            "The target says {named} and {target_c:temp}; {named} is {usual:temp} in the book. The temperature "
            "governs.",
            named=named,
            target_c=plan.target_c,
            usual=usual,
        )
        out.append(Finding("doneness-and-core", "note", message, "the plan"))
    if plan.properties is None and plan.start_c > boil_c:
        message = say(
            "Water boils at {boil_c:temp1} here: the piece is computed from there, not from {start_c:temp}.",
            boil_c=boil_c,
            start_c=plan.start_c,
        )
        out.append(Finding("start-above-boiling", "care", message, "standard atmosphere; IAPWS SR1-86"))
    if plan.properties is None and plan.start_c > HOT_START_C:
        message = say(
            "The piece starts at {start_c:temp}. How it got that warm, and how long it took, is not in the plan and "
            "is not judged.",
            start_c=plan.start_c,
        )
        out.append(Finding("hot-start", "care", message, "the plan"))
    return out


def _asked(until: str, value: float) -> Message:
    """What a stage waits for, in words; ``value`` in °C, or a reduction in log10."""
    names = {
        "core_c": N_("the core"),
        "surface_c": N_("the surface"),
        "surface_b_c": N_("the other face"),
        "mean_c": N_("the mean"),
        "yolk_edge_c": N_("the yolk's edge"),
    }
    if until in names:
        return say("{place} at {wanted_c:temp}", place=say(names[until]), wanted_c=value)
    if until == "yolk":
        return say("the yolk as wanted")
    return say("meeting the rule") if until == "rule" else say("a reduction of {log10:g} log10", log10=value)


@dataclass(frozen=True, eq=False)
class Media:
    """What media with a store did: times, s, and their temperature, °C (no number where there is none)."""

    t: Array
    medium: Array


MEDIA = {
    "pan": N_("the pan"), "bath": N_("the bath"), "fat": N_("the fat"), "oven": N_("the oven"), "pot": N_("the pot"),
    "cabinet": N_("the hot cabinet"), "plate": N_("the plate"),
}  # fmt: skip
SHORTEST_S = 0.01
BACK_K = 0.5  # walls this near to where it began is back


def _stored(media: Media, done: Outcome) -> tuple[Array, Array]:
    """A stage's medium with a store: s into the stage, °C; nothing where it has none."""
    a, b = media.t.searchsorted([done.start_s - SAME_S, done.end_s + SAME_S])
    known = np.isfinite(media.medium[a:b])
    return media.t[a:b][known] - done.start_s, media.medium[a:b][known]


def _opened(plan: Plan, outcomes: Sequence[Outcome], media: Media) -> list[Finding]:
    """What open doors do to their ovens and cabinets: how far the walls fall, and when they are back."""
    out = []
    for i, (stage, done) in enumerate(zip(plan.stages, outcomes, strict=True)):
        stated = stage.store or {}
        doors = stated.get("doors", ())
        if not doors:
            continue
        t, medium = _stored(media, done)
        opened = [d for d in doors if t.size and d["at_s"] + d["open_s"] <= t[-1]]
        if not opened:
            continue
        falls, backs = [], []
        for door in opened:
            before, after = np.interp([door["at_s"], door["at_s"] + door["open_s"]], t, medium)
            shut = t >= door["at_s"] + door["open_s"]
            again = np.flatnonzero(medium[shut] >= before - BACK_K)
            falls.append(before - after)
            backs.append((t[shut][again[0]] if again.size else t[-1]) - door["at_s"])
        words = say(
            "Stage {stage}: opening the door takes {fall_k:rise1} from the walls of {medium}, which are back after {minutes:.1f} min; "
            "its air falls further and is back within a minute.",
            stage=i + 1, medium=say(MEDIA[stated["kind"]]), fall_k=max(falls), minutes=max(backs) / 60.0,
        )  # fmt: skip
        out.append(Finding("door-opened", "note", words, "energy balance of the medium, its door and its heater"))
    return out


def outcome_findings(
    plan: Plan,
    outcomes: Sequence[Outcome],
    peaks: tuple[float, float],
    end_s: float,
    field: Array,
    media: Media,
) -> list[Finding]:
    """Findings that only the computed cook can give.

    Parameters
    ----------
    plan, outcomes : Plan, sequence of Outcome
        What was asked, and how each stage went.
    peaks : tuple of float
        The highest that the core and the coldest place between the faces reach, °C.
    end_s : float
        End of the cook, s.
    field : ndarray (times, places)
        Recorded temperatures, °C.
    media : Media
        What media with a store did.
    """
    peak, coldest = peaks
    out = _opened(plan, outcomes, media)
    for i, (spec, done) in enumerate(zip(plan.stages, outcomes, strict=True)):
        if spec.until and done.ended_by == "minutes":
            if spec.until == "peak_core_c":
                message = say(
                    "No pull within {minutes:g} min of stage {stage} brings the core to {wanted_c:temp}: it peaks at "
                    "{peak_c:temp1}.",
                    minutes=spec.minutes,
                    stage=i + 1,
                    wanted_c=spec.until_value,
                    peak_c=peak,
                )
            else:
                message = say(
                    "Stage {stage} ran its {minutes:g} min without {asked}.",
                    stage=i + 1,
                    minutes=spec.minutes,
                    asked=_asked(spec.until, spec.until_value),
                )
            out.append(Finding("until-not-reached", "care", message, "model"))
        elif spec.until == "yolk" and done.end_s - done.start_s < SHORTEST_S:
            message = say(
                "Before stage {stage} begins the yolk will already be more than {word}.",
                stage=i + 1,
                word=say(spec.word),
            )
            out.append(Finding("pull-already-past", "care", message, "model"))
        elif spec.until == "peak_core_c" and done.end_s - done.start_s < 1e-6:
            out.append(
                Finding(
                    "pull-already-past",
                    "care",
                    say(
                        "Before stage {stage} begins the core is already heading for {peak_c:temp1}, above the wanted "
                        "{wanted_c:temp}.",
                        stage=i + 1,
                        peak_c=peak,
                        wanted_c=spec.until_value,
                    ),
                    "model",
                )
            )
    out += _off_target(plan, peak, coldest)
    late = [t for t in plan.report_at_s if t > end_s + 1e-6]
    if late:
        out.append(
            Finding(
                "report-after-end",
                "note",
                say("{many} report times lie after the end of the cook ({end_s:.1f} s).", many=len(late), end_s=end_s),
                "plan",
            )
        )
    if plan.properties is None:
        out += _beyond_properties(float(field.min()), float(field.max()))
    return out


def _off_target(plan: Plan, peak: float, coldest: float) -> list[Finding]:
    """The core, or a place that stays colder than it, peaks elsewhere than it was planned; °C."""
    if plan.target_c is None:
        return []
    short, over = plan.target_c - coldest, coldest - plan.target_c
    if short > COLDEST_SHORT_K and peak - coldest > SHORT_K:
        words = say(
            "The coldest place peaks at {coldest_c:temp1}, {off_k:difference1} below the target of {target_c:temp}; the core peaks at "
            "{peak_c:temp1}. Turn the piece, heat it from both sides, or leave it on longer.",
            coldest_c=coldest, off_k=short, target_c=plan.target_c, peak_c=peak,
        )  # fmt: skip
        return [Finding("below-target", "care", words, "model")]
    if plan.target_c - peak > SHORT_K:
        words = say(
            "The core peaks at {peak_c:temp1}, {off_k:difference1} below the target of {target_c:temp}.",
            peak_c=peak, off_k=plan.target_c - peak, target_c=plan.target_c,
        )  # fmt: skip
        return [Finding("below-target", "care", words, "model")]
    if over > OVER_K:
        words = say(
            "The core peaks at {peak_c:temp1}, {off_k:difference1} above the target of {target_c:temp}.",
            peak_c=peak, off_k=peak - plan.target_c, target_c=plan.target_c,
        )  # fmt: skip
        return [Finding("above-target", "care", words, "model")]
    return []


def _beyond_properties(lowest_c: float, hottest_c: float) -> list[Finding]:
    """Where the thermal properties are extrapolated so far that the result is rough; a crust up to :data:`CHARS_C` is dry matter."""
    if lowest_c >= PROPERTIES_HOLD_C[0] and hottest_c <= CHARS_C:
        return []
    far_c = hottest_c if hottest_c > CHARS_C else lowest_c
    words = say(
        "Part of the piece reaches {far_c:temp0}; its properties are known from {low_c:temp0} to {high_c:temp0}. "
        "Take the times as rough, and go by a thermometer.",
        far_c=far_c, low_c=PROPERTIES_HOLD_C[0], high_c=PROPERTIES_HOLD_C[1],
    )  # fmt: skip
    return [Finding("outside-property-range", "note", words, "Choi & Okos 1986")]
