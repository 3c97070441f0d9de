"""From a checked plan to the arrays of the solver."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import astuple, dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.heat.arrays import Array
from ember_core.heat.geometry.bird import size_spread_mm
from ember_core.heat.geometry.egg_outline import FOODS, species_of
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.geometry.shapes import depth_of, geometry
from ember_core.heat.physics.boiling import boiling_point, iapws_saturation_pressure, pressure_at
from ember_core.heat.physics.properties import (
    DEFAULT_FREEZING_C,
    DRY_CONDUCTIVITY,
    Composition,
    ThermalTable,
    constant_table,
    food_table,
)
from ember_core.heat.physics.stores import NONE, Store, lies_in, same_store, store_of
from ember_core.heat.physics.surroundings import Surface, in_vapour, kitchen_vapour, on_support, surroundings
from ember_core.heat.solver.by_shape import with_stepper
from ember_core.heat.solver.ending import (
    UNTIL_CORE,
    UNTIL_LOG10,
    UNTIL_MEAN,
    UNTIL_PEAK,
    UNTIL_RULE,
    UNTIL_SURFACE,
    UNTIL_SURFACE_B,
    UNTIL_TIME,
    UNTIL_YOLK,
    UNTIL_YOLK_EDGE,
)
from ember_core.heat.solver.types import (
    FACE,
    TALLY,
    Body,
    Case,
    Criterion,
    Layers,
    Others,
    Record,
    Rows,
    Schedule,
    patches_of,
    size_of,
)
from ember_core.plan.plan import Plan, pieces_kg
from ember_core.plan.shapes import volume_mm3
from ember_core.plan.stages import FaceSpec, StageSpec

CELLS = 80

# kg/m², m0 of the drying factor; set on roasts of 1 and 2 kg in an oven with its own vapour (see docs/method)
DRYING_SCALE = 0.4

UNTIL_CODE = {
    None: UNTIL_TIME,
    "core_c": UNTIL_CORE,
    "surface_c": UNTIL_SURFACE,
    "surface_b_c": UNTIL_SURFACE_B,
    "mean_c": UNTIL_MEAN,
    "log10": UNTIL_LOG10,
    "rule": UNTIL_RULE,
    "peak_core_c": UNTIL_PEAK,
    "yolk_edge_c": UNTIL_YOLK_EDGE,
    "yolk": UNTIL_YOLK,
}

NO_BOILING = 1e9
NO_LIMIT_NS = int(np.iinfo(np.int64).max)
OVER_BOILING_K, CRUSTING_H = 5.0, 60.0  # so hot a medium with so much transfer, W/(m² K), leaves a crust
FLAME_C = 1200.0  # of a torch where it meets the food; with its h an estimate of 35 kW/m² on the swept face


ALONE = Others(np.empty(0), np.empty(0), np.empty(0))


@dataclass(frozen=True, eq=False)
class Setup:
    """Everything the solver needs, in its own terms; members of an ensemble are variations of it."""

    grid: Grid | Mesh
    table: ThermalTable
    inner: ThermalTable | None  # of an egg's yolk
    length: float  # m; of a mesh its stretch, 1
    size: float  # m, what a spread of the thickness is a spread of: thickness or diameter
    boil_c: float
    schedule: Schedule
    h_spread: Array  # stages × 4, standard deviation of ln h
    criterion: Criterion
    start_c: float
    cut_at: int | None = None  # the stage before which the piece is cut
    portion: Setup | None = None  # on a portion's grid, with the same schedule
    others: Others = ALONE  # in a medium with a store
    size_spread_mm: float | None = None  # standard deviation of its size, where its shape has one of its own

    @cached_property
    def depths(self) -> Array:
        """Where the cells of a one-dimensional grid lie, mm from face a or the centre, for a length of 1 m."""
        assert isinstance(self.grid, Grid)  # a mesh has places of its own
        return depth_of(self.grid, 1.0)

    @cached_property
    def crusts(self) -> bool:
        """Whether anything it meets boils its water off and leaves a crust."""
        return boils_off(self.schedule.faces, self.boil_c)

    def of_stage(self, i: int) -> Setup:
        """What is cooked in a stage: the piece, or a portion of it."""
        return self.portion if self.portion is not None and self.cut_at is not None and i >= self.cut_at else self


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


def _surface(face: FaceSpec, plan: Plan, boil_c: float, in_pot: bool) -> Surface:
    """Resolve one face of one stage; water ``in_pot`` may begin below its boiling point."""
    medium = plan.air_c if face.medium_c is None else face.medium_c
    if face.kind == "torch":
        medium = FLAME_C
    boils = face.kind in {"boil", "steam"} and not (in_pot and face.medium_c is not None)
    if boils or (face.kind == "simmer" and face.medium_c is None):
        medium = boil_c
    elif face.kind in {"boil", "simmer"} or (face.kind == "bath" and plan.properties is None):
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


def stored_in(plan: Plan, i: int, boil_c: float, density: float) -> Store:
    """The store of a stage's medium; of a bath's load too, which is one set to the bath's temperature.

    Parameters
    ----------
    plan, i : Plan, int
        Which stage.
    boil_c, density : float
        °C; of the food, kg/m³.
    """
    stated = store_stated(plan.stages[i])
    if stated is None:
        return NONE
    piece = plan.document["piece"]
    count = stated.get("pieces", piece.get("count", 1))
    own_kg = piece.get("mass_g", 0.0) / 1000.0
    volume = own_kg / density if own_kg else volume_mm3(plan.shape)[0] * 1e-9
    faces = _in_store(plan.stages[i], stated)
    medium = _surface(faces[0], plan, boil_c, True).medium_c
    before = store_stated(plan.stages[i - 1]) if i else None
    holds = False
    if same_store(before, stated):
        begun = _in_store(plan.stages[i - 1], stated)
        holds = bool(begun) and _surface(begun[0], plan, boil_c, True).medium_c == medium
    return store_of(
        stated, medium_c=medium, air_c=plan.air_c, boil_c=boil_c, pieces_m3=volume * count, holds=holds,
        boils=faces[0].kind == "boil",
    )  # fmt: skip


def _in_store(stage: StageSpec, stated: Mapping[str, Any]) -> list[FaceSpec]:
    """The faces of a stage that meet a store."""
    return [f for f in stage.all_faces if lies_in(stated["kind"], f.kind, f.variant)]


def store_stated(stage: StageSpec) -> Mapping[str, Any] | None:
    """The store that a stage states, a bath's ``load`` as one; None where the medium keeps its temperature."""
    if stage.store is not None:
        return stage.store
    if stage.load is not None and stage.kind == "bath":
        return {"kind": "bath", "litres": stage.load["litres"], "power_w": stage.load["heater_w"]}
    return None


