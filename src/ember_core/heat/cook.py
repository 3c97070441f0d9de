"""Runs a plan: from checked words to arrays for the compiled solver, and back to named results."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.errors import ComputationError
from ember_core.finding import finding
from ember_core.formats.plan import FaceSpec, Plan, StageSpec, food_row, pieces_kg
from ember_core.formats.stages import HEAT_KINDS
from ember_core.heat.boiling import boiling_point, iapws_saturation_pressure, pressure_at
from ember_core.heat.findings import bath_store, outcome_findings, setup_findings
from ember_core.heat.geometry import depth_of, geometry, line_of, whole_field
from ember_core.heat.kernel import (
    F_H,
    F_LEAK,
    F_PRESSURE,
    F_TDELTA,
    F_TINF,
    N_FACE,
    Array,
    Body,
    Criterion,
    Grid,
    Record,
)
from ember_core.heat.mesh import Layers, Mesh
from ember_core.heat.program import run_cook
from ember_core.heat.properties import (
    DEFAULT_FREEZING_C,
    DRY_CONDUCTIVITY,
    Composition,
    ThermalTable,
    constant_table,
    food_table,
)
from ember_core.heat.steps import (
    LIMIT,
    SPENT,
    UNTIL_CORE,
    UNTIL_LOG10,
    UNTIL_MEAN,
    UNTIL_PEAK,
    UNTIL_RULE,
    UNTIL_SURFACE,
    UNTIL_TIME,
)
from ember_core.heat.surroundings import Surface, in_vapour, kitchen_vapour, on_support, surroundings

CELLS = 80
TOLERANCE_K = 2e-3
FOOD_TOLERANCE_K = 1.5e-2  # with crust and drying the step is held by the boiling front, not by smoothness
# of the whole piece, root mean square, far from rest; the time error this leaves is below 0.06 K
MESH_TOLERANCE_K = 0.6
# no place is hotter than all that heats it: a cook so far above is no cook but an error
CORE_ABOVE_K, PLACE_ABOVE_K = 1.5, 10.0
SAMPLES, MESH_SAMPLES = 40.0, 12.0  # a stage is recorded at least so often
# kg/m², m0 of the drying factor; set on roasts of 1 and 2 kg in an oven with its own vapour (see docs/method)
DRYING_SCALE = 0.4
UNTIL_CODE = {
    None: UNTIL_TIME,
    "core_c": UNTIL_CORE,
    "surface_c": UNTIL_SURFACE,
    "mean_c": UNTIL_MEAN,
    "log10": UNTIL_LOG10,
    "rule": UNTIL_RULE,
    "peak_core_c": UNTIL_PEAK,
}
UNTIL_WORD = {v: k or "minutes" for k, v in UNTIL_CODE.items()}
NO_BOILING = 1e9
BUDGET_S = 2.0  # what may be spent on one plan's nominal cook


@dataclass(frozen=True, eq=False)
class Setup:
    """Everything the solver needs, in its own terms; members of an ensemble are variations of it."""

    grid: Grid | Mesh
    table: ThermalTable
    inner: ThermalTable | None  # of an egg's yolk
    length: float  # m; of a mesh its stretch, 1
    size: float  # m, what a spread of the thickness is a spread of: thickness or diameter
    boil_c: float
    faces: Array  # stages × 4 (a, b, side, edge) × parameters
    h_spread: Array  # stages × 4, standard deviation of ln h
    duration: Array  # s
    until: NDArray[np.int64]
    value: Array
    criterion: Criterion
    start_c: float


@dataclass(frozen=True)
class StageOutcome:
    """When a stage ran (s from the start), the state at its end and what ended it."""

    kind: str
    start_s: float
    end_s: float
    core_c: float
    mean_c: float
    ended_by: str


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
    findings: tuple[dict[str, str], ...]
    closed: bool
    elsewhere: Array
    vapour_pa: float | None = None

    @property
    def everywhere(self) -> Array:
        """All recorded temperatures, times × places: what a rule has to be met by."""
        return np.hstack([self.field, self.elsewhere]) if self.elsewhere.size else self.field

    @property
    def pull_s(self) -> float | None:
        """Time of the pull, s, or None when nothing cools after heat."""
        return None if self.pull_stage is None else self.stages[self.pull_stage].end_s

    def at(self, t_s: float) -> int:
        """Index of the sample nearest to ``t_s``."""
        return int(np.argmin(np.abs(self.t - t_s)))


def thermal_table(plan: Plan) -> ThermalTable:
    """The piece's thermal table: stated constants win over a composition, that over the food."""
    if plan.properties is not None:
        p = plan.properties
        return constant_table(p["conductivity_w_mk"], p["density_kg_m3"], p["specific_heat_j_kgk"])
    row = food_row(plan.food) if plan.food else None
    if plan.composition is not None:
        parts = {k: float(v) for k, v in plan.composition.items() if not k.startswith("x-")}
        return food_table(Composition(**parts), row["freezing_c"] if row else DEFAULT_FREEZING_C)
    assert row is not None  # the plan's check guarantees it
    return food_table(Composition(**{k: v / 100.0 for k, v in row["parts"].items()}), row["freezing_c"])


