"""Pieces that share a medium with a store: laid in one after another, or different ones beside the plan's own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ember_core.heat.cook import Cook, run
from ember_core.heat.ensemble.draw import stage_lengths
from ember_core.heat.physics.stores import kinds, same_store
from ember_core.heat.setup import Setup, setup, store_stated
from ember_core.heat.shared_medium import HeatTaken, Sharer, cook_together
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan
from ember_core.wording.message import N_, say


@dataclass(frozen=True, eq=False)
class Shared:
    """A plan whose pieces share a medium.

    Attributes
    ----------
    cook : Cook
        Of the plan's own piece, the first to be laid in.
    setup : Setup
        That gives it again, with what the others take.
    like : tuple of (Plan, Cook)
        The pieces laid in after it, by the first one's clock.
    also : tuple of (Plan, Cook, float)
        Different pieces, each to its own end, and when they are laid in, s from the plan's begin.
    first : int
        The stage in whose medium they do.
    """

    cook: Cook
    setup: Setup
    like: tuple[tuple[Plan, Cook], ...]
    also: tuple[tuple[Plan, Cook, float], ...]
    first: int

    def setup_of(self, plan: Plan, **keywords: Any) -> Setup:
        """A setup of the plan, or of one of another size, on another grid: alone in its medium with what the others take."""
        one = _alone(plan, 1) if self.like else plan
        return replace(setup(one, **keywords), others=self.setup.others)


def laid_in_turn(plan: Plan) -> tuple[int, int, float] | None:
    """Which stage pieces are laid in one after another, how many, and how far apart, s; None when all at once, or one alone."""
    for i, stage in enumerate(plan.stages):
        if stage.store is not None and stage.store.get("lay_in_every_s", 0.0) > 0.0:
            count = int(stage.store.get("pieces", plan.document["piece"].get("count", 1)))
            if count > 1:
                return i, count, float(stage.store["lay_in_every_s"])
    return None


def doors_of(plan: Plan) -> tuple[int, list[HeatTaken]] | None:
    """Which stage's medium has its door opened, and what it loses then, on that stage's clock; None where it stays shut."""
    for i, stage in enumerate(plan.stages):
        if stage.store is not None and stage.store.get("doors"):
            by_degree = float(kinds()[stage.store["kind"]]["door_w_k"])
            at = np.full(2, by_degree * plan.air_c)
            times = [(d["at_s"], d["at_s"] + d["open_s"]) for d in stage.store["doors"]]
            return i, [HeatTaken(np.array(t, dtype=float), by_degree, at) for t in times]
    return None


def _alone(plan: Plan, count: int) -> Plan:
    """The plan of ``count`` of its pieces, where its stores hold more."""
    stages = tuple(
        s if s.store is None else replace(s, store={**s.store, "pieces": count, "lay_in_every_s": 0.0})
        for s in plan.stages
    )
    return replace(plan, stages=stages)


def _last_of(plan: Plan, first: int) -> int:
    """The last stage in which the store of stage ``first`` goes on."""
    last = first
    while last + 1 < len(plan.stages) and same_store(
        store_stated(plan.stages[last]), store_stated(plan.stages[last + 1])
    ):
        last += 1
    return last


def shared(
    plan: Plan,
    limits: Mapping[str, Any],
    budget_s: float | None,
    tol: float | None = None,
    taken: Sequence[HeatTaken] = (),
) -> Shared | None:
    """Cook a plan whose pieces share a medium unalike; None where they go in together and no door is opened.

    Parameters
    ----------
    plan : Plan
    limits : mapping
        Keywords of :func:`ember_core.heat.setup.setup` for stages that wait for a rule or a log reduction.
    budget_s : float or None
        As of :func:`ember_core.heat.cook.run`, for each run.
    tol : float, optional
        As of :func:`ember_core.heat.shared_medium.cook_together`.
    taken : sequence of HeatTaken
        What the medium loses besides, where they share one, by the clock of its stage.

    Raises
    ------
    ComputationError
    """
    turn, opened = laid_in_turn(plan), doors_of(plan)
    doors = [*([] if opened is None else opened[1]), *taken]
    if turn is not None:
        first, count, apart = turn
        one = _alone(plan, 1)
        made = setup(one, **limits)
        last = _last_of(plan, first)
        sharers = [Sharer(one, made, first, last, apart * k) for k in range(count)]
        found = cook_together(sharers, doors=doors, tol=tol, budget_s=budget_s)
        timed = one.by_clock(stage_lengths(found.cooks[0]))
        by_clock = setup(timed, **limits)
        like = []
        for own in found.setups[1:]:
            begun = by_clock.schedule._replace(faces=own.schedule.faces.copy())
            later = replace(by_clock, others=own.others, schedule=begun)
            like.append((timed, run(timed, later, budget_s=budget_s)))
        return Shared(found.cooks[0], found.setups[0], tuple(like), (), first)
    if plan.also:
        first = next(i for i, s in enumerate(plan.document["stages"]) if "also" in s)
    elif opened is not None:
        first = opened[0]
    else:
        return None
    own = setup(plan, **limits)
    sharers = [Sharer(plan, own, first, first, 0.0)]
    sharers += [Sharer(other, setup(other), 0, 0, in_s) for other, in_s in plan.also]
    found = cook_together(sharers, doors=doors, tol=tol, budget_s=budget_s)
    begin = found.cooks[0].stages[first].start_s
    also = tuple((p, c, begin + in_s) for (p, in_s), c in zip(plan.also, found.cooks[1:], strict=True))
    return Shared(found.cooks[0], found.setups[0], (), also, first)


COLDER_K = 0.3  # by so much must pieces of one plan differ to be worth a word


def in_turn(plan: Plan, cook: Cook, like: Sequence[tuple[Plan, Cook]]) -> list[Finding]:
    """What laying in one after another does to the pieces that come after the first, as findings."""
    if not like:
        return []
    peaks = [cook.peak_core_c, *(c.peak_core_c for _, c in like)]
    k = max(range(len(peaks)), key=lambda i: abs(peaks[i] - peaks[0]))
    off = peaks[k] - peaks[0]
    if abs(off) < COLDER_K:
        words = say(
            "Laid in one after another and lifted in the same order, all {many} come out alike.", many=len(peaks)
        )
        return [Finding("laid-in-turn", "note", words, "model, all pieces cooked together")]
    more, less = N_("{off_k:difference1} hotter"), N_("{off_k:difference1} colder")
    words = say(
        "Laid in one after another and lifted in the same order: number {number} peaks {off}.",
        number=k + 1,
        off=say(more if off > 0 else less, off_k=abs(off)),
    )
    return [Finding("laid-in-turn", "note" if abs(off) < 2.0 else "care", words, "model, all pieces cooked together")]
