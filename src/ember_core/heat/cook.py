"""Runs a plan: from checked words to arrays for the compiled solver, and back to named results."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from dataclasses import field as column
from typing import NamedTuple

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.course import Course, StageOutcome, join_courses
from ember_core.heat.egg_time import set_by_clock, waits_for_yolk
from ember_core.heat.findings import Media, outcome_findings, setup_findings
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.setup import (
    DRYING_SCALE,
    Setup,
    body_of,
    start_state,
)
from ember_core.heat.solver.compiled import plain
from ember_core.heat.solver.types import patches_of, view
from ember_core.heat.stage_run import BUDGET_S, MESH_SAMPLES, SAMPLES, StageRun, run_stages
from ember_core.plan.finding import Finding
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.stages import StageSpec
from ember_core.wording.message import say

UNEVEN_K = 8.0  # by more may a piece's places not differ when it is cut, or it is said


@dataclass(frozen=True, eq=False)
class Cook:
    """A computed cook.

    Attributes
    ----------
    t : ndarray
        Times, s, strictly increasing, the first 0.
    core, mean, surface_a, surface_b : ndarray
        °C at those times. ``surface_a`` is face a or the outer surface, at the surface itself.
    field : ndarray
        Cell temperatures, times × cells, from face a to b, or from the centre out.
    depth : ndarray
        Where the cells lie, mm from face a, or from the centre. Of a finite shape they lie on one
        line through the core.
    closed : bool
        True when depth counts from the centre.
    elsewhere : ndarray
        Temperatures of the other watched places of a finite shape (edges, corners), times × places.
    vapour_pa : float or None
        Vapour in the oven's air at the end, Pa; None when the last stage's is not computed.
    medium, taken : ndarray
        °C of a medium with a store, and what all pieces take from it, W, at those times; no number where there is none.
    taken_j : float
        All that was taken from such media, J.
    vapour_lost : ndarray
        Water that left through the skin, evaporated or boiled, until those times, as a share of the raw mass.
    """

    t: Array
    core: Array
    mean: Array
    surface_a: Array
    surface_b: Array
    field: Array
    depth: Array
    stages: tuple[StageOutcome, ...]
    peak_core_c: float
    peak_t_s: float
    pull_stage: int | None
    heat_in_j_m2: float
    findings: tuple[Finding, ...]
    closed: bool
    elsewhere: Array
    vapour_pa: float | None = None
    medium: Array = column(default_factory=lambda: np.empty(0))
    taken: Array = column(default_factory=lambda: np.empty(0))
    taken_j: float = 0.0
    vapour_lost: Array = column(default_factory=lambda: np.zeros(1))

    @property
    def everywhere(self) -> Array:
        """All recorded temperatures, °C (times × places): what a rule has to be met by."""
        return np.hstack([self.field, self.elsewhere]) if self.elsewhere.size else self.field

    @property
    def coldest(self) -> tuple[float, float]:
        """The place between the faces (or on the radius) that stays coldest: the highest it reaches, °C, and its depth, mm."""
        reached = self.field.max(axis=0)
        place = int(reached.argmin())
        return min(float(reached[place]), self.peak_core_c), float(self.depth[place])

    @property
    def pull_s(self) -> float | None:
        """Time of the pull, s, or None when nothing cools after heat."""
        return None if self.pull_stage is None else self.stages[self.pull_stage].end_s

    @property
    def evaporated(self) -> float:
        """Water that left through the skin in all, as a share of the raw mass."""
        return float(self.vapour_lost[-1])

    def at(self, t_s: float) -> int:
        """Index of the sample nearest to ``t_s`` s."""
        return int(np.argmin(np.abs(self.t - t_s)))


def pull_stage_of(stages: Sequence[StageSpec]) -> int | None:
    """The stage whose end is the pull: the solved one, else the last heat that a rest follows."""
    for i, stage in enumerate(stages):
        if stage.until == "peak_core_c":
            return i
    found = None
    for i in range(len(stages) - 1):
        if stages[i].kind in HEAT_KINDS and stages[i + 1].kind not in HEAT_KINDS:
            found = i
    return found


@dataclass(frozen=True)
class Variation:
    """How a piece differs from the nominal one: length (m, or a mesh's stretch), factors, m0 (kg/m²), start (°C).

    ``portion`` is the length of a portion, where the piece is cut.
    """

    length: float
    k_scale: float
    c_scale: float
    drying: float
    start_c: float
    portion: float | None = None


def run(
    plan: Plan,
    s: Setup,
    *,
    tol: float | None = None,
    vary: Variation | None = None,
    budget_s: float | None = BUDGET_S,
    stops: Sequence[float] = (),
) -> Cook:
    """Compute the nominal cook of a plan, or that of a piece that differs from it.

    ``budget_s`` is the time that may be spent, on a slow machine: work is counted, so that the answer is the same on all.
    A piece that is cut goes on as a portion, whose places begin with the piece's mean temperature and worst history.

    Parameters
    ----------
    plan, s : Plan, Setup
    tol : float, optional
        K; default by shape and properties.
    vary : Variation, optional
        How the piece differs from the nominal one.
    budget_s : float or None
        Of computing; None: no limit.
    stops : sequence of float
        Moments, s from the start, over which no step goes, besides those that the plan reports: something changes there.

    Raises
    ------
    ComputationError
        When the step size underflows, or the budget is used up; names the stage and what would help.
    """

    of = _Piece(plan, vary or Variation(s.length, 1.0, 1.0, DRYING_SCALE, s.start_c), tol, budget_s, stops)
    if waits_for_yolk(s) is None:
        return finish_cook(plan, *_run_piece(of, s))
    last: dict[tuple[float, ...], tuple[Course, float]] = {}

    def cooked(one: Setup) -> Course:
        key = tuple(one.schedule.duration)
        if key not in last:
            last.clear()
            last[key] = _run_piece(of, one)
        return last[key][0]

    by_clock, met = set_by_clock(plan, s, cooked)
    found = cooked(by_clock)
    stages = tuple(replace(x, ended_by=met.get(i, x.ended_by)) for i, x in enumerate(found.stages))
    return finish_cook(plan, replace(found, stages=stages))


class _Piece(NamedTuple):
    """A piece and how it is computed; as of :func:`run`."""

    plan: Plan
    vary: Variation
    tol: float | None
    budget_s: float | None
    stops: Sequence[float]


def _run_piece(of: _Piece, s: Setup) -> tuple[Course, float]:
    """A piece through the stages of ``s``, which wait for no yolk; and how uneven it was when it was cut, K."""
    plan, vary = of.plan, of.vary
    count = len(plan.stages)
    cut = count if s.cut_at is None else s.cut_at
    asked = [*plan.report_at_s, *of.stops]
    halts = np.unique(np.array(asked, dtype=float)) if asked else np.empty(0)
    found = _stretch(plan, s, (0, cut), vary, halts, of.tol, of.budget_s)
    if s.portion is None:
        return found, 0.0
    end = float(found.t[-1])
    size = s.portion.length if vary.portion is None else vary.portion
    own = replace(vary, length=size, start_c=float(found.mean[-1]))
    later = replace(s.portion, schedule=s.schedule)
    after = _stretch(plan, later, (cut, count), own, halts[halts > end] - end, of.tol, of.budget_s, found)
    return join_courses(found, after), float(np.ptp(found.field[-1]))


def finish_cook(plan: Plan, found: Course, uneven_k: float = 0.0) -> Cook:
    """A cook of a plan as it is told, with its findings; ``uneven_k``: how uneven it was when it was cut, K."""
    top, top_t = found.top
    findings = setup_findings(plan, boiling_point(plan.altitude_m))
    if uneven_k > UNEVEN_K:
        words = say(
            "The piece is cut before stage {stage} while its places differ by {uneven_k:difference0}; portions are computed from "
            "its mean. Let it even out first.",
            stage=(plan.cut_at or 0) + 1,
            uneven_k=uneven_k,
        )
        findings.append(Finding("cut-uneven", "care", words, "the model"))
    places = np.hstack([found.field, found.elsewhere]) if found.elsewhere.size else found.field
    coldest = min(top, float(found.field.max(axis=0).min()))
    media = Media(found.t, found.medium)
    findings += outcome_findings(plan, found.stages, (top, coldest), found.stages[-1].end_s, places, media)
    if found.lost:
        findings.append(
            Finding(
                "record-full",
                "care",
                say("More steps were needed than are kept; the end of the cook is missing in samples."),
                "solver",
            )
        )
    return Cook(
        t=found.t,
        core=found.core,
        mean=found.mean,
        surface_a=found.surface_a,
        surface_b=found.surface_b,
        field=found.field,
        depth=found.depth,
        stages=found.stages,
        peak_core_c=top,
        peak_t_s=top_t,
        pull_stage=pull_stage_of(plan.stages),
        heat_in_j_m2=found.heat,
        findings=tuple(findings),
        closed=found.closed,
        elsewhere=found.elsewhere,
        vapour_pa=found.vapour_pa,
        medium=found.medium,
        taken=found.taken,
        taken_j=found.taken_j,
        vapour_lost=found.evaporated,
    )


def _stretch(
    plan: Plan,
    s: Setup,
    of: tuple[int, int],
    vary: Variation,
    stops: Array,
    tol: float | None,
    budget_s: float | None,
    before: Course | None = None,
) -> Course:
    """Cook one shape through its stages.

    Parameters
    ----------
    plan, s : Plan, Setup
        ``s`` on the shape's grid, with all stages.
    of : tuple of int
        From which stage to before which.
    vary : Variation
        What it is.
    stops : ndarray
        Times to be met exactly, s from the begin of the first of these stages.
    tol, budget_s : float
        As of :func:`run`.
    before : Course, optional
        What the piece has behind it, when a portion was cut from it.
    """
    first, last = of
    schedule = s.schedule if last - first == len(plan.stages) else s.schedule.part(first, last)
    y = start_state(s, vary.start_c, vary.c_scale)
    if before is not None:
        state = plain(view)(y, s.grid.n, patches_of(s.grid), s.criterion.row_c.size)
        state.lethality[:], state.met[:] = before.least_log10, float(before.met)
    body = body_of(s, length=vary.length, k_scale=vary.k_scale, c_scale=vary.c_scale, drying=vary.drying)
    part = StageRun(
        first,
        schedule,
        y,
        body,
        vary.length,
        min(vary.start_c, s.boil_c),
        SAMPLES if isinstance(s.grid, Grid) else MESH_SAMPLES,
    )
    return run_stages(plan, s, part, stops, tol, budget_s)
