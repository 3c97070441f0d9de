"""A cook of a piece whose size changes as it goes: in legs, each at one size.

A part takes over what the one before leaves, place by place: temperatures, what dried, what has been killed, the medium and its air. What
leaves a piece that gets smaller leaves with the heat it has.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook, finish_cook
from ember_core.heat.course import Course, StageOutcome, one_after_other
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.setup import DRYING_SCALE, Setup, body_of, start_state
from ember_core.heat.solver.ending import UNTIL_TIME
from ember_core.heat.solver.entering import going_on
from ember_core.heat.solver.types import Rows, Schedule
from ember_core.heat.stage_run import BUDGET_S, ENDS_S, StageRun, run_stages
from ember_core.plan.plan import Plan

LEGS, MOST_LEGS = 12, 6  # of a cook, if it takes as long as is thought, and of one stage at the most
LEG_SAMPLES = 6.0  # a part is recorded at least so often
LEAST_LEG_S = 1.0
# what may be spent on a part, s of computing: a usual one takes 1 to 3 ms, and a cook has up to some twenty
LEG_BUDGET_S = BUDGET_S / 40.0


@dataclass(frozen=True, eq=False)
class Passed:
    """What is known of a piece when a part ends.

    Attributes
    ----------
    t, field : ndarray (times,), (times, places)
        Of the part, s from the start of the cook and °C, its begin included.
    evaporated : float
        Water lost through the skin so far, as a share of the raw mass.
    """

    t: Array
    field: Array
    evaporated: float


def run_resized(
    plan: Plan, s: Setup, lengths: Sequence[float], size_after: Callable[[Passed], float]
) -> tuple[Cook, Array]:
    """Cook a piece whose size goes by what becomes of it; its stages end as they do else, but none looks ahead for its pull.

    Parameters
    ----------
    plan, s : Plan, Setup
        Of a piece that is not cut; stages that look ahead take their times from ``lengths``.
    lengths : sequence of float
        How long each stage is thought to take, s.
    size_after : function
        Told of each part in turn, gives the size at its end, as a share of the raw one in each direction.

    Returns
    -------
    tuple
        The cook, its places and shares as of the raw piece; its size at the cook's times.

    Raises
    ------
    ComputationError
        As of :func:`ember_core.heat.cook.run`.
    """
    walk = _Walk(plan, s, size_after, max(float(sum(lengths)), LEAST_LEG_S))
    for i, seconds in enumerate(lengths):
        walk.stage(i, seconds)
    found = walk.found
    assert found is not None  # a plan has stages
    return finish_cook(plan, found), walk.sizes


class _Walk:
    """A piece on its way through the stages."""

    def __init__(self, plan: Plan, s: Setup, size_after: Callable[[Passed], float], whole_s: float) -> None:
        self.plan, self.s, self.size_after, self.whole_s = plan, s, size_after, whole_s
        self.y = start_state(s, plan.start_c)
        self.found: Course | None = None
        self.size, self.rate = 1.0, 0.0  # now; by the last part, 1/s
        self.sizes = np.ones(1)

    def stage(self, i: int, seconds: float) -> None:
        """Go through one stage, thought to take so long."""
        own = self.s.schedule.part(i, i + 1)
        waits = bool(self.plan.stages[i].until) and self.plan.stages[i].until != "peak_core_c"
        longest = float(own.duration[0]) if waits else seconds
        legs = min(max(int(np.ceil(LEGS * seconds / self.whole_s)), 1), MOST_LEGS)
        step = max(seconds / legs, LEAST_LEG_S)
        gone, first = 0.0, True
        while first or gone < longest - ENDS_S:
            span = min(step, longest - gone)
            if longest - gone - span < 0.5 * step and not waits:
                span = longest - gone
            ended = self._leg(i, own, gone, span, waits)
            gone, first = gone + ended.took, False
            if ended.ended_by != "minutes":
                break

    def _leg(self, i: int, own: Schedule, gone: float, span: float, waits: bool) -> StageOutcome:
        """Go on with a stage of which ``gone`` s are over, for ``span`` s at the longest; what this part came to."""
        s, was = self.s, self.found
        size = float(np.clip(self.size + 0.5 * span * self.rate, 0.1, 1.0))
        faces = going_on(own.faces, gone) if gone > 0.0 else own.faces.copy()
        until = own.until if waits else np.full(1, UNTIL_TIME)
        schedule = own._replace(duration=np.array([span]), until=until, faces=_shared(faces, size))
        length = s.length * size
        part = StageRun(
            i, schedule, self.y, body_of(s, length=length, drying=DRYING_SCALE), length,
            min(self.plan.start_c, s.boil_c) if was is None else _hottest(was), LEG_SAMPLES,
        )  # fmt: skip
        begin = 0.0 if was is None else float(was.t[-1])
        now = run_stages(self.plan, s, part, self._stops(begin), None, LEG_BUDGET_S)
        now = replace(
            now, depth=now.depth / size, evaporated=now.evaporated * size**3, heat=now.heat * self._area(size)
        )
        done = now.stages[0]
        self.found = now if was is None else _joined(was, now, gone > 0.0)
        before = 0 if was is None else was.t.size - 1
        passed = Passed(self.found.t[before:], self.found.field[before:], float(self.found.evaporated[-1]))
        after = self.size_after(passed)
        self.rate = (after - self.size) / max(done.took, LEAST_LEG_S)
        self.sizes = np.append(self.sizes, np.linspace(self.size, after, now.t.size)[1:])
        self.size = after
        return done

    def _stops(self, begin: float) -> Array:
        """Times that the plan reports, s from a part's begin."""
        asked = np.unique(np.array(self.plan.report_at_s, dtype=float))
        return np.asarray(asked[asked > begin] - begin)

    def _area(self, size: float) -> float:
        """What is taken up by a unit of area now, by one of the raw piece."""
        return size**2 if isinstance(self.s.grid, Grid) else 1.0


def _shared(faces: Rows, size: float) -> Rows:
    """Faces whose media are shared by pieces that have become so small."""
    faces["pieces_m3"] *= size**3
    faces["food_m3"] *= size**3
    return faces


def _hottest(of: Course) -> float:
    """The hottest recorded place as a stretch ends, °C."""
    return float(max(of.field[-1].max(), of.elsewhere[-1].max(initial=-np.inf)))


def _joined(a: Course, b: Course, same_stage: bool) -> Course:
    """What a piece had behind it and its next part, of the same stage or of the next."""
    both = one_after_other(a, b)
    *before, part = both.stages
    if part.took < ENDS_S:
        part = replace(part, core_c=float(a.core[-1]), mean_c=float(a.mean[-1]))
    if same_stage:
        part = replace(part, start_s=before.pop().start_s)
    return replace(both, stages=(*before, part))