def through_shell(surface: Surface, shape: Mapping[str, Any]) -> Surface:
    """What an egg's face meets through its shell: a resistance in series, and nothing evaporates through it.

    A shell loses some tens of milligrams of water an hour, which carry off next to no heat.
    """
    thick = species_of(shape)["shell_mm"] / 1000.0
    resists = thick / float(read_toml("eggs.toml")["shell"]["conductivity"])
    return replace(surface, h=surface.h / (1.0 + surface.h * resists), wet=0.0)


def face_row(surface: Surface) -> tuple[float, ...]:
    """What a face meets as a row of ``FACE``."""
    return (
        surface.h, surface.emissivity, surface.medium_c, surface.off_c, surface.settle_s, surface.wet, surface.vapour_pa,
        surface.pressure_pa, surface.leak, surface.food_m3, float(surface.carries), *astuple(surface.store),
    )  # fmt: skip


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
    table = _egg(plan, "egg-white") or thermal_table(plan)
    boil_c = boiling_point(plan.altitude_m)
    n = len(plan.stages)
    pressure = pressure_at(plan.altitude_m)
    faces = np.zeros((n, 4), FACE)
    spread = np.zeros((n, 4))
    for i, stage in enumerate(plan.stages):
        store = stored_in(plan, i, boil_c, table.density)
        stated = store_stated(stage)
        for j, face in enumerate(stage.all_faces):
            surface = _surface(face, plan, boil_c, store is not NONE)
            if stated is not None and lies_in(stated["kind"], face.kind, face.variant):
                surface = replace(surface, store=store, off_c=0.0)
            if face.surface is None and plan.shape["kind"] == "egg" and plan.properties is None:
                surface = through_shell(surface, plan.shape)
            if face.kind == "oven" and face.surface is None and face.humidity is None and surface.wet > 0.0:
                load = stage.load or {}
                carries = i > 0 and i != plan.cut_at and faces["leak"][i - 1].max() > 0.0
                surface = in_vapour(
                    surface,
                    stage.vent,
                    load.get("kg", pieces_kg(plan.document["piece"])),
                    load.get("litres"),
                    table.density,
                    pressure,
                    carries,
                )
            faces[i, j] = face_row(surface)
            spread[i, j] = surface.h_spread
    d, t_ref, z = lethality or (0.0, 60.0, 6.0)
    pairs = np.array(rows, dtype=float).reshape(-1, 2)
    cut = plan.cut_at
    until = np.zeros(n, dtype=np.int64)
    first = slice(0, n if cut is None else cut)
    grid, length, size = _geometry(plan, plan.shape, first, faces, until, boil_c, cells, refine)
    whole = Setup(
        grid=grid,
        table=table,
        inner=_egg(plan, "egg-yolk"),
        length=length,
        size=size,
        boil_c=NO_BOILING if plan.properties is not None else boil_c,
        schedule=Schedule(
            np.array([s.seconds for s in plan.stages]),
            faces,
            until,
            np.array([float(s.until_value) for s in plan.stages]),
        ),
        h_spread=spread,
        criterion=Criterion(d, t_ref, z, np.ascontiguousarray(pairs[:, 0]), np.ascontiguousarray(pairs[:, 1])),
        start_c=plan.start_c,
        size_spread_mm=size_spread_mm(plan.shape) if plan.shape["kind"] == "bird" else None,
    )
    if cut is None:
        return whole
    shape = plan.stages[cut].portion or {}
    grid, length, size = _geometry(plan, shape, slice(cut, n), faces, until, boil_c, cells, refine)
    return replace(whole, cut_at=cut, portion=replace(whole, grid=grid, length=length, size=size, size_spread_mm=None))


