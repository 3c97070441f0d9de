"""Members that go on from now against the same members run from the beginning: pull, core, peak; with what heats them."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.ensemble.draw import draw_ensemble, stage_lengths
from ember_core.heat.ensemble.forecast import MEMBER_CELLS, MEMBER_REFINE, by_clock, run_ensemble, solve_pulls
from ember_core.heat.ensemble.onward import run_onward
from ember_core.heat.setup import setup
from ember_core.heat.solver.entering import going_on
from tests.conftest import plan_document

PULLED = {"until": {"peak_core_c": 54}}
REST = {"kind": "rest", "minutes": 8}
STEAK = {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 28}, "start_c": 5, "mass_g": 280, "count": 2}
ROAST = {
    "food": "beef-lean",
    "shape": {"kind": "ellipsoid", "length_mm": 140, "width_mm": 90, "thickness_mm": 70},
    "start_c": 8,
    "mass_g": 480,
}
PAN = {"kind": "pan", "mass_kg": 2.0, "material": "steel", "power_w": 1500, "set_c": 200}
# plan, and the share of the way to the pull that has gone; an oven's vapour, a pan's and a bath's heat, doors and a settling oven all go on
CASES = {
    "bath": (STEAK, [{"kind": "bath", "minutes": 200, "medium_c": 60} | PULLED, REST], 0.5),
    "oven": (STEAK, [{"kind": "oven", "minutes": 90, "medium_c": 160} | PULLED, REST], 0.4),
    "settling": (STEAK, [{"kind": "oven", "minutes": 90, "medium_c": 170, "medium_from_c": 110, "settle_minutes": 8} | PULLED, REST], 0.3),
    "pan, then oven": (STEAK, [{"kind": "pan", "minutes": 2, "faces": {"a": {"medium_c": 210}}}, {"kind": "oven", "minutes": 90, "medium_c": 140} | PULLED, REST], 0.7),
    "pan with a store": (STEAK, [{"kind": "pan", "minutes": 30, "faces": {"b": {"medium_c": 200}}, "store": PAN} | PULLED, REST], 0.6),
    "loaded bath": (STEAK, [{"kind": "bath", "minutes": 200, "medium_c": 60, "store": {"kind": "bath", "litres": 8, "power_w": 800}} | PULLED, REST], 0.3),
    "as a stage begins": (STEAK, [{"kind": "pan", "minutes": 4, "faces": {"b": {"medium_c": 200}}, "store": PAN}, {"kind": "pan", "minutes": 30, "faces": {"b": {"medium_c": 200}}, "store": PAN} | PULLED, REST], None),
    "door": (STEAK, [{"kind": "oven", "minutes": 90, "medium_c": 170, "store": {"kind": "oven", "doors": [{"at_s": 120, "open_s": 40}, {"at_s": 700, "open_s": 40}]}} | PULLED, REST], 0.4),
    "roast": (ROAST, [{"kind": "oven", "minutes": 200, "medium_c": 170} | PULLED, REST], 0.5),
}  # fmt: skip
MEMBERS = 24


def made(name):
    piece, stages, share = CASES[name]
    plan = parse(plan_document(piece=piece, stages=stages))
    cook = run(plan, setup(plan))
    assert cook.pull_s is not None
    assert cook.pull_stage is not None
    assert cook.stages[cook.pull_stage].ended_by == "peak_core_c"
    s = setup(plan, cells=MEMBER_CELLS, refine=MEMBER_REFINE)
    e = draw_ensemble(s, plan.face_kinds, members=MEMBERS, seed=3, spreads=None, stage_s=stage_lengths(cook))
    begins = cook.stages[cook.pull_stage].start_s
    return s, e, cook, begins if share is None else share * cook.pull_s


@pytest.mark.parametrize("name", CASES)
def test_members_that_go_on_are_those_run_from_the_beginning(name):
    """The pull within 1 %, the peak within 0.15 K; curves within what straight lines between a dozen moments a stage leave of them."""
    s, e, cook, now = made(name)
    t = np.unique(np.append(np.linspace(0.0, float(cook.t[-1]), 60), now))
    whole = run_ensemble(s, e, by_clock(s.schedule, stage_lengths(cook)), t, 1)
    pull = solve_pulls(s, e, cook.pull_stage, cook, 1)
    told, found = run_onward(s, e, cook, now, cook.pull_stage, t, pulls=True, threads=1)
    assert found == pytest.approx(pull, rel=0.01)
    assert np.abs(told.core - whole.core).max() < 0.6
    assert np.abs(told.mean - whole.mean).max() < 0.6
    assert told.peak == pytest.approx(whole.peak, abs=0.15)
    assert told.end_s == pytest.approx(whole.end_s, abs=1e-6)


def test_without_a_pull_none_is_solved():
    """Only what the clock makes of it."""
    s, e, cook, now = made("bath")
    told, found = run_onward(s, e, cook, now, 0, np.array([0.0, now]), pulls=False)
    assert found.size == 0
    assert np.isfinite(told.peak).all()


def test_what_heats_goes_on_as_it_has_become():
    """A settling medium is as much nearer to its own temperature as the time that has gone takes it; the plan keeps its faces."""
    _s, e, _, _ = made("settling")
    kept = e.members.faces.copy()
    faces = going_on(e.members.faces, 480.0)
    assert faces["off_k"][0, 0, 0] == pytest.approx((110 - 170) * np.exp(-1.0), rel=1e-9)
    assert (faces["carries"][:, 0] == 1.0).all()
    assert (faces["off_k"][:, 1] == kept["off_k"][:, 1]).all()
    assert (e.members.faces == kept).all()
