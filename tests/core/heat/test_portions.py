"""A piece that is cut before a stage goes on as a portion: its own size, its piece's temperature and worst history."""

from __future__ import annotations

import copy

import numpy as np
import pytest

from ember_core.errors import FormatError, InputError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.ensemble.coarse import coarse_setup
from ember_core.heat.ensemble.forecast import forecast
from ember_core.heat.setup import setup
from ember_core.planning.compute import compute
from ember_core.planning.moves import moves
from ember_core.safety.statement import state_rule
from tests.conftest import plan_document

SLICE = {"kind": "slab", "thickness_mm": 30.0}
STAGES = [
    {"kind": "bath", "minutes": 600, "medium_c": 65},
    {"kind": "chill", "minutes": 900, "medium_c": 1, "variant": "ice-water", "until": {"core_c": 4}},
    {"kind": "chill", "minutes": 600, "medium_c": 3},
    {"kind": "simmer", "minutes": 240, "medium_c": 85, "until": {"core_c": 62}},
]
WHOLES = [
    {"kind": "slab", "thickness_mm": 70},
    {"kind": "box", "length_mm": 180, "width_mm": 120, "thickness_mm": 70},
    {"kind": "cylinder", "diameter_mm": 80},
]
PORTIONS = [
    SLICE,
    {"kind": "box", "length_mm": 70, "width_mm": 60, "thickness_mm": 30},
    {"kind": "sphere", "diameter_mm": 30},
]


def cut(portion=SLICE, whole=WHOLES[0], stages=STAGES, at=3, **more):
    """A plan whose piece is cut before stage ``at``."""
    stages = copy.deepcopy(stages)
    if portion is not None:
        stages[at]["portion"] = portion
    piece = {"food": "beef-lean", "form": "roast", "shape": whole, "start_c": 5}
    return parse(plan_document(piece=piece, stages=stages, **more))


@pytest.mark.parametrize("whole", WHOLES, ids=lambda s: s["kind"])
@pytest.mark.parametrize("portion", PORTIONS, ids=lambda s: s["kind"])
def test_a_portion_cooks_as_a_piece_of_its_own_from_the_wholes_mean(whole, portion):
    plan = cut(portion, whole)
    cook = run(plan, setup(plan))
    before = cook.stages[2]
    alone = parse(
        plan_document(piece={"food": "beef-lean", "shape": portion, "start_c": before.mean_c}, stages=STAGES[3:])
    )
    own = run(alone, setup(alone)).stages[0]
    assert cook.stages[3].end_s - before.end_s == pytest.approx(own.end_s, rel=1e-3)
    assert (np.diff(cook.t) > 0).all()
    assert cook.field.shape[1] == cook.depth.size  # one picture throughout
    assert cook.stages[3].core_c == pytest.approx(62.0, abs=0.05)


def test_slices_are_warm_long_before_the_whole_piece():
    sliced, whole = cut(), cut(None)
    times = [c.stages[3].end_s - c.stages[3].start_s for c in (run(p, setup(p)) for p in (sliced, whole))]
    assert times[0] < 0.35 * times[1]


def test_a_portion_of_the_pieces_own_shape_changes_nothing():
    """Cut, and yet the same: in uniform cold the field that is lost was flat."""
    same, whole = cut(WHOLES[0]), cut(None)
    a, b = run(same, setup(same)), run(whole, setup(whole))
    assert a.stages[3].end_s == pytest.approx(b.stages[3].end_s, rel=2e-3)
    assert a.core[-1] == pytest.approx(b.core[-1], abs=0.05)


def test_report_times_are_met_on_both_sides_of_the_knife():
    moments = [100.0, 30000.0, 90000.0]
    plan = cut(report_at_s=moments)
    cook = run(plan, setup(plan))
    assert cook.stages[2].end_s < moments[-1] or cook.t[-1] < moments[-1]
    for t in moments:
        if t < cook.t[-1]:
            assert np.abs(cook.t - t).min() < 1e-6


@pytest.mark.parametrize(("bath_c", "met"), [(65, True), (50, False)])
def test_the_worst_of_the_whole_goes_with_every_place_of_a_portion(bath_c, met):
    """What the bath did counts for portions only where it did it to the whole piece; a reheat to 62 °C makes up for nothing."""
    stages = [{**STAGES[0], "medium_c": bath_c}, *STAGES[1:3], {**STAGES[3], "until": {"core_c": 50}}]
    plan = cut(stages=stages, rules="us-food-code-2022")
    rule, _ = state_rule(plan, run(plan, setup(plan)))
    assert rule["met"] is met


