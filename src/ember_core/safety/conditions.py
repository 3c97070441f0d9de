"""Which clauses are in force for a plan: those whose conditions on the heat and its moisture it keeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from ember_core.plan.finding import Finding
from ember_core.plan.kinds import BAGGED_KINDS, DRY_AIR_KINDS, HEAT_KINDS, SEARING_KINDS, WAITING_KINDS, WET_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.stages import FaceSpec, StageSpec
from ember_core.safety.rules import Clause, Profile, profile_of, usual
from ember_core.wording.message import join_sentences, say

Flags = NDArray[np.bool_]
SLACK_C = 0.5  # K, rounding of °F to °C; our reading
SETTLED = 0.1  # of a stage: a medium that needs longer to settle is taken at where it begins; our reading
HOT_CABINET_C = 80.0  # from here on a hold or rest is an oven by another name; our reading
FOR_COLOUR_S = 600.0  # so much time in hot air in all is for colour, and asks for no moist oven; our reading


class Ran(Protocol):
    """When a stage ran."""

    @property
    def start_s(self) -> float:
        """Start, s."""

    @property
    def end_s(self) -> float:
        """End, s."""


@dataclass
class InForce:
    """The clauses of each form the piece is judged by.

    Attributes
    ----------
    by_form : dict of str to list of Clause
        Clauses whose conditions are kept.
    open : dict of str to list of (Clause, str)
        Clauses of which the plan does not say whether their conditions are kept, with what is missing.
    counts : dict of str to list of bool
        Clause id to whether the time in each stage counts for it; clauses not named count always.
    findings : list of finding
    """

    by_form: dict[str, list[Clause]] = field(default_factory=dict)
    open: dict[str, list[tuple[Clause, str]]] = field(default_factory=dict)
    counts: dict[str, list[bool]] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)

    def rows(self) -> tuple[tuple[float, float], ...]:
        """Rows any one of which meets all forms: each pair of rows of two forms by the hotter and the longer."""
        sets = [[r for c in clauses for r in c.rows] for clauses in self.by_form.values()]
        rows = sets[0] if sets else []
        for more in sets[1:]:
            rows = [(max(a, c), max(b, d)) for a, b in rows for c, d in more]
        return tuple(dict.fromkeys(rows))


def in_force(plan: Plan, ran: Sequence[Ran] | None = None, profile: Profile | None = None) -> InForce:
    """The clauses of the plan's rules that its way of heating allows, and findings on those it does not.

    A clause for whole roasts asks for an oven of a certain heat, for humid heat, or for a moisture-proof bag, and
    counts only the time in it and in the rest after it; FSIS's asks for a moist oven. Cooked otherwise the piece is
    judged by the other clauses.

    Parameters
    ----------
    plan : Plan
    ran : sequence of Ran, optional
        When the stages ran, once they are computed; without it they are taken at their longest.
    profile : Profile, optional
        Default the plan's.
    """
    profile = profile or profile_of(plan.rules or usual(), plan.house, species=plan.required.species)
    lasted = [s.seconds if ran is None else ran[i].end_s - ran[i].start_s for i, s in enumerate(plan.stages)]
    mass = plan.document["piece"].get("mass_g")
    out = InForce()
    for form in plan.required.forms:
        out.by_form[form], out.open[form] = [], []
        for clause in profile.clauses_for(form):
            kept, missing = True, ""
            if clause.oven is not None:
                kept, missing = _roast(plan, clause, clause.oven, lasted, mass, out)
            elif clause.moisture is not None:
                kept, missing = _moist(plan, clause, clause.moisture, lasted, mass, out)
            if kept:
                out.by_form[form].append(clause)
            elif missing:
                out.open[form].append((clause, missing))
    return out


def _bag(face: FaceSpec) -> bool:
    """Whether a face lies in a moisture-proof bag: a pouch in its bath, or a roasting bag."""
    return face.kind in BAGGED_KINDS or face.cover == "bag"


def _is_moist(face: FaceSpec, asked: Mapping[str, float]) -> bool:
    """Whether a face loses no water to what heats it: in its bag, in water or steam, or in air as humid as is asked for."""
    if _bag(face) or face.kind in WET_KINDS:
        return True
    return (face.humidity or 0.0) >= asked["humid_share"]


def _in_dry_air(face: FaceSpec, cabinet: bool) -> bool:
    """Whether hot air heats a face, whatever the stage is called: an oven, a grill, a torch, a hot cabinet."""
    return (face.kind in DRY_AIR_KINDS or cabinet) and not _bag(face)


def _is_oven(stage: StageSpec, first: bool) -> bool:
    """Whether a stage that is named for keeping food heats it as an oven does: very hot, or before any other heat."""
    hottest = max(f.medium_c or 0.0 for f in stage.all_faces)
    return stage.kind not in HEAT_KINDS and (hottest >= HOT_CABINET_C or (first and hottest >= 54.4))


def _oven_c(face: FaceSpec, seconds: float) -> tuple[float, float]:
    """The least and the most an oven is at, °C: one that settles for more than a tenth of the time is where it begins."""
    medium = face.medium_c or 0.0
    begins = medium if face.medium_from_c is None else face.medium_from_c
    slow = 60.0 * face.settle_minutes > SETTLED * seconds
    return min(medium, begins) if slow else medium, max(medium, begins)


def _roast_stage(
    stage: StageSpec, seconds: float, mass_g: float | None, oven: Mapping[str, float]
) -> tuple[bool | None, bool]:
    """Whether one heat stage keeps a roast clause's oven (None: hangs on a mass that is not stated), and whether it speaks at all."""
    faces = [f for f in stage.all_faces if f.kind in HEAT_KINDS]
    if all(f.kind in SEARING_KINDS for f in faces):
        return False, False
    for f in faces:
        least, most = _oven_c(f, seconds)
        humid = f.kind == "steam" or (f.kind in {"oven", "grill"} and (f.humidity or 0.0) > oven["humid_share"])
        if _bag(f) and most <= oven["humid_most_c"] + SLACK_C:
            continue
        if humid and seconds >= oven["humid_s"] and most <= oven["humid_most_c"] + SLACK_C:
            continue
        if f.kind != "oven" or _bag(f):
            return False, True
        if least >= oven["fan_c" if f.variant == "fan" else "still_c"] - SLACK_C:
            continue
        if least < oven["large_c"] - SLACK_C:
            return False, True
        if mass_g is None:
            return None, True
        if mass_g < oven["mass_g"]:
            return False, True
    return True, True