def _geometry(
    plan: Plan,
    shape: Mapping[str, Any],
    stages: slice,
    faces: Rows,
    until: NDArray[np.int64],
    boil_c: float,
    cells: int,
    refine: float,
) -> tuple[Grid | Mesh, float, float]:
    """The grid of a shape for some stages of a plan; what each of them waits for is written into ``until``.

    Parameters
    ----------
    plan : Plan
    shape : mapping
        The piece's, or a portion's.
    stages : slice
        In which it has this shape.
    faces : rows of FACE
        Of all stages.
    until : ndarray of int
        Of all stages; those of ``stages`` are set.
    boil_c : float
        °C.
    cells, refine : int, float
        As of :func:`setup`.

    Returns
    -------
    tuple
        As of :func:`ember_core.heat.geometry.shapes.geometry`.
    """
    own = faces[stages]
    symmetric = bool((own[:, 0] == own[:, 1]).all())
    edge = shape["kind"] == "box" and bool((own[:, 2] != own[:, 3]).any())
    crust = plan.properties is None and boils_off(own, boil_c)
    until[stages] = [_waited_for(s.until, symmetric) for s in plan.stages[stages]]
    return geometry(shape, symmetric, crust, cells, refine, edge=edge)


def boils_off(faces: Rows, boil_c: float) -> bool:
    """Whether any of some faces meets what boils the water of a moist piece off and leaves a crust."""
    return bool(((faces["medium_c"] > boil_c + OVER_BOILING_K) & (faces["h"] > CRUSTING_H)).any())


def _waited_for(until: str | None, symmetric: bool) -> int:
    """What a stage waits for as the solver has it; of a piece whose faces meet the same only one is computed."""
    return UNTIL_SURFACE if symmetric and until == "surface_b_c" else UNTIL_CODE[until]


def _egg(plan: Plan, part: str) -> ThermalTable | None:
    """The table of an egg's ``egg-white`` or ``egg-yolk`` in its shell; None for every other piece."""
    if (
        plan.shape["kind"] != "egg"
        or plan.properties is not None
        or plan.composition is not None
        or plan.food not in FOODS
    ):
        return None
    row = food_row(part)
    assert row is not None  # shipped
    return food_table(Composition(**{k: v / 100.0 for k, v in row["parts"].items()}), row["freezing_c"])


