"""Learning from readings: what must hold whatever the readings."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ember_core.errors import ValueRangeError
from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.ensemble.forecast import MEMBER_CELLS
from ember_core.heat.ensemble.learning import Learner
from ember_core.heat.setup import setup
from tests.conftest import plan_document

DOCUMENT = plan_document(
    stages=[
        {"kind": "oven", "minutes": 90, "medium_c": 160, "until": {"peak_core_c": 55}},
        {"kind": "rest", "minutes": 10},
    ]
)
KINDS = (("oven",) * 3, ("rest",) * 3)


@pytest.fixture(scope="module")
def learner():
    """A prepared ensemble and its nominal cook."""
    plan = parse(DOCUMENT)
    cook = run(plan, setup(plan))
    return Learner.prepare(setup(plan, cells=MEMBER_CELLS), KINDS, cook, members=128), cook


def spread(values):
    """Width of the 5–95 % band."""
    low, high = np.quantile(values, [0.05, 0.95])
    return high - low


def test_readings_of_the_nominal_piece_narrow_the_band_around_it(learner):
    """Told what it expects, the forecast stays where it is and becomes surer, the more so the later."""
    ahead, cook = learner
    widths = [spread(ahead.pull_s)]
    for share in (0.3, 0.6, 0.9):
        t = np.linspace(20, share * cook.pull_s, 30)
        found = ahead.update(t, np.interp(t, cook.t, cook.core))
        widths.append(spread(found.pull_s))
        assert np.median(found.pull_s) == pytest.approx(cook.pull_s, rel=0.06)
        assert found.used == 30
    assert widths == sorted(widths, reverse=True)


@pytest.mark.parametrize(("factor", "earlier"), [(1.15, True), (0.87, False)])
def test_faster_readings_mean_an_earlier_pull(learner, factor, earlier):
    """A core ahead of the plan is pulled earlier, one behind it later."""
    ahead, cook = learner
    t = np.linspace(20, 0.5 * cook.pull_s, 30)
    found = ahead.update(t, np.interp(t * factor, cook.t, cook.core))
    assert bool(np.median(found.pull_s) < np.median(ahead.pull_s)) is earlier


@settings(max_examples=40, deadline=None)
@given(
    st.lists(st.tuples(st.floats(-1e4, 1e5), st.floats(-100, 400) | st.just(float("nan"))), max_size=60), st.randoms()
)
def test_any_readings_are_borne(learner, readings, chance):
    """Late, unordered, absurd or missing readings: finite answers, the order does not matter."""
    ahead, _ = learner
    t, c = np.array([r[0] for r in readings]), np.array([r[1] for r in readings])
    first = ahead.update(t, c)
    assert np.isfinite(first.pull_s).all()
    assert (first.pull_s > 0).all()
    order = list(range(len(readings)))
    chance.shuffle(order)
    again = ahead.update(t[order], c[order])
    if len(set(t.tolist())) == len(readings):
        assert np.allclose(first.pull_s, again.pull_s, rtol=1e-6)


def test_a_probe_beside_the_piece_is_said(learner):
    """Readings of the oven's air are left out, and a finding says where to look."""
    ahead, cook = learner
    t = np.linspace(20, 0.4 * cook.pull_s, 20)
    found = ahead.update(t, np.full(20, 155.0))
    assert found.used == 0
    assert found.ignored == 20
    assert "probe" in found.findings[0]
    assert np.array_equal(found.pull_s, ahead.pull_s)


def test_without_a_pull_there_is_nothing_to_learn():
    """A plan that only cools is refused with its place."""
    plan = parse(plan_document(stages=[{"kind": "chill", "minutes": 30, "medium_c": 2}]))
    cook = run(plan, setup(plan))
    with pytest.raises(ValueRangeError, match="no pull"):
        Learner.prepare(setup(plan, cells=MEMBER_CELLS), (("chill",) * 3,), cook, members=8)


@pytest.mark.parametrize("store", [None, {"kind": "oven", "power_w": 2500}])
def test_a_thermometer_in_the_oven_tells_of_the_pull(store):
    """Truths drawn as the members are, each with an oven of its own: their pulls lie in the band, and nearer to its middle."""
    own = {} if store is None else {"store": store}
    piece = {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 40}, "start_c": 5, "mass_g": 500}
    stages = [DOCUMENT["stages"][0] | own, DOCUMENT["stages"][1]]
    plan = parse(plan_document(piece=piece, stages=stages))
    spreads = {"medium_c": 12.0, "h_ln": 0.03, "thickness_mm": 0.3, "drift_c": 0.01}  # the oven is what is in doubt
    cook, made = run(plan, setup(plan)), setup(plan, cells=MEMBER_CELLS)
    ahead = Learner.prepare(made, KINDS, cook, members=192, spreads=spreads)
    others = Learner.prepare(made, KINDS, cook, members=60, seed=91, spreads=spreads)
    rng = np.random.default_rng(5)
    t = np.linspace(60, 0.4 * cook.pull_s, 20)
    inside, before, after = 0, [], []
    for truth, medium in zip(others.pull_s, others.medium, strict=True):
        place = rng.normal(0.0, 0.4 * 5.0)
        read = np.interp(t, others.t, medium) + place + rng.normal(0.0, 0.2, t.size)
        found = ahead.update(np.empty(0), np.empty(0), t, read)
        assert found.used == t.size
        low, middle, high = np.quantile(found.pull_s, [0.05, 0.5, 0.95])
        inside += bool(low <= truth <= high)
        before.append(abs(np.median(ahead.pull_s) - truth))
        after.append(abs(middle - truth))
    assert 0.8 <= inside / len(before) <= 0.98
    assert np.median(after) < 0.55 * np.median(before)


def test_core_and_medium_are_weighed_together(learner):
    """A hotter oven with a core that keeps to the plan is believed less than one with a core that runs ahead."""
    ahead, cook = learner
    t = np.linspace(20, 0.5 * cook.pull_s, 30)
    core = np.interp(t, cook.t, cook.core)
    hot = np.full(t.size, 170.0)
    alone = np.median(ahead.update(np.empty(0), np.empty(0), t, hot).pull_s)
    both = np.median(ahead.update(t, core, t, hot).pull_s)
    assert alone < both < np.median(ahead.pull_s) * 1.02
    assert spread(ahead.update(t, core, t, hot).pull_s) < spread(ahead.update(np.empty(0), np.empty(0), t, hot).pull_s)


def test_a_medium_that_is_another_is_said_and_not_used(learner):
    ahead, _ = learner
    t = np.linspace(20, 600, 10)
    found = ahead.update(np.empty(0), np.empty(0), t, np.full(10, 90.0))
    assert (found.used, found.ignored) == (0, 10)
    assert "heat is not what the plan has" in str(found.findings[0])
    assert (found.pull_s == ahead.pull_s).all()