def _roast(
    plan: Plan, clause: Clause, oven: Mapping[str, float], lasted: Sequence[float], mass: float | None, out: InForce
) -> tuple[bool, str]:
    """Whether the clause for whole roasts is in force; (False, what is missing) when that hangs on the mass."""
    judged = [
        _roast_stage(s, t, mass, oven) if s.kind in HEAT_KINDS else (True, False)
        for s, t in zip(plan.stages, lasted, strict=True)
    ]
    said = [kept for kept, speaks in judged if speaks]
    if said and all(said):
        counts, current = [], False
        for stage, (kept, _) in zip(plan.stages, judged, strict=True):
            after = stage.kind in WAITING_KINDS and not _is_oven(stage, False)
            current = bool(kept) if stage.kind in HEAT_KINDS else current and after
            counts.append(current)
        out.counts[clause.id] = counts
        return True, ""
    asked = say(
        "{clause} asks for an oven of {still_c:temp} ({fan_c:temp} with a fan), from {mass_g:mass} on {large_c:temp}, or at "
        "most {humid_most_c:temp} in humid heat or a moisture-proof bag",
        clause=clause.id,
        **{k: oven[k] for k in ("still_c", "fan_c", "mass_g", "large_c", "humid_most_c")},
    )
    if said and False not in said:
        mass_g = oven["mass_g"]
        return False, say(
            "{asked}: this oven would do for {mass_g:mass} or more. State the mass.", asked=asked, mass_g=mass_g
        )
    words = say(
        "{asked}. This way keeps none of them, so its rows do not count here: the piece is judged by the other "
        "clauses.",
        asked=asked,
    )
    out.findings.append(Finding("roast-oven", "care", words, f"{clause.authority}, 3-401.11(B)(1)"))
    return False, ""


def _moist(
    plan: Plan, clause: Clause, asked: Mapping[str, float], lasted: Sequence[float], mass: float | None, out: InForce
) -> tuple[bool, str]:
    """Whether an oven is as moist as the clause asks; (False, what is missing) when the plan does not say it."""
    heat = humid = air = 0.0
    needed = unknown = False
    for stage, seconds in zip(plan.stages, lasted, strict=True):
        cabinet = _is_oven(stage, heat == 0.0)
        if stage.kind not in HEAT_KINDS and not cabinet:
            continue
        heat += seconds
        faces = [f for f in stage.all_faces if f.kind in HEAT_KINDS or cabinet]
        if all(_is_moist(f, asked) for f in stage.all_faces):
            humid += seconds
        ovens = [f for f in faces if _in_dry_air(f, cabinet)]
        air += seconds if ovens else 0.0
        for f in ovens:
            large = (
                mass is not None and mass >= asked["mass_g"] and _oven_c(f, seconds)[0] >= asked["large_c"] - SLACK_C
            )
            needed = needed or not large
            unknown = unknown or (not large and f.humidity is None)
    if not needed or air <= FOR_COLOUR_S or humid >= max(asked["of_heat"] * heat, asked["humid_s"]):
        return True, ""
    words = say(
        "A moist oven is asked for: {humid:.0f} % humidity for a quarter of the heating and at least 1 h, a "
        "moisture-proof bag, or {mass_g:mass} and more at {large_c:temp}.",
        humid=asked["humid_share"] * 100,
        mass_g=asked["mass_g"],
        large_c=asked["large_c"],
    )
    if unknown:
        return False, join_sentences([words, say("State the oven's humidity, or use a bag.")])
    words = join_sentences([words, say("This oven is drier, or moist for less, so the clause does not count.")])
    out.findings.append(Finding("moist-oven", "stop", words, clause.authority))
    return True, ""


def breaks_of(plan_force: InForce, ran: Sequence[Ran], t_s: NDArray[np.float64]) -> dict[str, Flags]:
    """Intervals (n − 1) of a computed history that do not count for a clause, by clause id."""
    middle = 0.5 * (t_s[1:] + t_s[:-1])
    out: dict[str, Any] = {}
    for clause_id, counts in plan_force.counts.items():
        counted = np.zeros(middle.size, dtype=bool)
        for counts_here, stage in zip(counts, ran, strict=True):
            if counts_here:
                counted |= (middle >= stage.start_s) & (middle <= stage.end_s)
        out[clause_id] = ~counted
    return out
