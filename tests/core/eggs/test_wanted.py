"""Yolks and whites as they are wanted: times found for them, what cannot be, what is refused."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.egg_states import edge_of, state_of, white_word, yolk_word
from ember_core.heat.egg_time import goal_of
from ember_core.heat.geometry.egg_outline import egg_sizes
from ember_core.heat.geometry.shapes import geometry, yolk_edge_of
from ember_core.heat.setup import setup
from ember_core.planning.compute import compute
from tests.conftest import plan_document
from tests.validation.test_eggs import ICE, SPECIES, egg_plan

YOLKS = ("runny", "syrupy", "jammy", "fudgy", "dry")


@settings(max_examples=25, deadline=None)
@given(
    word=st.sampled_from(YOLKS),
    mass_g=st.floats(40, 85),
    start_c=st.floats(2, 25),
    altitude_m=st.floats(0, 3000),
    after=st.sampled_from([[ICE], [], [{"kind": "rest", "minutes": 6}]]),
)
def test_a_yolk_that_is_waited_for_comes_out_so(word, mass_g, start_c, altitude_m, after):
    """Whatever the egg, the place and what follows: eaten it is what it was to be, within a hundredth."""
    stages = [{"kind": "boil", "minutes": 40, "until": {"yolk": word}}, *after]
    plan = egg_plan(stages, mass_g=mass_g, start_c=start_c, altitude_m=altitude_m)
    cook = run(plan, setup(plan))
    found = state_of(plan, cook)
    measure, goal = goal_of(word)
    assert cook.stages[0].ended_by == "yolk"
    assert found.yolk_word == word
    assert (found.yolk if measure == "yolk" else found.firm) == pytest.approx(goal, abs=0.01)


def test_a_softer_yolk_takes_less_and_a_harder_one_more():
    """In order, sooner at sea level than in the mountains, sooner when warm, later without ice to stop it: that is pulled sooner."""

    def minutes(word, after=(ICE,), **own):
        plan = egg_plan([{"kind": "boil", "minutes": 40, "until": {"yolk": word}}, *after], **own)
        return run(plan, setup(plan)).stages[0].end_s

    times = [minutes(w) for w in YOLKS]
    assert times == sorted(times)
    assert minutes("jammy", altitude_m=1850) > times[2] + 40
    assert minutes("jammy", start_c=20) < times[2] - 40
    assert minutes("jammy", after=({"kind": "rest", "minutes": 6},)) < times[2] - 5


@pytest.mark.parametrize(("begins", "medium", "edge"), [(4, 100, 63), (4, 62, 61.5), (4, 75, 70)])
def test_the_yolks_edge_is_waited_for(begins, medium, edge):
    stage = {"kind": "boil"} if medium == 100 else {"kind": "bath", "medium_c": medium}
    plan = egg_plan([{**stage, "minutes": 120, "until": {"yolk_edge_c": edge}}, ICE], start_c=begins)
    cook = run(plan, setup(plan))
    course = edge_of(plan, cook)
    assert cook.stages[0].ended_by == "yolk_edge_c"
    assert np.interp(cook.stages[0].end_s, cook.t, course) == pytest.approx(edge, abs=0.03)
    samples = compute(plan).result["samples"]
    assert max(s["yolk_edge_c"] for s in samples) == pytest.approx(course.max(), abs=0.05)


def test_the_yolks_edge_is_waited_for_as_it_cools():
    stages = [
        {"kind": "boil", "minutes": 6},
        {"kind": "chill", "variant": "ice-water", "medium_c": 1, "minutes": 30, "until": {"yolk_edge_c": 30}},
    ]
    cook = run(plan := egg_plan(stages), setup(plan))
    assert cook.stages[1].ended_by == "yolk_edge_c"
    assert edge_of(plan, cook)[-1] == pytest.approx(30.0, abs=0.05)


@pytest.mark.parametrize(
    ("until", "stage", "code"),
    [
        ({"yolk": "jammy"}, {"kind": "simmer", "medium_c": 20, "minutes": 60}, "until-not-reached"),
        ({"yolk": "jammy"}, {"kind": "boil", "minutes": 4}, "until-not-reached"),
        ({"yolk_edge_c": 80}, {"kind": "bath", "medium_c": 64, "minutes": 90}, "until-not-reached"),
    ],
)
def test_what_cannot_be_reached_is_said(until, stage, code):
    result = compute(egg_plan([{**stage, "until": until}, ICE])).result
    assert result["stages"][0]["ended_by"] == "minutes"
    assert code in {f["code"] for f in result["findings"]}


def test_a_yolk_that_is_past_it_before_is_said():
    stages = [
        {"kind": "boil", "minutes": 12},
        {"kind": "bath", "medium_c": 60, "minutes": 30, "until": {"yolk": "runny"}},
        ICE,
    ]
    result = compute(egg_plan(stages)).result
    assert "pull-already-past" in {f["code"] for f in result["findings"]}
    assert result["egg"]["yolk"]["word"] == "dry"


def test_what_a_target_wants_and_does_not_get_is_said():
    stages = [{"kind": "boil", "minutes": 10}, ICE]
    for target, codes in (
        ({"yolk": "fudgy", "white": "firm"}, set()),
        ({"yolk": "jammy"}, {"yolk-not-as-wanted"}),
        ({"yolk": "fudgy", "white": "tender"}, {"white-not-as-wanted"}),
    ):
        found = {f["code"] for f in compute(egg_plan(stages, target=target)).result["findings"]}
        assert found & {"yolk-not-as-wanted", "white-not-as-wanted", "white-unset"} == codes
    short = compute(egg_plan([{"kind": "boil", "minutes": 2}, ICE])).result
    assert "white-unset" in {f["code"] for f in short["findings"]}


@pytest.mark.parametrize(
    ("piece", "change", "path"),
    [
        ({"shape": {"kind": "egg", "mass_g": 3000}}, {}, "/piece/shape/mass_g"),
        ({"shape": {"kind": "egg", "mass_g": 12}}, {}, "/piece/shape/mass_g"),
        ({"shape": {"kind": "egg", "mass_g": 57, "species": "quail"}}, {}, "/piece/shape/mass_g"),
        ({"shape": {"kind": "egg", "mass_g": 57, "species": "emu"}}, {}, "/piece/shape/species"),
        ({"shape": {"kind": "slab", "thickness_mm": 20}, "food": "beef-lean"}, {"target": {"yolk": "jammy"}}, "/target/yolk"),
        ({"shape": {"kind": "sphere", "diameter_mm": 40}}, {"stages": [{"kind": "boil", "minutes": 9, "until": {"yolk": "jammy"}}]}, "/stages/0/until/yolk"),
        ({}, {"target": {"yolk": "hard"}}, "/target/yolk"),
        ({}, {"stages": [{"kind": "boil", "minutes": 9, "until": {"yolk": "jammy", "core_c": 60}}]}, "/stages/0/until"),
    ],
)  # fmt: skip
def test_what_is_no_egg_is_refused_by_name(piece, change, path):
    whole = {"food": "egg-whole", "shape": {"kind": "egg", "mass_g": 57}, "start_c": 4} | piece
    document = plan_document(piece=whole, stages=[{"kind": "boil", "minutes": 9}]) | change
    with pytest.raises(InputError) as told:
        parse(document)
    assert told.value.path == path


def test_what_is_no_egg_has_no_states():
    assert compute(parse(plan_document())).result["egg"] is None


@given(st.floats(0, 1), st.floats(0, 1), st.floats(0, 1))
def test_words_never_go_back(a, b, firm):
    low, high = sorted((a, b))
    assert YOLKS.index(yolk_word(low, min(firm, low))) <= YOLKS.index(yolk_word(high, min(firm, high)))
    order = ("unset", "barely-set", "tender", "firm")
    assert order.index(white_word(low, firm)) <= order.index(white_word(high, firm))


@pytest.mark.parametrize("species", SPECIES)
@pytest.mark.parametrize("refine", [0.5, 1.0])
def test_the_yolks_surface_is_where_the_yolk_ends(species, refine):
    """Weights sum to one and read a linear field exactly: its mean over a sphere is its value in the middle."""
    mass = {"quail": 11.0, "goose": 145.0, "ostrich": 1400.0}.get(species, 60.0)
    shape = {"kind": "egg", "mass_g": mass, "species": species}
    mesh = geometry(shape, True, False, 0, refine)[0]
    weight = yolk_edge_of(shape, mesh)
    assert weight.sum() == pytest.approx(1.0)
    assert weight.min() >= -1e-12
    assert weight.size == mesh.n
    touched = weight > 0
    assert (touched & mesh.inner).any()
    assert (touched & ~mesh.inner).any()


def test_an_air_cell_and_a_thick_shell_keep_heat_out():
    """A hen's cell closes about a twentieth of the skin: the minutes it adds are seconds; a shell of 2 mm adds more."""
    shape = {"kind": "egg", "mass_g": 57.0}
    closed = geometry(shape, True, False, 0, 1.0)[0].s_area.sum()
    length, breadth = egg_sizes(57.0)
    eccentric = np.sqrt(1 - (breadth / length) ** 2)
    whole = np.pi / 2 * (breadth**2 + breadth * length * np.arcsin(eccentric) / eccentric)
    assert 0.03 < 1.0 - closed / whole < 0.09
