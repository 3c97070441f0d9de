"""Pieces of one plan that differ in size: each with its own times, ready at the same moment."""

from __future__ import annotations

import copy
from collections import Counter
from dataclasses import dataclass

from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.ensemble.forecast import MEMBER_CELLS, MEMBER_REFINE
from ember_core.heat.setup import setup
from ember_core.plan.plan import Plan

TOLERANCE_K = 0.02
MOST = 12  # sizes that are told apart; more are taken as the nearest of these


@dataclass(frozen=True)
class Own:
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


def sizes_apart(plan: Plan) -> tuple[Own, ...]:
    """The pieces of a plan by their own sizes (``piece.x-sizes-mm``), the first to go in first; empty when they are alike.

    Each size is cooked by itself on a coarse grid.

    Raises
    ------
    InputError, ComputationError
        As of a plan.
    """
    piece = plan.document["piece"]
    sizes = Counter(float(s) for s in piece.get("x-sizes-mm", ()))
    if len(sizes) < 2:
        return ()
    if len(sizes) > MOST:
        low, high = min(sizes), max(sizes)
        steps = [low + (high - low) * i / (MOST - 1) for i in range(MOST)]
        sizes = Counter(min(steps, key=lambda s: abs(s - size)) for size in sizes.elements())
    key = "thickness_mm" if "thickness_mm" in plan.shape else "diameter_mm"
    cooked = []
    for size, count in sizes.items():
        document = copy.deepcopy(dict(plan.document))
        document["piece"] = {k: v for k, v in piece.items() if k != "mass_g"} | {"shape": {**plan.shape, key: size}}
        one = parse(document)
        cooked.append((size, count, run(one, setup(one, cells=MEMBER_CELLS, refine=MEMBER_REFINE), tol=TOLERANCE_K)))
    longest = max(c.stages[-1].end_s for _, _, c in cooked)
    out = []
    for size, count, cook in sorted(cooked, key=lambda c: -c[2].stages[-1].end_s):
        late = longest - cook.stages[-1].end_s
        pull = cook.pull_s
        core = None if cook.pull_stage is None else cook.stages[cook.pull_stage].core_c
        turn = cook.stages[0].end_s if len(cook.stages) > 2 and pull and cook.stages[0].end_s < pull else None
        out.append(
            Own(
                size, count, late, None if turn is None else late + turn, None if pull is None else late + pull, longest, core,
                cook.peak_core_c,
            )
        )  # fmt: skip
    return tuple(out)
