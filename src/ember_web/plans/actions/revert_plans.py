"""Bring plans back to what they were before one change of several."""

from __future__ import annotations

from dataclasses import dataclass

from ember_web.plans.actions.restore_plan import RestorePlan, restore_plan
from ember_web.tenancy.action import Actor, Rank, action


@dataclass(frozen=True)
class RevertPlans:
    """The public id of each plan, and the number of its revision before the change."""

    revisions: tuple[tuple[str, int], ...]


@action(Rank.COOK, trail=False)
def revert_plans(actor: Actor, command: RevertPlans) -> None:
    """Restore each revision, all or none; not over what somebody saved since the change.

    Raises
    ------
    ChangedMeanwhile, InputError
        As of :func:`ember_web.plans.actions.restore_plan.restore_plan`.
    """
    for plan, number in command.revisions:
        restore_plan(actor, RestorePlan(plan, number, seen=number + 1))
