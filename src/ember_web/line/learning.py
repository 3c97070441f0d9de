"""What the probes' readings say about the pulls of running cooks, worked out beside the requests.

A request never waits for it: it hands in what has been read, and shows what was last worked out. The
workers take the cooks in the order of their new readings; of one cook only the newest readings wait.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from concurrent.futures import Future
from typing import Any

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.line.fold import CookState
from ember_core.planning.moves import MoveKind
from ember_web.jobs.newest import NewestQueue
from ember_web.line.computing import Question, learn
from ember_web.line.models import Cook
from ember_web.line.workers import workers

LEAST_READINGS = 6
LEAST_SPAN_S = 60.0
THERMAL = ("format", "piece", "stages", "kitchen", "rules")  # what of a plan its temperatures depend on


def thermal_key(document: Mapping[str, Any]) -> str:
    """What of a plan document its temperatures depend on, as text: titles, targets, notes and own keys are left out."""

    def bare(node: Any) -> Any:
        if isinstance(node, Mapping):
            return {k: bare(v) for k, v in node.items() if not str(k).startswith("x-")}
        return [bare(v) for v in node] if isinstance(node, list) else node

    kept = {k: document[k] for k in THERMAL if k in document}
    if kept.get("rules") == "house":  # the house's own rows are an own key
        kept["house"] = document.get("x-house")
    spreads = (document.get("forecast") or {}).get("spreads")
    return json.dumps([bare(kept), kept.get("house"), spreads], sort_keys=True)


def question(
    cook: Cook, thermal: str, state: CookState, core: tuple[Array, Array], medium: tuple[Array, Array], start: float
) -> Question | None:
    """What can be asked now: only while the pull is the next move and enough has been read.

    ``thermal`` is the plan's :func:`thermal_key`; ``core`` and ``medium`` are the readings in the piece and about it (s since 1970, °C). Plan time runs
    from the last move as it was really done, so that a late turn shifts the pull as well.
    """
    times, cores = core
    if not cook.result.get("coast") or state.next is None:
        return None
    done = [(m.done, m.offset_s) for m in state.moves if m.done is not None]
    if cook.moves[state.next]["kind"] != MoveKind.PULL or not done or not any(map(_enough, (times, medium[0]))):
        return None
    at, offset = max(done, key=lambda d: d[1])

    def of_plan(moments: Array) -> Array:
        return np.where(moments >= at, offset + moments - at, np.minimum(moments - start, offset))

    return Question(thermal, at, offset, of_plan(times), cores, of_plan(medium[0]), medium[1])


def _enough(times: Array) -> bool:
    """Whether readings tell anything yet."""
    return times.size >= LEAST_READINGS and bool(times[-1] - times[0] >= LEAST_SPAN_S)


class LearningQueue(NewestQueue[Question]):
    """What probes say of pulls."""

    def __init__(self) -> None:
        super().__init__("learning")

    def ask(self, cook_id: int, asked: Question | None, told: Callable[[], None]) -> dict[str, Any] | None:
        """The last answer about a cook; one about another plan or another last move is none."""
        slot = self.ask_of(
            cook_id, None if asked is None else asked.key, None if asked is None else lambda: asked, told
        )
        if slot is None or asked is None or slot.answered is None:
            return None
        return slot.result if slot.answered[:3] == asked.key[:3] else None

    def hand_over(self, asked: Question) -> Future[dict[str, Any] | None]:
        """To the worker that has prepared its plan."""
        return workers.submit(asked.thermal, learn, asked)


pull_queue = LearningQueue()
