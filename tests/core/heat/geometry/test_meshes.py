"""Meshes of the finite shapes: geometry, energy, symmetry, and the invariants of conduction."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ember_core.errors import FormatError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.geometry.axes import half_axis
from ember_core.heat.geometry.confocal import ellipsoid
from ember_core.heat.geometry.egg import egg
from ember_core.heat.geometry.egg_outline import egg_sizes
from ember_core.heat.setup import body_of, case_of, empty_record, setup, start_state
from ember_core.heat.solver.schedule import run_cook
from tests.conftest import plan_document

SHAPES = {
    "box": {"kind": "box", "length_mm": 90, "width_mm": 60, "thickness_mm": 40},
    "cylinder": {"kind": "cylinder", "diameter_mm": 60, "length_mm": 50},
    "long": {"kind": "cylinder", "diameter_mm": 40, "length_mm": 120},
    "ellipsoid": {"kind": "ellipsoid", "length_mm": 90, "width_mm": 70, "thickness_mm": 50},
    "egg": {"kind": "egg", "mass_g": 60},
}
VOLUMES = {
    "box": 90 * 60 * 40e-9,
    "cylinder": np.pi / 4 * 60**2 * 50e-9,
    "long": np.pi / 4 * 40**2 * 120e-9,
    "ellipsoid": np.pi / 6 * 90 * 70 * 50e-9,
    "egg": 60 / 1000 / 1090,
}
WARM = [{"kind": "bath", "minutes": 20, "medium_c": 60}]
ONE_SIDED = [{"kind": "oven", "minutes": 15, "faces": {"a": {"medium_c": 150}}}]


def document(name, stages=WARM, **piece):
    """A plan of a shape."""
    return plan_document(
        piece={"food": "beef-lean", "shape": SHAPES[name], "start_c": 5} | piece, stages=stages, target={}
    )


def solved(plan, *, length=1.0):
    """Final state, setup and ends of a plan on its mesh."""
    s = setup(plan)
    y = start_state(s, plan.start_c)
    n = len(plan.stages)
    ends, why = np.zeros(n), np.zeros(n, dtype=np.int64)
    record = empty_record(10, 0)
    run_cook(y, s.schedule, case_of(s, body_of(s, length=length), 0.05, record), 0.0, record, np.empty(0), ends, why)
    return y, s


@pytest.mark.parametrize("name", SHAPES)
def test_volumes_and_surfaces(name):
    """The volume is the body's (a half, quarter or eighth of it); every patch has area; the core lies in the middle."""
    mesh = setup(parse(document(name))).grid
    share = VOLUMES[name] / mesh.volume.sum()
    assert share == pytest.approx(round(share), rel=2e-3)
    assert mesh.mean.sum() == pytest.approx(1)
    assert (mesh.volume > 0).all()
    assert (mesh.s_area > 0).all()
    assert mesh.watch[: mesh.line].size == mesh.line_mm.size
    assert (np.diff(mesh.line_mm) > 0).all()


@pytest.mark.parametrize("name", SHAPES)
def test_edges_that_only_fill_a_gap_conduct_nothing(name):
    """Runs are whole: both nodes rise by one along each; what was put between conducts nothing, and no way inwards goes along it."""
    mesh = setup(parse(document(name))).grid
    first, second = mesh.first.astype(int), mesh.second.astype(int)
    filled = mesh.conduct == 0.0
    assert filled.mean() < 0.3
    for a, b, i, j in zip(mesh.run_from[:-1], mesh.run_from[1:], mesh.run_first, mesh.run_second, strict=True):
        count = np.arange(int(b - a))
        assert (first[int(a) : int(b)] == int(i) + count).all()
        assert (second[int(a) : int(b)] == int(j) + count).all()
    real = {frozenset(x) for x in zip(first[~filled].tolist(), second[~filled].tolist(), strict=True)}
    assert len(real) == (~filled).sum()
    assert not real & {frozenset(x) for x in zip(first[filled].tolist(), second[filled].tolist(), strict=True)}
    inward = mesh.inward.astype(int)
    assert all(frozenset((i, int(j))) in real for i, j in enumerate(inward) if i != int(j))


@pytest.mark.parametrize("name", SHAPES)
@pytest.mark.parametrize("stages", [WARM, [{"kind": "chill", "minutes": 60, "medium_c": -30, "variant": "blast"}]])
def test_energy_in_is_energy_stored(name, stages):
    """Heat through the surface equals the gain in enthalpy within 0.1 %, with freezing as well."""
    plan = parse(document(name, stages))
    y, s = solved(plan)
    n = s.grid.n
    gained = ((y[:n] - float(s.table.enthalpy(5.0))) * s.grid.volume).sum()
    assert y[2 * n] == pytest.approx(gained, rel=1e-3)


@pytest.mark.parametrize("name", ["box", "cylinder", "ellipsoid"])
def test_a_part_stands_for_the_whole(name):
    """The mesh of half the thickness and the full one agree where both faces meet the same."""
    plan = parse(document(name))
    half = run(plan, setup(plan))
    uneven = document(name)
    uneven["stages"][0] = {**WARM[0], "faces": {"a": {"medium_c": 60.0 + 1e-9}}}
    whole = run(parse(uneven), setup(parse(uneven)))
    assert whole.core[-1] == pytest.approx(half.core[-1], abs=0.02)
    assert whole.mean[-1] == pytest.approx(half.mean[-1], abs=0.02)
    assert np.allclose(whole.field[-1], whole.field[-1][::-1], atol=1e-4)


