"""What a reader should know about a plan and its computed cook, as findings of the open formats."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Protocol

from ember_core.book.foods import doneness_of, food_row
from ember_core.heat.arrays import Array
from ember_core.heat.physics.properties import ThermalTable
from ember_core.heat.setup import bath_store
from ember_core.plan.finding import finding
from ember_core.plan.plan import Plan

HOT_START_C = 30.0  # a piece that starts warmer was heated before, which the plan does not show

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


def setup_findings(plan: Plan, boil_c: float) -> list[dict[str, str]]:
    """What a reader should know about the plan before any number of it."""
    out = []
    for i, stage in enumerate(plan.stages):
        for face in stage.all_faces:
            if face.kind == "bath" and plan.properties is None and (face.medium_c or 0.0) > boil_c:
                out.append(
                    finding(
                        "bath-above-boiling",
                        "care",
                        f"Stage {i + 1}: water boils at {boil_c:.1f} °C here; the bath is computed at that.",
                        "standard atmosphere; IAPWS SR1-86",
                    )
                )
                break
    named = plan.document.get("target", {}).get("doneness")
    usual = doneness_of(food_row(plan.food) if plan.food else None).get(named)
    if usual is not None and plan.target_c is not None and abs(usual - plan.target_c) > DONENESS_K:
        message = f"The target says {named} and {plan.target_c:g} °C; {named} is {usual:g} °C in the book. The temperature governs."
        out.append(finding("doneness-and-core", "note", message, "the plan"))
    if plan.shape["kind"] == "egg" and plan.shape.get("species", "hen") != "hen":
        message = f"A {plan.shape['species']} egg is computed with a hen's proportions at its own mass."
        out.append(finding("egg-proportions", "note", message, "the model"))
    if plan.properties is None and plan.start_c > boil_c:
        message = (
            f"Water boils at {boil_c:.1f} °C here: the piece is computed from there, not from {plan.start_c:g} °C."
        )
        out.append(finding("start-above-boiling", "care", message, "standard atmosphere; IAPWS SR1-86"))
    if plan.properties is None and plan.start_c > HOT_START_C:
        message = f"The piece starts at {plan.start_c:g} °C. How it came there, and how long that took, is not in the plan and not judged."
        out.append(finding("hot-start", "care", message, "the plan"))
    return out


def _asked(until: str, value: float) -> str:
    """What a stage waits for, in words."""
    names = {"core_c": "the core", "surface_c": "the surface", "mean_c": "the mean"}
    if until in names:
        return f"{names[until]} at {value:g} °C"
    return "meeting the rule" if until == "rule" else f"a reduction of {value:g} log10"


def _crowded(
    plan: Plan, outcomes: Sequence[Outcome], start_c: float, boil_c: float, table: ThermalTable
) -> list[dict[str, str]]:
    """Baths that cold pieces pull down, by what they are when they go in (``start_c`` for the first stage)."""
    out = []
    for i, stage in enumerate(plan.stages):
        if stage.load is None or stage.kind != "bath":
            continue
        share, rise_s = bath_store(plan, stage.load)
        goes_in = outcomes[i - 1].mean_c if i else start_c
        water_c = min(stage.face_a.medium_c or 0.0, boil_c)
        lack = float(table.enthalpy(water_c) - table.enthalpy(goes_in)) / table.c_ref
        drop = min(max(share * lack, 0.0), max(water_c - goes_in, 0.0))
        if drop > 1.0:
            out.append(
                finding(
                    "crowded-bath",
                    "care" if drop > 3.0 else "note",
                    f"Stage {i + 1}: the pieces pull the bath down by {drop:.1f} °C; it needs about {3 * drop * rise_s / 60:.0f} min "
                    "to come back. Use more water or fewer pieces at once.",
                    "energy balance of water, pieces and heater",
                )
            )
    return out


def outcome_findings(
    plan: Plan,
    outcomes: Sequence[Outcome],
    peak: float,
    end_s: float,
    field: Array,
    start_c: float,
    boil_c: float,
    table: ThermalTable,
) -> list[dict[str, str]]:
    """Findings that only the computed cook can give.

    Parameters
    ----------
    plan, outcomes : Plan, sequence of Outcome
        What was asked, and how each stage went.
    peak, end_s : float
        Highest core, °C, and end of the cook, s.
    field : ndarray (times, places)
        Recorded temperatures, °C.
    start_c, boil_c : float
        At the start, and where water boils, °C.
    table : ThermalTable
        Of the piece.
    """
    out = _crowded(plan, outcomes, start_c, boil_c, table)
    for i, (spec, done) in enumerate(zip(plan.stages, outcomes, strict=True)):
        if spec.until and done.ended_by == "minutes":
            if spec.until == "peak_core_c":
                message = (
                    f"No pull within {spec.minutes:g} min of stage {i + 1} brings the core to {spec.until_value:g} °C: "
                    f"it peaks at {peak:.1f} °C."
                )
            else:
                message = f"Stage {i + 1} ran its {spec.minutes:g} min without {_asked(spec.until, spec.until_value)}."
            out.append(finding("until-not-reached", "care", message, "model"))
        elif spec.until == "peak_core_c" and done.end_s - done.start_s < 1e-6:
            out.append(
                finding(
                    "pull-already-past",
                    "care",
                    f"Before stage {i + 1} begins the core is already bound for {peak:.1f} °C, above the wanted "
                    f"{spec.until_value:g} °C.",
                    "model",
                )
            )
    if plan.target_c is not None and plan.target_c - peak > 0.3:
        out.append(
            finding(
                "below-target",
                "care",
                f"The core peaks at {peak:.1f} °C, {plan.target_c - peak:.1f} below the target of {plan.target_c:g} °C.",
                "model",
            )
        )
    if plan.target_c is not None and peak - plan.target_c > 1.5:
        out.append(
            finding(
                "above-target",
                "care",
                f"The core peaks at {peak:.1f} °C, {peak - plan.target_c:.1f} above the target of {plan.target_c:g} °C.",
                "model",
            )
        )
    late = [t for t in plan.report_at_s if t > end_s + 1e-6]
    if late:
        out.append(
            finding(
                "report-after-end",
                "note",
                f"{len(late)} report times lie after the end of the cook ({end_s:.1f} s).",
                "plan",
            )
        )
    if plan.properties is None and (float(field.max()) > 150.0 or float(field.min()) < -40.0):
        out.append(
            finding(
                "outside-property-range",
                "note",
                f"Part of the piece reaches {float(field.max()):.0f} °C; the property equations hold from -40 to 150 °C.",
                "Choi & Okos 1986",
            )
        )
    return out