def _surface(face: FaceSpec, plan: Plan, boil_c: float) -> Surface:
    """Resolve one face of one stage."""
    medium = plan.air_c if face.medium_c is None else face.medium_c
    if face.kind in {"boil", "steam"} or (face.kind == "simmer" and face.medium_c is None):
        medium = boil_c
    elif face.kind == "simmer" or (face.kind == "bath" and plan.properties is None):
        medium = min(medium, boil_c)  # reported as a finding by setup_findings
    if face.surface is not None:
        chosen = Surface(
            medium,
            float(face.surface["h_w_m2k"]),
            float(face.surface.get("emissivity", 0.0)),
            1.0 if face.surface.get("wet") else 0.0,
            kitchen_vapour(plan.air_c),
            0.15,
        )
    elif face.kind == "rest":
        variant = face.variant or face.cover or "bare"
        chosen = surroundings("rest", variant, medium, plan.air_c)
        if variant == "lidded":
            chosen = replace(chosen, vapour_pa=iapws_saturation_pressure(medium))
    else:
        chosen = on_support(surroundings(face.kind, face.variant, medium, plan.air_c), face.support, face.cover)
        if face.kind == "hold" and face.humidity is not None:
            chosen = replace(chosen, wet=1.0)  # a cabinet whose moisture is known dries or moistens the piece
    if face.humidity is not None:
        most = min(iapws_saturation_pressure(min(max(medium, 0.02), 370.0)), pressure_at(plan.altitude_m))
        chosen = replace(chosen, vapour_pa=face.humidity * most)
    if face.medium_from_c is not None:
        chosen = replace(chosen, off_c=face.medium_from_c - medium, settle_s=60.0 * face.settle_minutes)
    return chosen


def setup(
    plan: Plan,
    *,
    cells: int = CELLS,
    refine: float = 1.0,
    rows: Sequence[tuple[float, float]] = (),
    lethality: tuple[float, float, float] | None = None,
) -> Setup:
    """Turn a plan into solver arrays.

    Parameters
    ----------
    plan : Plan
    cells : int
        Cells over the full thickness or the radius of a one-dimensional shape.
    refine : float
        Multiplies the cells in each direction of a finite shape.
    rows : sequence of (°C, s)
        Rows of the rule that an ``until: rule`` stage waits for.
    lethality : (D s, T_ref °C, z K), optional
        What an ``until: log10`` stage integrates.
    """
    table = thermal_table(plan)
    boil_c = boiling_point(plan.altitude_m)
    n = len(plan.stages)
    pressure = pressure_at(plan.altitude_m)
    faces = np.zeros((n, 4, N_FACE))
    spread = np.zeros((n, 4))
    for i, stage in enumerate(plan.stages):
        for j, face in enumerate(stage.all_faces):
            surface = _surface(face, plan, boil_c)
            if stage.load is not None and face.kind == "bath":
                cold, rise_s = bath_store(plan, stage.load)
                surface = replace(surface, cold=cold, rise_s=rise_s)
            if face.kind == "oven" and face.surface is None and face.humidity is None and surface.wet > 0.0:
                load = stage.load or {}
                carries = i > 0 and faces[i - 1, :, F_LEAK].max() > 0.0
                surface = in_vapour(
                    surface,
                    stage.vent,
                    load.get("kg", pieces_kg(plan.document["piece"])),
                    load.get("litres"),
                    table.density,
                    pressure,
                    carries,
                )
            faces[i, j] = surface.row()
            spread[i, j] = surface.h_spread
    symmetric = bool((faces[:, 0] == faces[:, 1]).all())
    edge = plan.shape["kind"] == "box" and bool((faces[:, 2] != faces[:, 3]).any())
    crust = plan.properties is None and bool(((faces[..., F_TINF] > boil_c + 5) & (faces[..., F_H] > 60)).any())
    grid, length, size = geometry(plan.shape, symmetric, crust, cells, refine, edge=edge)
    d, t_ref, z = lethality or (0.0, 60.0, 6.0)
    pairs = np.array(rows, dtype=float).reshape(-1, 2)
    return Setup(
        grid=grid,
        table=table,
        inner=_yolk(plan),
        length=length,
        size=size,
        boil_c=NO_BOILING if plan.properties is not None else boil_c,
        faces=faces,
        h_spread=spread,
        duration=np.array([s.seconds for s in plan.stages]),
        until=np.array([UNTIL_CODE[s.until] for s in plan.stages], dtype=np.int64),
        value=np.array([s.until_value for s in plan.stages]),
        criterion=Criterion(d, t_ref, z, np.ascontiguousarray(pairs[:, 0]), np.ascontiguousarray(pairs[:, 1])),
        start_c=plan.start_c,
    )


