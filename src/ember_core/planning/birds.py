"""The parts of a whole bird: the one that leads is cooked to its target, the others go by its clock."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ember_core.heat.cook import Cook, run
from ember_core.heat.ensemble.draw import stage_lengths
from ember_core.heat.setup import setup
from ember_core.plan.plan import Plan


def other_parts(plan: Plan, cook: Cook, limits: Mapping[str, Any] | None = None) -> tuple[tuple[Plan, Cook], ...]:
    """The parts of a bird besides the one that leads, each cooked on the fine grid for as long; empty of what is no bird.

    Parameters
    ----------
    plan, cook : Plan, Cook
        Of the part that leads.
    limits : mapping, optional
        Keywords of :func:`ember_core.heat.setup.setup` for stages that wait for a rule or a log reduction.

    Raises
    ------
    ComputationError
        As of a plan.
    """
    if plan.targets is None:
        return ()
    lengths = stage_lengths(cook)
    out = []
    for part in plan.targets:
        if part != plan.shape["part"]:
            one = plan.of_part(part).by_clock(lengths)
            out.append((one, run(one, setup(one, **(limits or {})))))
    return tuple(out)
