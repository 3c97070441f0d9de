"""Runs a plan: from checked words to arrays for the compiled solver, and back to named results."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from dataclasses import field as column
from threading import local
from typing import Any, NamedTuple

import numpy as np

from ember_core.errors import ComputationError
from ember_core.heat.arrays import Array
from ember_core.heat.egg_time import settled, waits_for_yolk
from ember_core.heat.findings import Media, outcome_findings, setup_findings
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.geometry.shapes import line_of, whole_field
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.setup import (
    DRYING_SCALE,
    UNTIL_CODE,
    Setup,
    body_of,
    case_of,
    empty_record,
    empty_tally,
    start_state,
)
from ember_core.heat.solver.compiled import plain
from ember_core.heat.solver.ending import SPENT
from ember_core.heat.solver.schedule import run_cook
from ember_core.heat.solver.types import Body, Layers, Record, Schedule, patches_of, view
from ember_core.heat.stretch import StageOutcome, Stretch, joined
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan
from ember_core.plan.stages import HEAT_KINDS, StageSpec
from ember_core.wording.message import say

TOLERANCE_K = 2e-3

# by measuring on one steak; what either leaves of the core is below 0.005 K
FOOD_TOLERANCE_K, CRUST_TOLERANCE_K = 1.5e-2, 5e-2

# of the whole piece, root mean square, far from rest; of the core's course it leaves up to 0.08 K in an oven, 0.14 K in a bath and, half way
# there, 0.3 K in water that simmers
MESH_TOLERANCE_K = 0.6

# no place is hotter than all that heats it: a cook so far above is no cook but an error
CORE_ABOVE_K, PLACE_ABOVE_K = 1.5, 10.0

SAMPLES, MESH_SAMPLES = 40.0, 12.0  # a stage is recorded at least so often

UNTIL_WORD = {v: k or "minutes" for k, v in UNTIL_CODE.items()}

_OWN = local()
MOST_BUFFERS = 6  # of a thread; only what is written of them takes memory
NONE_YET = np.zeros(1)

ENDS_S = 1e-6  # a moment that much later is a stage's end

UNEVEN_K = 8.0  # by more may a piece's places not differ when it is cut, or it is said

BUDGET_S = 2.0  # what may be spent on one plan's nominal cook


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
    evaporated : float
        Water that left through the skin, evaporated or boiled, as a share of the raw mass.
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
    evaporated: float = 0.0

    @property
    def everywhere(self) -> Array:
        """All recorded temperatures, °C (times × places): what a rule has to be met by."""
        return np.hstack([self.field, self.elsewhere]) if self.elsewhere.size else self.field

    @property
    def pull_s(self) -> float | None:
        """Time of the pull, s, or None when nothing cools after heat."""
        return None if self.pull_stage is None else self.stages[self.pull_stage].end_s

    def at(self, t_s: float) -> int:
        """Index of the sample nearest to ``t_s`` s."""
        return int(np.argmin(np.abs(self.t - t_s)))


def _gave_up(plan: Plan, i: int, spent: bool, budget_s: float | None) -> ComputationError:
    """The error of a cook that could not be computed to its end, with what would help."""
    kind = plan.stages[i].kind
    why = (
        f"takes more than the {budget_s:g} s of computing allowed for a plan"
        if spent
        else "is more than the heat solver can follow"
    )
    return ComputationError(
        say(
            "Stage {value} ({kind}) {why}: its medium is extreme for this piece. Give sizes nearer to each other, a "
            "medium nearer to the piece's temperature, a lower surface h, or describe a flat piece as a slab and a "
            "long one as a cylinder without length_mm.",
            value=i + 1,
            kind=kind,
            why=why,
        ),
        path=f"/stages/{i}",
    )


def _heat_in(s: Setup, taken: float) -> float:
    """Heat taken up, J per m² of a slab's face (by both), of a round piece's unit area, or of a finite shape's skin."""
    if isinstance(s.grid, Mesh):
        return float(taken / s.grid.s_area.sum())
    return taken * (2.0 if s.grid.mirrored else 1.0)


