"""Which clauses are in force for a plan: those whose conditions on the oven it keeps."""

from __future__ import annotations

from collections.abc import Mapping

from ember_core.formats.plan import FaceSpec, Plan, StageSpec
from ember_core.heat.findings import finding
from ember_core.heat.surroundings import WATER_KINDS
from ember_core.safety.rules import Clause, profile_of

SLACK_C = 0.5  # K, rounding of °F to °C


def _oven_kept(face: FaceSpec, stage: StageSpec, mass_g: float | None, oven: Mapping[str, float]) -> bool | None:
    """Whether one oven stage keeps a clause's oven; None when that hangs on a mass the plan does not state."""
    medium = face.medium_c or 0.0
    moist = face.cover == "wrapped" or (
        (face.humidity or 0.0) >= oven["humid_share"] and stage.seconds >= oven["humid_s"]
    )
    if moist and medium <= oven["humid_most_c"] + SLACK_C:
        return True
    if medium >= oven["fan_c" if face.variant == "fan" else "still_c"] - SLACK_C:
        return True
    if medium < oven["large_c"] - SLACK_C:
        return False
    return None if mass_g is None else mass_g >= oven["mass_g"]


def in_force(plan: Plan) -> tuple[tuple[Clause, ...], list[dict[str, str]]]:
    """The clauses of the plan's rules that its way of heating allows, and findings on those it does not.

    A clause for whole roasts asks for an oven of a certain heat, for humid heat, or for a
    moisture-proof bag. Cooked otherwise the piece is judged by the other clauses.
    """
    profile = profile_of(plan.rules or "us-food-code-2022", plan.house)
    clauses, findings = [], []
    mass = plan.document["piece"].get("mass_g")
    for clause in profile.clauses_for(plan.form):
        oven = clause.oven
        faces = [(f, s) for s in plan.stages for f in s.all_faces]
        ovens = [(f, s) for f, s in faces if f.kind == "oven"]
        if oven is None or (not ovens and any(f.kind in WATER_KINDS for f, _ in faces)):
            clauses.append(clause)
            continue
        kept = [_oven_kept(f, s, mass, oven) for f, s in ovens]
        asked = (
            f"{clause.id} asks for an oven of {oven['still_c']:g} °C ({oven['fan_c']:g} with a fan), from "
            f"{oven['mass_g'] / 1000:g} kg on {oven['large_c']:g} °C, or at most {oven['humid_most_c']:g} °C in humid heat or a "
            "moisture-proof bag"
        )
        source = f"{clause.authority}, 3-401.11(B)(1)"
        if ovens and False not in kept and None not in kept:
            clauses.append(clause)
        elif ovens and False not in kept:
            clauses.append(clause)
            words = f"{asked}: this one holds only if the roast weighs {oven['mass_g'] / 1000:g} kg or more. State its mass."
            findings.append(finding("roast-oven", "care", words, source))
        else:
            words = f"{asked}. This way keeps none of them, so its rows do not count here: the piece is judged by the other clauses."
            findings.append(finding("roast-oven", "care", words, source))
    return tuple(clauses), findings
