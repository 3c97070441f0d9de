"""Pieces of one plan that differ in size: each with its own times, ready at the same moment."""

from __future__ import annotations

import copy
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ember_core.formats.plan import parse
from ember_core.heat.cook import Cook, run
from ember_core.heat.ensemble.coarse import coarse_cook
from ember_core.heat.setup import setup
from ember_core.plan.plan import Plan

TOLERANCE_K = 0.02
MOST = 12  # sizes that are told apart; more are taken as the nearest of these


@dataclass(frozen=True)
class OfOneSize:
    """Pieces of one size among several.

    Attributes
    ----------
    size_mm : float
    count : int
        How many have it.
    in_s, turn_s, pull_s, ready_s : float
        When they go in, are turned (the next stage begins), are pulled and are ready: s from when the first piece goes in. All are
        ready together, so the thickest goes in first.
    pull_core_c, peak_c : float
    """

    size_mm: float
    count: int
    in_s: float
    turn_s: float | None
    pull_s: float | None
    ready_s: float
    pull_core_c: float | None
    peak_c: float


def told_apart(plan: Plan) -> Counter[float]:
    """The sizes of a plan's pieces (``piece.x-sizes-mm``), mm, and how many have each; of more than :data:`MOST` the nearest."""
    sizes = Counter(float(s) for s in plan.document["piece"].get("x-sizes-mm", ()))
    if len(sizes) <= MOST:
        return sizes
    low, high = min(sizes), max(sizes)
    steps = [low + (high - low) * i / (MOST - 1) for i in range(MOST)]
    return Counter(min(steps, key=lambda s: abs(s - size)) for size in sizes.elements())


def length_key(plan: Plan) -> str:
    """The length of a plan's shape that its sizes stand for."""
    return "thickness_mm" if "thickness_mm" in plan.shape else "diameter_mm"


MASS_POWER = {"cylinder": 2, "sphere": 3}
"""How the mass of a shape goes with the size that is told apart; of the others as the size."""


def of_size(plan: Plan, size_mm: float) -> Plan:
    """The same plan for a piece of another size; a mass that is stated goes with it."""
    piece = {k: v for k, v in plan.document["piece"].items() if k != "x-sizes-mm"}
    piece["shape"] = {**plan.shape, length_key(plan): size_mm}
    if "mass_g" in piece:
        ratio = size_mm / float(plan.shape[length_key(plan)])
        piece["mass_g"] = round(piece["mass_g"] * ratio ** MASS_POWER.get(plan.shape["kind"], 1), 1)
    return parse(copy.deepcopy(dict(plan.document)) | {"piece": piece})


def other_sizes(plan: Plan, limits: Mapping[str, Any] | None = None) -> tuple[tuple[Plan, Cook], ...]:
    """Pieces of a plan that are not of the size it is computed for, each cooked on the fine grid, the smallest first.

    Parameters
    ----------
    plan : Plan
    limits : mapping, optional
        Keywords of :func:`ember_core.heat.setup.setup` for stages that wait for a rule or a log reduction.

    Raises
    ------
    InputError, ComputationError
        As of a plan.
    """
    others = sorted(s for s in told_apart(plan) if s != plan.shape.get(length_key(plan)))
    made = [of_size(plan, size) for size in others]
    return tuple((one, run(one, setup(one, **(limits or {})))) for one in made)


def sizes_apart(plan: Plan) -> tuple[OfOneSize, ...]:
    """The pieces of a plan by their own sizes, the first to go in first; empty when they are alike.

    Each size is cooked by itself on a coarse grid.

    Raises
    ------
    InputError, ComputationError
        As of a plan.
    """
    sizes = told_apart(plan)
    if len(sizes) < 2:
        return ()
    cooked = []
    for size, count in sizes.items():
        one = of_size(plan, size)
        cooked.append((size, count, coarse_cook(one, tol=TOLERANCE_K)))
    longest = max(c.stages[-1].end_s for _, _, c in cooked)
    out = []
    for size, count, cook in sorted(cooked, key=lambda c: -c[2].stages[-1].end_s):
        late = longest - cook.stages[-1].end_s
        pull = cook.pull_s
        core = None if cook.pull_stage is None else cook.stages[cook.pull_stage].core_c
        turn = cook.stages[0].end_s if len(cook.stages) > 2 and pull and cook.stages[0].end_s < pull else None
        out.append(
            OfOneSize(
                size, count, late, None if turn is None else late + turn, None if pull is None else late + pull, longest, core,
                cook.peak_core_c,
            )
        )  # fmt: skip
    return tuple(out)
