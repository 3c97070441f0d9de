"""A piece through stages, or a part of one, at one size: to the compiled solver and back."""

from __future__ import annotations

from threading import local
from typing import Any, NamedTuple

import numpy as np

from ember_core.errors import ComputationError
from ember_core.heat.arrays import Array, Index
from ember_core.heat.course import Course, StageOutcome
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.geometry.shapes import line_of, whole_field
from ember_core.heat.setup import UNTIL_CODE, Setup, case_of, empty_record, empty_tally
from ember_core.heat.solver.compiled import plain
from ember_core.heat.solver.ending import SPENT
from ember_core.heat.solver.schedule import run_cook
from ember_core.heat.solver.types import Body, Layers, Record, Schedule, patches_of, view
from ember_core.plan.plan import Plan
from ember_core.wording.message import say

TOLERANCE_K = 2e-3

# against 2e-3 K, 240 random slabs: of the core's course, read between samples, they leave up to 0.13 K (oven) and 0.12 K (frying), of its
# peak up to 0.04 and 0.03 K
FOOD_TOLERANCE_K, CRUST_TOLERANCE_K = 1.5e-2, 1e-1

# of the whole piece, root mean square, far from rest; of the core's course it leaves up to 0.08 K in an oven, 0.14 K in a bath and, half way
# there, 0.3 K in water that simmers
MESH_TOLERANCE_K = 0.6

PEAK_CLOSE_K = 1e-2  # so near lands a solved peak, whatever the tolerance of the steps

# no place is hotter than all that heats it: a cook so far above is no cook but an error
CORE_ABOVE_K, PLACE_ABOVE_K = 1.5, 10.0

SAMPLES, MESH_SAMPLES = 40.0, 12.0  # a stage is recorded at least so often

UNTIL_WORD = {v: k or "minutes" for k, v in UNTIL_CODE.items()}

_OWN = local()
MOST_BUFFERS = 6  # of a thread; only what is written of them takes memory
NONE_YET = np.zeros(1)

ENDS_S = 1e-6  # a moment that much later is a stage's end

BUDGET_S = 2.0  # what may be spent on one plan's nominal cook


class StageRun(NamedTuple):
    """Stages, or a part of one, that a piece goes through at one size."""

    first: int  # of the plan's stages
    schedule: Schedule
    y: Array  # the flat state it comes with; changed
    body: Body | Layers
    length: float  # the body's: m, or a mesh's stretch
    start_c: float  # it is no hotter anywhere when it begins
    samples: float  # each stage is recorded so often at least


def run_stages(plan: Plan, s: Setup, part: StageRun, stops: Array, tol: float | None, budget_s: float | None) -> Course:
    """Take a piece through the stages of a part; times count from its begin, what is taken up and lost too.

    Parameters
    ----------
    plan, s : Plan, Setup
        ``s`` on the shape's grid.
    part : StageRun
    stops : ndarray
        Times to be met exactly, s.
    tol, budget_s : float
        As of :func:`ember_core.heat.cook.run`.

    Raises
    ------
    ComputationError
        As of :func:`ember_core.heat.cook.run`.
    """
    first, schedule, y, start = part.first, part.schedule, part.y, part.start_c
    mesh = s.grid if isinstance(s.grid, Mesh) else None
    n = s.grid.n if mesh is None else mesh.watch.size
    count = schedule.duration.size
    state = plain(view)(y, s.grid.n, patches_of(s.grid), s.criterion.row_c.size)
    heat, shed = state.heat.copy(), _shed_by(s, part.length, state.shed)
    record = _buffers(8000 + stops.size, n, budget_s)
    end_s = np.zeros(count)
    ended = np.zeros(count, dtype=np.int64)
    case = case_of(s, part.body, _tolerance(s) if tol is None else tol, record, PEAK_CLOSE_K)
    top, top_t, status = run_cook(y, schedule, case, part.samples, record, stops, end_s, ended)
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
    outcomes = _outcomes(plan, first, t, core, mean, end_s, ended)
    _check_bounds(plan, part, record.medium[kept], (t, core, field), float(top), end_s, budget_s)
    faces = schedule.faces
    if isinstance(s.grid, Mesh):
        line, depth, elsewhere = line_of(s.grid, np.concatenate([np.full((1, n), start), field]))
    else:
        line, depth, elsewhere = whole_field(s.grid, field, start), part.length * s.depths, np.empty((t.size, 0))
    return Course(
        t=t,
        core=core,
        mean=mean,
        surface_a=column(record.surface_a),
        surface_b=column(record.surface_b),
        field=line,
        depth=depth,
        elsewhere=elsewhere,
        stages=outcomes,
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
        evaporated=_share_of_mass(s, part.length, np.concatenate([[0.0], record.shed[kept] - shed])),
    )


def _outcomes(
    plan: Plan, first: int, t: Array, core: Array, mean: Array, end_s: Array, ended: Index
) -> tuple[StageOutcome, ...]:
    """How each stage of a part ended, by its end (s) and the code of what it waited for."""
    out = []
    at_start = 0.0
    # each end is recorded; rounding may have it a hair later
    for i, at in enumerate((t.searchsorted(end_s + ENDS_S, "right") - 1).tolist()):
        at_end = float(t[at])
        kind, word = plan.stages[first + i].kind, UNTIL_WORD[int(ended[i])]
        out.append(StageOutcome(kind, at_start, at_end, float(core[at]), float(mean[at]), word))
        at_start = at_end
    return tuple(out)


def _check_bounds(
    plan: Plan,
    part: StageRun,
    stored: Array,
    course: tuple[Array, Array, Array],
    top: float,
    end_s: Array,
    budget_s: float | None,
) -> None:
    """Give up where a core or a place came out hotter than anything that it met: ``course`` is t, core, and the field after its begin."""
    t, core, field = course
    start, faces = part.start_c, part.schedule.faces
    hottest = max(start, float((faces["medium_c"] + np.maximum(faces["off_k"], 0.0)).max()))
    known = stored[np.isfinite(stored)]
    if known.size:
        hottest = max(hottest, float(known.max()))
    if max(core.max(), top) > hottest + CORE_ABOVE_K or field.max(initial=start) > hottest + PLACE_ABOVE_K:
        above = np.maximum(core[1:] - CORE_ABOVE_K, field.max(axis=1) - PLACE_ABOVE_K)
        stage = int(np.searchsorted(end_s, t[1 + int(np.argmax(above))]))
        raise _gave_up(plan, part.first + min(stage, end_s.size - 1), False, budget_s)


def _shed_by(s: Setup, length: float, shed: Array) -> float:
    """Water that each face or patch has lost (kg/m²) in all, as it is recorded."""
    if isinstance(s.grid, Mesh):
        areas = s.grid.s_area * length**s.grid.s_power
    else:
        areas = np.array([0.0 if s.grid.closed_a else s.grid.area[0], s.grid.area[s.grid.n]])
    return float((np.maximum(shed, 0.0) * areas).sum())


def _share_of_mass(s: Setup, length: float, shed: Array) -> Array:
    """Water lost through the skin, as it is recorded, as a share of a piece's mass; of one that is ``length`` long."""
    if isinstance(s.grid, Mesh):
        whole = (s.grid.volume * length**s.grid.volume_power).sum()
    else:
        whole = s.grid.volume.sum() * length
    return np.asarray(shed / (s.table.density * whole))


def _begins_at(faces: Any) -> float:
    """What a store among a stage's faces begins at, °C; no number without one."""
    stored = faces["medium_c"][faces["capacity"] > 0.0]
    return float(stored[0]) if stored.size else np.nan


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
