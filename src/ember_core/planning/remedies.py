"""When no moment works: what would, found by cooking the plan again with one thing changed."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

from ember_core.errors import ComputationError
from ember_core.heat.cook import Cook, run
from ember_core.heat.ensemble.forecast import MEMBER_REFINE
from ember_core.heat.setup import setup
from ember_core.plan.finding import Finding
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.stages import FaceSpec, StageSpec
from ember_core.wording.message import say

TOLERANCE_K = 0.05

REMEDY_CELLS = 48  # faces that are treated apart want more than a member of the forecast has

LONGEST_MIN = 20160.0

HOTTER_C = 150.0  # so much more heat is tried at the most

HALVINGS = 8

SHORTER = (0.0, 0.15, 0.3, 0.45, 0.6, 0.75, 0.9, 0.98)  # shares of the heat before a stage that are left out


def remedies(plan: Plan, cook: Cook, limits: dict[str, object] | None = None) -> list[Finding]:
    """What would make the stages end as they are meant to, as findings; empty when they do.

    Parameters
    ----------
    plan : Plan
    cook : Cook
        Its nominal cook.
    limits : dict, optional
        Keywords of :func:`ember_core.heat.setup.setup` for stages that wait for a rule or a log reduction.
    """
    out = []
    for i, (stage, done) in enumerate(zip(plan.stages, cook.stages, strict=True)):
        past = stage.until == "peak_core_c" and done.end_s - done.start_s < 1e-6
        if stage.until is None or (done.ended_by == stage.until and not past):
            continue

        def works(changed: Plan, i: int = i) -> Cook | None:
            made = setup(changed, cells=REMEDY_CELLS, refine=MEMBER_REFINE, **(limits or {}))  # type: ignore[arg-type]  # as setup's own
            try:
                tried = run(changed, made, tol=TOLERANCE_K)
            except ComputationError:  # a change the solver cannot follow is no remedy
                return None
            end = tried.stages[i]
            good = end.ended_by == changed.stages[i].until and end.end_s - end.start_s > 1e-6
            return tried if good else None

        words = _earlier(plan, i, works) if past else _more(plan, i, works)
        out.append(
            Finding(
                "what-would-work",
                "note",
                say("Stage {stage}: {words}", stage=i + 1, words=words),
                "model, cooked again with that one change",
            )
        )
    return out


def _with(plan: Plan, i: int, stage: StageSpec) -> Plan:
    return replace(plan, stages=(*plan.stages[:i], stage, *plan.stages[i + 1 :]))


def _hotter(stage: StageSpec, by: float) -> StageSpec:
    """The stage with every heated face's medium ``by`` K hotter."""

    def face(f: FaceSpec) -> FaceSpec:
        return replace(f, medium_c=f.medium_c + by) if f.kind in HEAT_KINDS and f.medium_c is not None else f

    return replace(
        stage,
        face_a=face(stage.face_a),
        face_b=face(stage.face_b),
        face_side=face(stage.face_side),
        face_edge=face(stage.face_edge),
    )


def _least(works: Callable[[float], bool], low: float, high: float) -> float:
    """The least value that works between ``low`` (does not) and ``high`` (does), from above."""
    for _ in range(HALVINGS):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if works(middle) else (middle, high)
    return high


def _more(plan: Plan, i: int, works: Callable[[Plan], Cook | None]) -> str:
    """More minutes, and more heat."""
    stage = plan.stages[i]
    said = []
    longer = works(_with(plan, i, replace(stage, minutes=min(max(20.0 * stage.minutes, 600.0), LONGEST_MIN))))
    if longer is not None:
        done = longer.stages[i]
        took_s = done.end_s - done.start_s
        said.append(say("{minutes} min in all would be enough", minutes=math.ceil(took_s / 60.0)))
    if works(_with(plan, i, _hotter(stage, HOTTER_C))) is not None:
        by = math.ceil(_least(lambda k: works(_with(plan, i, _hotter(stage, k))) is not None, 0.0, HOTTER_C))
        said.append(say("{by_k:rise0} more heat would do it within {minutes:g} min", by_k=by, minutes=stage.minutes))
    if not said:
        return say(
            "neither more minutes nor more heat brings it there. Change the shape, the start or the target, "
            "and check what heats the other face."
        )
    if len(said) == 1:
        return say("{change}.", change=said[0])
    return say("{first}, or {second}.", first=said[0], second=said[1])


def _earlier(plan: Plan, i: int, works: Callable[[Plan], Cook | None]) -> str:
    """Less heat before the stage, when it begins too late to be pulled in time."""

    def shortened(by: float) -> Plan:
        return replace(
            plan,
            stages=tuple(
                replace(s, minutes=s.minutes * (1.0 - by)) if k < i and s.kind in HEAT_KINDS else s
                for k, s in enumerate(plan.stages)
            ),
        )

    def enough(by: float) -> bool:
        return works(shortened(by)) is not None

    heated = any(s.kind in HEAT_KINDS for s in plan.stages[:i])
    # too little heat before it may leave the stage too short: the first share that works, not the largest
    first = next((k for k in range(1, len(SHORTER)) if enough(SHORTER[k])), None) if heated else None
    if first is None:
        return say("the piece will go past that before this stage begins. Ask for a higher peak, or start colder.")
    by = _least(enough, SHORTER[first - 1], SHORTER[first])
    share = 100.0 * (1.0 - by)
    return say("shorten the heat before it to {share:.0f} % of its minutes, or ask for a higher peak.", share=share)
