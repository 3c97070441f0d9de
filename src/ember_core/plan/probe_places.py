"""The places of a plan that a thermometer in its core says nothing of: a bird's other parts, the thickest of several pieces."""

from __future__ import annotations

from ember_core.plan.plan import Plan
from ember_core.wording.message import N_

THICKEST = "thickest"
PART_NAMES = {
    "breast": N_("the breast"),
    "leg": N_("the leg"),
    "stuffing": N_("the stuffing"),
    THICKEST: N_("the thickest piece"),
}
ANY_PIECE = N_("a piece")


def sizes_mm(plan: Plan) -> set[float]:
    """The thicknesses of its pieces, mm, where they differ; empty else."""
    sizes = {float(s) for s in plan.document["piece"].get("x-sizes-mm", ())}
    return sizes if len(sizes) > 1 else set()


def other_parts(plan: Plan) -> list[str]:
    """The parts besides the one that the plan follows; keys of :data:`PART_NAMES`."""
    if plan.targets is not None:
        return [part for part in plan.targets if part != plan.shape.get("part")]
    return [THICKEST] if sizes_mm(plan) else []


def places_to_read(plan: Plan) -> list[tuple[str, str]]:
    """Where a thermometer can be put, as (part, name), that of the part which the plan follows first; empty of one piece without parts.

    Of pieces of several sizes the part of any piece is "".
    """
    others = other_parts(plan)
    if not others:
        return []
    followed = plan.shape.get("part", "")
    return [(followed, PART_NAMES.get(followed, ANY_PIECE)), *((part, PART_NAMES[part]) for part in others)]