def body_of(
    s: Setup, *, length: float | None = None, k_scale: float = 1.0, c_scale: float = 1.0, drying: float = DRYING_SCALE
) -> Body | Layers:
    """The kernel's view of one piece; the keywords make a member of an ensemble.

    Parameters
    ----------
    s : Setup
    length : float, optional
        m, or a mesh's stretch; default the setup's own.
    k_scale, c_scale : float
        Factors of conductivity and heat capacity.
    drying : float
        The drying scale, kg/m².
    """
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
        boil_h=_boils_at(t, s.boil_c) * c_scale if boiling else 1e30,
        water=t.water if boiling else 0.0,
        k_dry=DRY_CONDUCTIVITY,
        c_dry=t.c_dry * c_scale,
        c_wet=t.c_ref * c_scale,
        m0=drying,
        linear=t.linear,
    )


@lru_cache(maxsize=256)
def _boils_at(table: ThermalTable, boil_c: float) -> float:
    """Enthalpy of a food at the boiling point (°C), J/m³."""
    return float(table.enthalpy(boil_c))


def start_state(s: Setup, start_c: float, c_scale: float = 1.0) -> Array:
    """Flat state of a piece at one temperature (°C) throughout; ``c_scale`` is a factor of its heat capacity."""
    y = np.zeros(size_of(s.grid.n, patches_of(s.grid), s.criterion.row_c.size))
    _begin(s, y, min(start_c, s.boil_c), c_scale)  # nothing moist is hotter
    return y


def start_states(s: Setup, start_c: Array, c_scale: Array) -> Array:
    """Flat states of pieces at one temperature each, a row each.

    Parameters
    ----------
    s : Setup
    start_c, c_scale : ndarray (pieces,)
        °C; factors of their heat capacity.
    """
    y = np.zeros((start_c.size, size_of(s.grid.n, patches_of(s.grid), s.criterion.row_c.size)))
    _begin(s, y, np.minimum(start_c, s.boil_c)[:, None], c_scale[:, None])
    return y


def _begin(s: Setup, y: Array, at_c: float | Array, c_scale: float | Array) -> None:
    """Set enthalpy and water of a flat state, or of rows of them, at one temperature each, °C; ``c_scale``: of the heat capacity."""
    grid, n = s.grid, s.grid.n
    enthalpy, water = y[..., :n], y[..., n : 2 * n]
    enthalpy[:] = s.table.enthalpy(at_c) * c_scale
    if s.boil_c < NO_BOILING:
        water[:] = s.table.water
    if s.inner is not None and isinstance(grid, Mesh):
        enthalpy[..., grid.inner] = s.inner.enthalpy(at_c) * c_scale
        water[..., grid.inner] = s.inner.water


def case_of(s: Setup, body: Body | Layers, tolerance_k: float, record: Record, close_k: float | None = None) -> Case:
    """A piece as the solver takes it; the first of its kind is compiled here.

    Parameters
    ----------
    s, body : Setup, Body or Layers
    tolerance_k : float
        Of its steps, K.
    record : Record
        Of the kind that it will be recorded in.
    close_k : float, optional
        How near a solved peak lands, K; without it as near as the tolerance.
    """
    close = tolerance_k if close_k is None else min(close_k, tolerance_k)
    return with_stepper(Case(0, s.grid, body, s.criterion, tolerance_k, close, s.others), s.schedule.faces[0], record)


def empty_record(rows: int, n: int, budget_s: float | None = None) -> Record:
    """Buffers for ``rows`` accepted steps of ``n`` cells; ``budget_s`` is what may be spent on a run, None: no limit."""
    one = np.empty((8, rows))
    tally = empty_tally(budget_s)
    return Record(tally, one[0], one[1], one[2], one[3], one[4], one[5], one[6], one[7], np.empty((rows, n)))


def empty_tally(budget_s: float | None = None) -> Rows:
    """What a run counts, one row; ``budget_s`` as of :func:`empty_record`."""
    tally = np.zeros(1, TALLY)
    tally["limit"] = NO_LIMIT_NS if budget_s is None else int(budget_s * 1e9)
    return tally
