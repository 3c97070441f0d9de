"""What the probes' readings say about the pulls of running cooks, worked out beside the requests.

A request never waits for it: it hands in what has been read, and shows what was last worked out. One
worker thread takes the cooks in the order of their new readings; of one cook only the newest
readings wait. Prepared ensembles are shared by all cooks that are thermally alike.
"""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from ember_core.formats.plan import parse
from ember_core.heat.arrays import Array
from ember_core.heat.cook import run
from ember_core.heat.ensemble.coarse import coarse_setup
from ember_core.heat.ensemble.learning import Learner
from ember_core.heat.setup import setup
from ember_core.line.fold import CookState
from ember_core.planning.moves import MoveKind
from ember_core.wording.message import join_sentences
from ember_web.line.background import BackgroundQueue
from ember_web.line.models import Cook

MEMBERS = 96
LEAST_READINGS = 6
LEAST_SPAN_S = 60.0
PREPARED = 128  # ensembles kept, about half a megabyte each
THERMAL = ("format", "piece", "stages", "kitchen", "rules")  # what of a plan its temperatures depend on


@dataclass(frozen=True)
class Question:
    """What the pull is asked of: a cook's thermal plan, where its last move stands, and its readings in plan time."""

    thermal: str
    anchor_s: float  # when the last move was done, s since 1970
    offset_s: float  # and where that move stands in the plan, s
    plan_s: Array
    core_c: Array
    medium_s: Array = field(default_factory=lambda: np.empty(0))  # and those of the thermometers in what heats it
    medium_c: Array = field(default_factory=lambda: np.empty(0))

    @cached_property
    def key(self) -> tuple[str, float, float, int, float]:
        """Changes with every new reading and every move."""
        read = self.plan_s.size + self.medium_s.size
        return self.thermal, self.anchor_s, self.offset_s, read, float(self.core_c.sum() + self.medium_c.sum())


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


def prepare(thermal: str) -> Learner:
    """The ensemble of a thermal plan, or of a part of its bird; a few tenths of a second on one processor."""
    kept, house, spreads, *part = json.loads(thermal)
    kept.pop("house", None)
    plan = parse(kept | ({"x-house": house} if house else {}))
    plan = plan.of_part(part[0]) if part else plan
    cook = run(plan, setup(plan))
    cells = coarse_setup(plan)
    return Learner.prepare(cells, plan.face_kinds, cook, members=MEMBERS, spreads=spreads, threads=1)


def answer(learner: Learner, asked: Question) -> dict[str, Any] | None:
    """The pull by the probe, in ms since 1970: ``from``, ``likely``, ``to``, and a ``note`` when it is doubtful."""
    posterior = learner.update(asked.plan_s, asked.core_c, asked.medium_s, asked.medium_c)
    if posterior.used == 0 and not posterior.findings:
        return None
    low, middle, high = (
        round(1000 * (asked.anchor_s + float(p) - asked.offset_s))
        for p in np.quantile(posterior.pull_s, [0.05, 0.5, 0.95])
    )
    return {
        "from": low,
        "likely": middle,
        "to": high,
        "used": posterior.used,
        "note": join_sentences(posterior.findings),
    }


class LearningQueue(BackgroundQueue[Question]):
    """What probes say of pulls. Prepared ensembles are shared by all cooks that are thermally alike."""

    def __init__(self, most: int = PREPARED) -> None:
        super().__init__("learning")
        self.learners: OrderedDict[str, Learner] = OrderedDict()
        self.most = most

    def ask(self, cook_id: int, asked: Question | None, told: Callable[[], None]) -> dict[str, Any] | None:
        """The last answer about a cook; one about another plan or another last move is none."""
        slot = self.ask_of(
            cook_id, None if asked is None else asked.key, None if asked is None else lambda: asked, told
        )
        if slot is None or asked is None or slot.answered is None:
            return None
        return slot.result if slot.answered[:3] == asked.key[:3] else None

    def work(self, asked: Question) -> dict[str, Any] | None:
        """The pull by the probe."""
        return answer(self._learner(asked.thermal), asked)

    def _learner(self, thermal: str) -> Learner:
        found = self.learners.get(thermal)
        if found is None:
            found = self.learners[thermal] = prepare(thermal)
            while len(self.learners) > self.most:
                self.learners.popitem(last=False)
        self.learners.move_to_end(thermal)
        return found


desk = LearningQueue()