def _yolk(plan: Plan) -> ThermalTable | None:
    """The yolk's table of an egg in its shell; None for every other piece."""
    if plan.shape["kind"] != "egg" or plan.properties is not None or plan.composition is not None:
        return None
    row = food_row(plan.food or "")
    yolk = food_row("egg-yolk")
    if row is None or yolk is None or row["id"] != "egg-whole":
        return None
    return food_table(Composition(**{k: v / 100.0 for k, v in yolk["parts"].items()}), yolk["freezing_c"])


def body_of(
    s: Setup, *, length: float | None = None, k_scale: float = 1.0, c_scale: float = 1.0, drying: float = DRYING_SCALE
) -> Body | Layers:
    """The kernel's view of one piece; the keywords make a member of an ensemble."""
    outer = _body(s, s.table, length, k_scale, c_scale, drying)
    if isinstance(s.grid, Grid):
        return outer
    return Layers(outer, outer if s.inner is None else _body(s, s.inner, length, k_scale, c_scale, drying))


def _body(s: Setup, t: ThermalTable, length: float | None, k_scale: float, c_scale: float, drying: float) -> Body:
    boiling = t.water > 0 and s.boil_c < NO_BOILING
    return Body(
        length=s.length if length is None else length,
        h0=t.h0 * c_scale,
        dh=t.dh * c_scale,
        per_dh=1.0 / (t.dh * c_scale),
        temperature=t.temperature,
        conductivity=t.conductivity,
        k_scale=k_scale,
        boil_c=s.boil_c,
        boil_h=float(t.enthalpy(s.boil_c)) * c_scale if boiling else 1e30,
        water=t.water if boiling else 0.0,
        k_dry=DRY_CONDUCTIVITY,
        c_dry=t.c_dry * c_scale,
        c_wet=t.c_ref * c_scale,
        m0=drying,
        linear=t.linear,
    )


def start_state(s: Setup, start_c: float, c_scale: float = 1.0) -> Array:
    """State of a piece at one temperature throughout."""
    n = s.grid.n
    rows = s.criterion.row_c.size
    own = 2 * n + 2 + s.grid.s_node.size if isinstance(s.grid, Mesh) else 2 * n + 4
    y = np.zeros(own + 2 * n + n * rows + 1)
    start_c = min(start_c, s.boil_c)  # nothing moist is hotter
    y[:n] = float(s.table.enthalpy(start_c)) * c_scale
    y[n : 2 * n] = s.table.water if s.boil_c < NO_BOILING else 0.0
    if s.inner is not None and isinstance(s.grid, Mesh):
        y[:n][s.grid.inner] = float(s.inner.enthalpy(start_c)) * c_scale
        y[n : 2 * n][s.grid.inner] = s.inner.water
    return y


def _gave_up(plan: Plan, i: int, spent: bool, budget_s: float | None) -> ComputationError:
    """The error of a cook that could not be computed to its end, with what would help."""
    kind = plan.stages[i].kind
    why = (
        f"takes more than the {budget_s:g} s of computing allowed for a plan"
        if spent
        else "is more than the heat solver can follow"
    )
    return ComputationError(
        f"Stage {i + 1} ({kind}) {why}: its medium is extreme for this piece. Give sizes nearer to each other, a medium nearer to "
        "the piece's temperature, a lower surface h, or describe a flat piece as a slab and a long one as a cylinder without length_mm.",
        path=f"/stages/{i}",
    )


def empty_record(rows: int, n: int, budget_s: float | None = None) -> Record:
    """Buffers for ``rows`` accepted steps of ``n`` cells; ``budget_s`` is what may be spent on a run, None: no limit."""
    one = [np.empty(rows) for _ in range(5)]
    filled = np.zeros(6, dtype=np.int64)
    filled[LIMIT] = np.iinfo(np.int64).max if budget_s is None else int(budget_s * 1e9)
    return Record(filled, one[0], one[1], one[2], one[3], one[4], np.empty((rows, n)))


def _heat_in(s: Setup, y: Array) -> float:
    """Heat taken up, J per m² of a slab's face (by both), of a round piece's unit area, or of a finite shape's skin."""
    if isinstance(s.grid, Mesh):
        return float(y[2 * s.grid.n] / s.grid.s_area.sum())
    return float(y[2 * s.grid.n + 2]) * (2.0 if s.grid.mirrored else 1.0)


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
    """How a piece differs from the nominal one: length (m, or a mesh's stretch), factors, m0 (kg/m²), start (°C)."""

    length: float
    k_scale: float
    c_scale: float
    drying: float
    start_c: float