def test_a_seared_outside_is_none_once_it_is_cut():
    """Clause (C) holds for an intact steak seared outside: its cut faces were inside."""
    stages = [
        {"kind": "pan", "minutes": 2, "faces": {"a": {"medium_c": 230}}},
        {"kind": "pan", "minutes": 2, "faces": {"b": {"medium_c": 230}}},
        {"kind": "chill", "minutes": 120, "medium_c": 2},
        {"kind": "bath", "minutes": 20, "medium_c": 48},
    ]
    piece = {"food": "beef-lean", "form": "steak", "shape": {"kind": "slab", "thickness_mm": 40}, "start_c": 5}
    said = []
    for portion in (None, {"kind": "slab", "thickness_mm": 20}):
        with_it = [*stages[:3], stages[3] | ({"portion": portion} if portion else {})]
        plan = parse(plan_document(piece=piece, stages=with_it, rules="us-food-code-2022"))
        said.append(state_rule(plan, run(plan, setup(plan)), (True, True))[0])
    assert said[0]["met"] is True
    assert "(C)" in said[0]["clause"]
    assert said[1]["met"] is False


def test_cut_while_it_is_uneven_is_said():
    stages = [{"kind": "bath", "minutes": 25, "medium_c": 60}, STAGES[3]]
    plan = cut(stages=stages, at=1)
    codes = [f.code for f in run(plan, setup(plan)).findings]
    assert "cut-uneven" in codes
    even = cut()
    assert "cut-uneven" not in [f.code for f in run(even, setup(even)).findings]


@pytest.mark.parametrize(
    ("portion", "at", "path"),
    [
        (SLICE, 0, "/stages/0/portion"),
        ({"kind": "slab", "thickness_mm": 90}, 3, "/stages/3/portion"),
        ({"kind": "slab", "thickness_mm": 30, "length_mm": 60}, 3, "/stages/3/portion/length_mm"),
        ({"kind": "egg", "mass_g": 60}, 3, "/stages/3/portion"),
        ({"kind": "box", "length_mm": 900, "width_mm": 900, "thickness_mm": 60}, 3, "/stages/3/portion"),
        ({"kind": "slab"}, 3, "/stages/3/portion/thickness_mm"),
    ],
)
def test_a_portion_that_cannot_be_is_refused_by_name(portion, at, path):
    with pytest.raises(InputError) as told:
        cut(portion, {"kind": "box", "length_mm": 180, "width_mm": 120, "thickness_mm": 70}, at=at)
    assert told.value.path == path


def test_a_piece_is_cut_once():
    stages = [*STAGES, {"kind": "simmer", "minutes": 5, "medium_c": 80, "portion": SLICE}]
    with pytest.raises(FormatError, match="once"):
        cut(stages=stages)


def test_faces_are_those_of_the_shape_in_its_stage():
    stages = [*STAGES[:3], {"kind": "pan", "minutes": 4, "faces": {"b": {"medium_c": 180}}}]
    plan = cut(WHOLES[0], WHOLES[0], stages)
    assert plan.stages[3].face_b.kind == "pan"
    with pytest.raises(FormatError):  # a ball has one face
        cut({"kind": "sphere", "diameter_mm": 30}, WHOLES[0], stages)


def test_the_forecast_follows_through_the_knife():
    """Each member is cut at its own temperature; the end of the reheat has a spread and its middle is the nominal one."""
    chilled = {"kind": "chill", "minutes": 300, "medium_c": 1, "variant": "ice-water"}
    stages = [
        STAGES[0],
        chilled,
        STAGES[2],
        {**STAGES[3], "until": {"peak_core_c": 62}},
        {"kind": "rest", "minutes": 5},
    ]
    plan = cut(stages=stages)
    cook = run(plan, setup(plan))
    ahead = forecast(
        coarse_setup(plan), plan.face_kinds, members=64, pull_stage=3, nominal_cook=cook, end_s=float(cook.t[-1])
    )
    since = cook.stages[3].start_s
    assert ahead.failed == 0
    assert np.median(ahead.pull_s) - since == pytest.approx(cook.pull_s - since, rel=0.05)
    assert 30.0 < np.ptp(np.quantile(ahead.pull_s, [0.05, 0.95])) < 3600.0
    assert ahead.peak_core_c.min() > 61.0


def test_a_log_reduction_counts_what_the_whole_has_behind_it():
    """The stage waits for the least killed place of the whole plus that of the portion."""
    stages = [{**STAGES[0], "minutes": 60}, *STAGES[1:3], {**STAGES[3], "until": {"log10": 6.5}}]
    plan = cut(stages=stages, rules="us-food-code-2022")
    result = compute(plan).result
    assert result["stages"][3]["ended_by"] == "log10"


def test_what_is_joined_keeps_all_pairs_that_could_be():
    """Of every place, with the coldest place of the other stretch, a column stands in ``elsewhere``."""
    plan = cut()
    cook = run(plan, setup(plan))
    head = cook.t <= cook.stages[2].end_s
    core = cook.core[head]
    like_core = np.abs(cook.elsewhere[head] - core[:, None]).max(axis=0) < 0.3
    assert like_core.sum() >= 24  # the whole core's history, with each cell of the portion


def test_the_move_says_to_cut():
    plan = cut()
    said = moves(plan, run(plan, setup(plan)))[3]
    assert "portions of" in str(said.cue)