def _closed(grid: Grid | Mesh) -> bool:
    """Whether the line through the core counts from the centre."""
    if isinstance(grid, Mesh):
        return bool(grid.watch[0] == grid.core)
    return grid.closed_a and not grid.mirrored


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

    of = _Piece(plan, s, vary or Variation(s.length, 1.0, 1.0, DRYING_SCALE, s.start_c), tol, budget_s, stops)
    if waits_for_yolk(s) is None:
        return as_told(plan, *_through(of, s))
    last: dict[tuple[float, ...], tuple[Stretch, float]] = {}

    def cooked(one: Setup) -> Stretch:
        key = tuple(one.schedule.duration)
        if key not in last:
            last.clear()
            last[key] = _through(of, one)
        return last[key][0]

    by_clock, met = settled(plan, s, cooked)
    found = cooked(by_clock)
    stages = tuple(replace(x, ended_by=met.get(i, x.ended_by)) for i, x in enumerate(found.stages))
    return as_told(plan, replace(found, stages=stages))


class _Piece(NamedTuple):
    """A piece and how it is computed; as of :func:`run`."""

    plan: Plan
    setup: Setup
    vary: Variation
    tol: float | None
    budget_s: float | None
    stops: Sequence[float]


def _through(of: _Piece, s: Setup) -> tuple[Stretch, float]:
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
    return joined(found, after), float(np.ptp(found.field[-1]))


def as_told(plan: Plan, found: Stretch, uneven_k: float = 0.0) -> Cook:
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
    findings += outcome_findings(
        plan, found.stages, top, found.stages[-1].end_s, places, Media(found.t, found.medium, found.taken)
    )
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
        evaporated=found.evaporated,
    )


def _buffers(rows: int, n: int, budget_s: float | None) -> Record:
    """Buffers of this thread, the last ones again where they fit: what is recorded is copied out of them before the next run."""
    own: dict[int, Record] = _OWN.__dict__.setdefault("records", {})
    kept = own.get(n)
    if kept is None or kept.t.size < rows:
        if len(own) >= MOST_BUFFERS:
            own.clear()
        kept = own[n] = empty_record(rows, n)
    return kept._replace(tally=empty_tally(budget_s))


def _tolerance(s: Setup) -> float:
    """The tolerance of a nominal cook, K."""
    if isinstance(s.grid, Mesh):
        return MESH_TOLERANCE_K
    if s.table.linear:
        return TOLERANCE_K
    return CRUST_TOLERANCE_K if s.crusts else FOOD_TOLERANCE_K