def run(
    plan: Plan, s: Setup, *, tol: float | None = None, vary: Variation | None = None, budget_s: float | None = BUDGET_S
) -> Cook:
    """Compute the nominal cook of a plan, or that of a piece that differs from it.

    ``budget_s`` is the time that may be spent, on a slow machine: work is counted, so that the answer is the same on all.

    Raises
    ------
    ComputationError
        When the step size underflows, or the budget is used up; names the stage and what would help.
    """
    mesh = s.grid if isinstance(s.grid, Mesh) else None
    n = s.grid.n if mesh is None else mesh.watch.size
    vary = vary or Variation(s.length, 1.0, 1.0, DRYING_SCALE, s.start_c)
    y = start_state(s, vary.start_c, vary.c_scale)
    stops = np.array(plan.report_at_s, dtype=float)
    record = empty_record(8000 + stops.size, n, budget_s)
    count = len(plan.stages)
    end_s = np.zeros(count)
    ended = np.zeros(count, dtype=np.int64)
    body = body_of(s, length=vary.length, k_scale=vary.k_scale, c_scale=vary.c_scale, drying=vary.drying)
    if tol is None:
        tol = MESH_TOLERANCE_K if mesh is not None else TOLERANCE_K if s.table.linear else FOOD_TOLERANCE_K
    top, top_t, status = run_cook(
        y,
        s.duration,
        s.faces,
        s.until,
        s.value,
        s.grid,
        body,
        s.criterion,
        tol,
        SAMPLES if mesh is None else MESH_SAMPLES,
        record,
        stops,
        end_s,
        ended,
    )
    if status < 0 or not np.isfinite(y).all():
        raise _gave_up(plan, int(np.argmax(end_s == 0.0)), status == SPENT, budget_s)
    rows = int(record.filled[0])
    start = min(vary.start_c, s.boil_c)

    kept: Any = slice(0, rows)
    if rows and (record.t[0] <= 0.0 or not (np.diff(record.t[:rows]) > 0.0).all()):
        later = np.flatnonzero(np.diff(record.t[:rows], append=np.inf) > 0.0)  # of two at one moment the later
        kept = later[record.t[later] > 0.0]

    def column(values: Array) -> Array:
        return np.concatenate([[start], values[kept]])

    t = np.concatenate([[0.0], record.t[kept]])
    core, mean = column(record.core), column(record.mean)
    field = np.concatenate([np.full((1, n), start), record.field[kept]])
    outcomes = []
    begin = 0.0
    for i in range(count):
        at = int(np.argmin(np.abs(t - end_s[i])))
        outcomes.append(
            StageOutcome(
                plan.stages[i].kind, begin, float(t[at]), float(core[at]), float(mean[at]), UNTIL_WORD[int(ended[i])]
            )
        )
        begin = float(t[at])
    hottest = max(start, float((s.faces[..., F_TINF] + np.maximum(s.faces[..., F_TDELTA], 0.0)).max()))
    if max(core.max(), top) > hottest + CORE_ABOVE_K or field.max() > hottest + PLACE_ABOVE_K:
        above = np.maximum(core - CORE_ABOVE_K, field.max(axis=1) - PLACE_ABOVE_K)
        stage = int(np.searchsorted(end_s, t[int(np.argmax(above))]))
        raise _gave_up(plan, min(stage, count - 1), False, budget_s)
    findings = setup_findings(plan, boiling_point(plan.altitude_m))
    boil_c = s.boil_c if s.boil_c < NO_BOILING else np.inf
    findings += outcome_findings(plan, outcomes, top, float(end_s[-1]), field, start, boil_c, s.table)
    if record.filled[1]:
        findings.append(
            finding(
                "record-full",
                "care",
                "More steps were needed than are kept; the end of the cook is missing in samples.",
                "solver",
            )
        )
    if isinstance(s.grid, Mesh):
        line, depth, elsewhere = line_of(s.grid, field)
    else:
        line, depth, elsewhere = whole_field(s.grid, field), depth_of(s.grid, vary.length), field[:, :0]
    return Cook(
        t=t,
        core=core,
        mean=mean,
        surface_a=column(record.surface_a),
        surface_b=column(record.surface_b),
        field=line,
        depth=depth,
        stages=tuple(outcomes),
        peak_core_c=float(top),
        peak_t_s=float(top_t),
        pull_stage=pull_stage_of(plan.stages),
        heat_in_j_m2=_heat_in(s, y),
        findings=tuple(findings),
        closed=_closed(s.grid),
        elsewhere=elsewhere,
        vapour_pa=float(y[-1] * s.faces[-1, :, F_PRESSURE].max()) if s.faces[-1, :, F_LEAK].max() > 0.0 else None,
    )
