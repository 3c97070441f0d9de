"""Properties that hold for every cook, under the conditions stated with each."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from ember_core.constants import VAPOUR_GAS_CONSTANT
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.geometry.shapes import whole_field
from ember_core.heat.physics.boiling import iapws_saturation_pressure
from ember_core.heat.setup import body_of, setup
from ember_core.heat.solver.compiled import plain
from ember_core.heat.solver.humid_air import saturated_vapour
from ember_core.heat.stage_run import PEAK_CLOSE_K
from ember_core.planning.compute import compute
from tests.conftest import conduction, plan_document

FEW = settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
shapes = st.sampled_from(["slab", "cylinder", "sphere"])
sizes = st.floats(8, 120)
coefficients = st.floats(5, 1500)
starts = st.floats(-10, 30)
media = st.floats(40, 220)


@FEW
@given(shapes, sizes, coefficients, starts, media, st.floats(1, 300))
def test_field_stays_between_start_and_medium(shape, size, h, start, medium, minutes):
    """Without evaporation the field stays between the extremes of start and boundaries."""
    cook = compute(parse(conduction(shape, size, h, start, medium, minutes))).cook
    assert cook.field.min() >= start - 0.02
    assert cook.field.max() <= medium + 0.02
    assert (np.diff(cook.core) > -0.01).all()


@FEW
@given(shapes, sizes, coefficients, starts, media, st.floats(1, 120))
def test_energy_in_is_energy_stored(shape, size, h, start, medium, minutes):
    """Energy through the faces equals the change of enthalpy, to 0.01 %."""
    plan = parse(conduction(shape, size, h, start, medium, minutes))
    s = setup(plan)
    cook = run(plan, s)
    volume = whole_field(s.grid, s.grid.volume[None])[0]
    stored = ((cook.field[-1] - start) * volume).sum() * s.table.c_ref * s.length
    assert stored == pytest.approx(cook.heat_in_j_m2, rel=1e-4, abs=1.0)


@FEW
@given(sizes, st.floats(1.02, 1.5), coefficients, starts)
def test_a_thicker_piece_is_never_sooner(size, factor, h, start):
    """Time to a target grows with thickness."""

    def time_to(mm):
        document = conduction("slab", mm, h, start, 70, 20000)
        document["stages"][0]["until"] = {"core_c": 55}
        return compute(parse(document)).result["stages"][0]["end_s"]

    assert time_to(size * factor) >= time_to(size)


@FEW
@given(shapes, sizes, coefficients, st.floats(60, 95))
def test_the_coast_never_passes_the_mean(shape, size, h, medium):
    """No heat coming in, temperature falling from surface to core, constant c: the later peak is at most the mean at the pull."""
    document = conduction(shape, size, h, 5, medium, 60)
    document["stages"][0]["until"] = {"core_c": 40}
    document["stages"].append({"kind": "rest", "minutes": 60, "medium_c": 5, "surface": {"h_w_m2k": 6}})
    outcome = compute(parse(document))
    pull = outcome.result["stages"][0]
    assert outcome.result["peak"]["core_c"] <= pull["mean_c"] + 0.02


@FEW
@given(sizes, coefficients, media)
def test_symmetric_conditions_give_a_symmetric_field(size, h, medium):
    """Both faces alike: the field is its own mirror image."""
    field = compute(parse(conduction("slab", size, h, 5, medium, 20))).cook.field
    assert np.abs(field - field[:, ::-1]).max() < 1e-6


def solved_pull(shape, target, medium, altitude=0.0, report_at_s=(), rests=(20,)):
    """A piece in a pan until its peak will be the wanted one, and its rest, in one or in several."""
    document = plan_document(kitchen={"altitude_m": altitude}, report_at_s=list(report_at_s))
    document["piece"]["shape"] = shape
    document["stages"] = [
        {"kind": "pan", "minutes": 300, "medium_c": medium, "until": {"peak_core_c": target}},
        *({"kind": "rest", "minutes": minutes} for minutes in rests),
    ]
    return compute(parse(document)).result


RESTS = st.sampled_from([(20,), (7, 13), (1, 2, 17)])
MOMENTS = st.lists(st.integers(1, 1500), max_size=3, unique=True)


@settings(max_examples=12, deadline=None)
@given(st.floats(14, 50), st.floats(48, 66), st.floats(150, 240), st.floats(0, 3000), MOMENTS, RESTS)
def test_a_solved_pull_lands_the_peak(mm, target, medium, altitude, moments, rests):
    """The pull is solved, not estimated: the peak of what is recorded, wherever it is looked at, is the wanted one."""
    result = solved_pull({"kind": "slab", "thickness_mm": mm}, target, medium, altitude, moments, rests)
    assert result["stages"][0]["ended_by"] == "peak_core_c"
    assert result["peak"]["core_c"] == pytest.approx(target, abs=PEAK_CLOSE_K + 0.005)
    assert result["coast"]["rise_c"] >= 0


@pytest.mark.parametrize(
    "shape",
    [
        {"kind": "sphere", "diameter_mm": 60},
        {"kind": "cylinder", "diameter_mm": 45, "length_mm": 90},
        {"kind": "box", "thickness_mm": 40, "width_mm": 60, "length_mm": 120},
    ],
    ids=lambda shape: shape["kind"],
)
@pytest.mark.parametrize(("target", "medium"), [(52, 200), (64, 160)])
def test_a_solved_pull_of_a_shape_lands_the_peak(shape, target, medium):
    """On a mesh what is recorded lies between steps: a little less near."""
    assert solved_pull(shape, target, medium)["peak"]["core_c"] == pytest.approx(target, abs=2 * PEAK_CLOSE_K)


def test_no_wet_point_passes_the_boiling_point():
    """Cells that still hold water stay at or below the local boiling point; the crust is what has lost it."""
    plan = parse(plan_document(stages=[{"kind": "pan", "minutes": 8, "medium_c": 240}, {"kind": "rest", "minutes": 2}]))
    cook = run(plan, setup(plan))
    boil = body_of(setup(plan)).boil_c
    over = cook.field.max(axis=0) > boil + 0.01
    assert over[0], "a crust forms"
    assert over[-1], "on both sides"
    middle = slice(15, -15)
    assert not over[middle].any()


def test_frozen_start_thaws_by_enthalpy():
    """A frozen slab in a bath lingers near its freezing point and takes far longer than an unfrozen one."""

    def minutes(start):
        document = plan_document(stages=[{"kind": "bath", "minutes": 2000, "medium_c": 60, "until": {"core_c": 50}}])
        document["piece"]["start_c"] = start
        return compute(parse(document)).result["stages"][0]["end_s"] / 60

    assert minutes(-18) > 1.3 * minutes(2)


@pytest.mark.parametrize("until", [{"core_c": 55}, {"surface_c": 58}, {"mean_c": 56}])
def test_until_ends_where_it_says(until):
    """A stage ends when its quantity is reached, within 0.01 K, heating."""
    document = conduction("slab", 40, 95, 5, 60, 600)
    document["stages"][0]["until"] = until
    stage_end = compute(parse(document)).result
    key, value = next(iter(until.items()))
    assert stage_end["stages"][0]["ended_by"] == key
    assert stage_end["samples"][-1][key] == pytest.approx(value, abs=0.01)


def test_until_works_while_cooling():
    """Reached from either side."""
    document = conduction("cylinder", 60, 100, 60, 1, 600)
    document["stages"][0]["until"] = {"core_c": 5}
    assert compute(parse(document)).result["samples"][-1]["core_c"] == pytest.approx(5, abs=0.01)


def test_until_rule_and_log10():
    """A bath until the rule is met ends when the judge says so; until log10 reaches its number at every depth."""
    document = plan_document(stages=[{"kind": "bath", "minutes": 900, "medium_c": 60, "until": {"rule": True}}])
    document["piece"] |= {"form": "roast", "shape": {"kind": "slab", "thickness_mm": 50}}
    result = compute(parse(document)).result
    assert result["stages"][0]["ended_by"] == "rule"
    assert result["rule"]["met"] is True
    assert result["rule"]["met_at_s"] == pytest.approx(result["stages"][0]["end_s"], abs=12)
    document["stages"][0]["until"] = {"log10": 5, "organism": "listeria"}
    result = compute(parse(document)).result
    assert result["stages"][0]["ended_by"] == "log10"
    logs = next(m["log10"] for m in result["model"] if m["organism"] == "listeria")
    assert 5.0 <= logs < 5.3


def test_forecast_repeats_brackets_and_widens(document):
    """The same seed repeats; the nominal lies in the range; a wider spread widens it."""

    def pull(spread):
        document["forecast"] = {"members": 64, "seed": 3, "spreads": {"thickness_mm": spread}}
        outcome = compute(parse(document))
        return outcome.result["forecast"]["pull_s"], outcome.result["coast"]["pull_s"]

    narrow, nominal = pull(0.5)
    assert narrow["p5"] < nominal < narrow["p95"]
    assert pull(0.5)[0] == narrow
    wide, _ = pull(3)
    assert wide["p95"] - wide["p5"] > narrow["p95"] - narrow["p5"]


def test_pull_that_cannot_be_says_what_would(document):
    """Too short a stage, and a piece already past its target: findings, not silence."""
    document["stages"][1]["minutes"] = 0.5
    findings = compute(parse(document)).result["findings"]
    assert any(f["code"] == "until-not-reached" for f in findings)
    assert any(f["code"] == "what-would-work" and "min in all would be enough" in f["message"] for f in findings)
    document["piece"]["start_c"] = 70
    findings = compute(parse(document)).result["findings"]
    assert any(f["code"] == "pull-already-past" for f in findings)


@pytest.mark.parametrize("t", [0.0, 4.0, 25.0, 58.5, 99.9, 130.0])
def test_polynomial_of_the_vapours_density(t):
    """Against the pressure it was fitted to, by the gas law; its slope against a difference."""
    density, slope = plain(saturated_vapour)(t)
    assert density == pytest.approx(iapws_saturation_pressure(t) / (VAPOUR_GAS_CONSTANT * (t + 273.15)), rel=4e-5)
    at = min(max(t, 0.1), 129.9)
    difference = (plain(saturated_vapour)(at + 0.1)[0] - plain(saturated_vapour)(at - 0.1)[0]) / 0.2
    assert plain(saturated_vapour)(at)[1] == pytest.approx(difference, rel=1e-4)
    assert slope > 0


@pytest.mark.parametrize(
    "shape",
    [{"kind": "slab", "thickness_mm": 28}, {"kind": "box", "length_mm": 90, "width_mm": 60, "thickness_mm": 40}],
)
def test_a_cook_keeps_its_own_numbers_when_another_is_run(shape):
    """The buffers of a run are used again: nothing that was told lies in them."""
    piece = {"food": "beef-lean", "form": "steak", "shape": shape, "start_c": 4}
    first, other = (
        parse(plan_document(piece=piece | {"start_c": c}, stages=[{"kind": "bath", "minutes": 20, "medium_c": 60}]))
        for c in (4, 20)
    )
    found = run(first, setup(first))
    kept = {
        n: getattr(found, n).copy() for n in ("t", "core", "mean", "surface_a", "field", "elsewhere", "medium", "taken")
    }
    run(other, setup(other))
    for name, values in kept.items():
        assert np.array_equal(getattr(found, name), values, equal_nan=True), name