@pytest.mark.parametrize("name", SHAPES)
def test_a_stretched_piece_is_a_larger_one(name):
    """Stretching a member's mesh by 10 % gives what a mesh made 10 % larger gives."""
    keys = {"box": ["thickness_mm"], "cylinder": ["diameter_mm"], "long": ["diameter_mm"]}.get(name)
    shape = dict(SHAPES[name])
    for key in keys or [k for k in shape if k.endswith("_mm")]:
        shape[key] *= 1.1
    if name == "egg":
        shape["mass_g"] *= 1.1**3
    y, s = solved(parse(document(name)), length=1.1)
    z, _ = solved(parse(document(name, shape=shape)))
    core = s.grid.core
    per_k = float(s.table.enthalpy(31.0) - s.table.enthalpy(30.0))
    assert abs(y[core] - z[core]) / per_k < 0.25


@pytest.mark.parametrize("name", ["box", "cylinder", "ellipsoid"])
def test_the_heated_face_is_the_hotter_one(name):
    """Heat from above: face a above the core above face b, and the plan says which face is which."""
    cook = run(parse(document(name, ONE_SIDED)), setup(parse(document(name, ONE_SIDED))))
    assert cook.surface_a[-1] > cook.core[-1] + 5
    assert cook.surface_a[-1] > cook.surface_b[-1] + 10
    assert cook.field[-1][0] > cook.field[-1][-1]


@settings(max_examples=25, deadline=None)
@given(
    st.sampled_from(["cylinder", "long", "egg"]),
    st.floats(-20, 40),
    st.floats(45, 90),
    st.floats(20, 500),
    st.floats(0.2, 30),
)
def test_maximum_principle_and_coast(name, start, medium, h, minutes):
    """Without evaporation the field stays between start and medium; the later peak is not above the mean at the pull."""
    surface = {"h_w_m2k": h}
    still = {"kind": "rest", "minutes": 60, "medium_c": -20, "surface": {"h_w_m2k": 0}}
    stages = [{"kind": "bath", "minutes": minutes, "medium_c": medium, "surface": surface}, still]
    constants = {"conductivity_w_mk": 0.5, "density_kg_m3": 1050, "specific_heat_j_kgk": 3500}
    raw = plan_document(
        piece={"properties": constants, "shape": SHAPES[name], "start_c": start}, stages=stages, target={}
    )
    cook = run(parse(raw), setup(parse(raw)))
    assert cook.everywhere.min() >= start - 0.3
    assert cook.everywhere.max() <= medium + 0.3
    at = cook.at(cook.stages[0].end_s)
    assert cook.core[at:].max() <= cook.mean[at] + 0.3
    assert cook.mean[-1] == pytest.approx(cook.mean[at], abs=0.1)


@pytest.mark.parametrize("name", SHAPES)
def test_thicker_is_never_sooner(name):
    """The time to a core grows with the size."""
    times = []
    for scale in (0.8, 1.0, 1.25):
        shape = {k: v * (scale**3 if k == "mass_g" else scale) if k != "kind" else v for k, v in SHAPES[name].items()}
        stages = [{"kind": "bath", "minutes": 600, "medium_c": 60, "until": {"core_c": 50}}]
        plan = parse(document(name, stages, shape=shape))
        times.append(run(plan, setup(plan)).t[-1])
    assert times == sorted(times)


@given(st.floats(0.005, 0.5), st.integers(3, 20), st.floats(1e-4, 0.1))
def test_axes_grow_from_the_surface(length, cells, first):
    """Nodes rise from 0 to the length; the outermost cell is not longer than asked for, unless all are alike."""
    x = half_axis(length, cells, first)
    steps = np.diff(x)
    assert x[0] == 0
    assert x[-1] == pytest.approx(length)
    assert (steps > 0).all()
    assert steps[-1] <= steps[0] * (1 + 1e-9)


def test_an_egg_has_a_yolk_and_grows_with_its_mass():
    """Longer than wide; about a third of it is yolk; a ball of one material needs none."""
    for mass in (10.0, 60.0, 150.0):
        length, breadth = egg_sizes(mass)
        assert length > breadth
        mesh = egg(mass, 10, 0.2)
        assert mesh.volume[mesh.inner].sum() / mesh.volume.sum() == pytest.approx(0.31, abs=0.09)
    assert not ellipsoid(0.05, 0.05, 0.05, True, 2, 6, 0.2).inner.any()
    plan = parse(document("egg", food="egg-whole"))
    assert setup(plan).inner is not None
    assert setup(dataclasses.replace(plan, food="beef-lean")).inner is None


@pytest.mark.parametrize(
    ("shape", "face"), [({"kind": "slab", "thickness_mm": 20}, "side"), ({"kind": "sphere", "diameter_mm": 20}, "b"), (SHAPES["egg"], "side")]
)  # fmt: skip
def test_faces_a_shape_does_not_have(shape, face):
    """A face that is not there is named, with those that are."""
    stages = [{"kind": "oven", "minutes": 5, "medium_c": 100, "faces": {face: {"medium_c": 50}}}]
    with pytest.raises(FormatError) as caught:
        parse(plan_document(piece={"food": "beef-lean", "shape": shape, "start_c": 5}, stages=stages))
    assert caught.value.path == f"/stages/0/faces/{face}"