def _stretch(
    plan: Plan,
    s: Setup,
    of: tuple[int, int],
    vary: Variation,
    stops: Array,
    tol: float | None,
    budget_s: float | None,
    before: Stretch | None = None,
) -> Stretch:
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
    before : Stretch, optional
        What the piece has behind it, when a portion was cut from it.
    """
    first, last = of
    schedule = s.schedule if last - first == len(plan.stages) else s.schedule.part(first, last)
    y = start_state(s, vary.start_c, vary.c_scale)
    if before is not None:
        state = plain(view)(y, s.grid.n, patches_of(s.grid), s.criterion.row_c.size)
        state.lethality[:], state.met[:] = before.least_log10, float(before.met)
    body = body_of(s, length=vary.length, k_scale=vary.k_scale, c_scale=vary.c_scale, drying=vary.drying)
    leg = Leg(
        first,
        schedule,
        y,
        body,
        vary.length,
        min(vary.start_c, s.boil_c),
        SAMPLES if isinstance(s.grid, Grid) else MESH_SAMPLES,
    )
    return through(plan, s, leg, stops, tol, budget_s)


class Leg(NamedTuple):
    """Stages, or a part of one, that a piece goes through at one size."""

    first: int  # of the plan's stages
    schedule: Schedule
    y: Array  # the flat state it comes with; changed
    body: Body | Layers
    length: float  # the body's: m, or a mesh's stretch
    start_c: float  # it is no hotter anywhere when it begins
    samples: float  # each stage is recorded so often at least


def through(plan: Plan, s: Setup, leg: Leg, stops: Array, tol: float | None, budget_s: float | None) -> Stretch:
    """Take a piece through the stages of a leg; times count from its begin, what is taken up and lost too.

    Parameters
    ----------
    plan, s : Plan, Setup
        ``s`` on the shape's grid.
    leg : Leg
    stops : ndarray
        Times to be met exactly, s.
    tol, budget_s : float
        As of :func:`run`.

    Raises
    ------
    ComputationError
        As of :func:`run`.
    """
    first, schedule, y, start = leg.first, leg.schedule, leg.y, leg.start_c
    mesh = s.grid if isinstance(s.grid, Mesh) else None
    n = s.grid.n if mesh is None else mesh.watch.size
    count = schedule.duration.size
    state = plain(view)(y, s.grid.n, patches_of(s.grid), s.criterion.row_c.size)
    heat, shed = state.heat.copy(), np.maximum(state.shed, 0.0)
    record = _buffers(8000 + stops.size, n, budget_s)
    end_s = np.zeros(count)
    ended = np.zeros(count, dtype=np.int64)
    case = case_of(s, leg.body, _tolerance(s) if tol is None else tol, record)
    top, top_t, status = run_cook(y, schedule, case, leg.samples, record, stops, end_s, ended)
    if status < 0 or not np.isfinite(y).all():
        raise _gave_up(plan, first + int(np.argmax(end_s == 0.0)), status == SPENT, budget_s)
    rows = int(record.tally["rows"][0])

    kept: Any = slice(0, rows)
    moments = record.t[:rows]
    if rows and (moments[0] <= 0.0 or not (moments[1:] > moments[:-1]).all()):
        later = np.flatnonzero(np.diff(moments, append=np.inf) > 0.0)  # of two at one moment the later
        kept = later[moments[later] > 0.0]

    def column(values: Array) -> Array:
        found = values[kept]
        out = np.empty(found.size + 1)
        out[0], out[1:] = start, found
        return out

    t = column(record.t)
    t[0] = 0.0
    core, mean = column(record.core), column(record.mean)
    field = record.field[kept]
    outcomes = []
    at_start = 0.0
    # each end is recorded; rounding may have it a hair later
    for i, at in enumerate((t.searchsorted(end_s + ENDS_S, "right") - 1).tolist()):
        at_end = float(t[at])
        outcomes.append(
            StageOutcome(
                plan.stages[first + i].kind,
                at_start,
                at_end,
                float(core[at]),
                float(mean[at]),
                UNTIL_WORD[int(ended[i])],
            )
        )
        at_start = at_end
    faces = schedule.faces
    hottest = max(start, float((faces["medium_c"] + np.maximum(faces["off_k"], 0.0)).max()))
    stored = record.medium[kept]
    known = stored[np.isfinite(stored)]
    if known.size:
        hottest = max(hottest, float(known.max()))
    if max(core.max(), top) > hottest + CORE_ABOVE_K or field.max(initial=start) > hottest + PLACE_ABOVE_K:
        above = np.maximum(core[1:] - CORE_ABOVE_K, field.max(axis=1) - PLACE_ABOVE_K)
        stage = int(np.searchsorted(end_s, t[1 + int(np.argmax(above))]))
        raise _gave_up(plan, first + min(stage, count - 1), False, budget_s)
    if isinstance(s.grid, Mesh):
        line, depth, elsewhere = line_of(s.grid, np.concatenate([np.full((1, n), start), field]))
    else:
        line, depth, elsewhere = whole_field(s.grid, field, start), leg.length * s.depths, np.empty((t.size, 0))
    return Stretch(
        t=t,
        core=core,
        mean=mean,
        surface_a=column(record.surface_a),
        surface_b=column(record.surface_b),
        field=line,
        depth=depth,
        elsewhere=elsewhere,
        stages=tuple(outcomes),
        top=(float(top), float(top_t)),
        heat=_heat_in(s, float(state.heat[0] - heat[0])),
        least_log10=float(state.lethality.min()),
        met=bool((state.met >= 1.0).all()),
        lost=bool(record.tally["lost"][0]),
        closed=_closed(s.grid),
        vapour_pa=float(state.vapour[0] * faces["pressure_pa"][-1].max()) if faces["leak"][-1].max() > 0.0 else None,
        medium=np.concatenate([[_begins_at(faces[0])], record.medium[kept]]),
        taken=np.concatenate([NONE_YET, record.taken[kept]]),
        taken_j=float(state.heat[2] - heat[2]),
        evaporated=_evaporated(s, leg.length, np.maximum(state.shed, 0.0) - shed),
    )


def _evaporated(s: Setup, length: float, shed: Array) -> float:
    """Water lost through the skin as a share of a piece's mass, by what each face or patch has lost, kg/m²."""
    if not shed.any():
        return 0.0
    if isinstance(s.grid, Mesh):
        mesh = s.grid
        area, whole = mesh.s_area * length**mesh.s_power, mesh.volume.sum() * length**mesh.volume_power
        return float((shed * area).sum() / (s.table.density * whole))
    grid = s.grid
    areas = np.array([0.0 if grid.closed_a else grid.area[0], grid.area[grid.n]])
    return float((shed * areas).sum() / (s.table.density * grid.volume.sum() * length))


def _begins_at(faces: Any) -> float:
    """What a store among a stage's faces begins at, °C; no number without one."""
    stored = faces["medium_c"][faces["capacity"] > 0.0]
    return float(stored[0]) if stored.size else np.nan
