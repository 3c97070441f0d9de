"""Numerics of the one-dimensional solver against references: its tridiagonal systems, cells that boil, steps at a front."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.linalg import solve_banded

from ember_core.formats.plan import parse
from ember_core.heat.cook import run
from ember_core.heat.setup import body_of, setup
from ember_core.heat.solver.cells import temperature_at
from ember_core.heat.solver.compiled import entry, plain
from ember_core.heat.solver.line_rates import Cells
from ember_core.heat.solver.surface import surface_balance
from ember_core.heat.solver.tridiagonal import factor, solve
from ember_core.heat.solver.types import SKIN
from tests.conftest import plan_document

CRUSTED = plan_document(
    piece={"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 28}, "start_c": 5, "mass_g": 250},
    stages=[
        {"kind": "pan", "minutes": 3, "faces": {"a": {"medium_c": 220}}},
        {"kind": "pan", "minutes": 3, "faces": {"b": {"medium_c": 220}}},
        {"kind": "rest", "minutes": 6},
    ],
)
STORE = {"kind": "pan", "mass_kg": 2.0, "material": "steel", "power_w": 2000, "set_c": 220, "pieces": 2}


@entry
def solved(beta, low, middle, high, rhs):  # type: ignore[no-untyped-def]  # numba reads the names, not types
    """(I − beta J) x = rhs with the solver's own factors."""
    n = rhs.size
    none = np.zeros(0)
    factors, x = np.empty((4, n)), np.empty(n)
    factor(beta, Cells(none, none, none, low, middle, high), factors)
    solve(rhs, factors, x)
    return x


@settings(deadline=None)  # the first call compiles
@given(st.integers(3, 90), st.floats(0.0, 50.0), st.integers(0, 10_000))
def test_tridiagonal_systems_are_solved_as_a_library_does(n, beta, seed):
    """SciPy's banded solver, for even and odd counts, on couplings as conduction makes them."""
    rng = np.random.default_rng(seed)
    low, high = rng.random(n), rng.random(n)
    low[0] = high[-1] = 0.0
    middle = -(low + high) * (1.0 + rng.random(n))
    rhs = rng.standard_normal(n)
    bands = np.zeros((3, n))
    bands[0, 1:], bands[1], bands[2, :-1] = -beta * high[:-1], 1.0 - beta * middle, -beta * low[1:]
    assert solved(beta, low, middle, high, rhs) == pytest.approx(solve_banded((1, 1), bands, rhs), rel=1e-9, abs=1e-12)


def test_a_cell_that_boils_knows_no_jump_when_its_steam_is_taken_out():
    """The same temperature and conductivity with the excess in it as with that much water less; dry at last."""
    s = setup(parse(CRUSTED))
    body, latent = body_of(s), 2.257e6
    for share in (0.1, 0.5, 0.9):
        gone = share * body.water
        whole = plain(temperature_at)(body.boil_h + gone * latent, body.water, body)
        taken = plain(temperature_at)(body.boil_h + 1e-6, body.water - gone, body)
        assert whole[0] == pytest.approx(taken[0], abs=1e-9)
        assert whole[2] == pytest.approx(taken[2], rel=2e-3)
    beyond = plain(temperature_at)(body.boil_h + 1.001 * body.water * latent, body.water, body)
    assert beyond[2] == pytest.approx(body.k_dry, rel=1e-9)


@lru_cache(maxsize=4)
def crusted(store, tol=None):
    stages = [dict(x, store=STORE) if store and x["kind"] == "pan" else x for x in CRUSTED["stages"]]
    plan = parse({**CRUSTED, "stages": stages})
    return run(plan, setup(plan), tol=tol, budget_s=None)


@pytest.mark.parametrize("store", [False, True])
def test_a_crust_is_followed_as_by_steps_a_hundred_times_finer(store):
    """Core, mean, water lost and the field at each stage's end against the same grid at a tolerance of 0.0005 K."""
    found, true = crusted(store), crusted(store, 5e-4)
    assert found.t.size < 0.3 * true.t.size
    assert np.abs(np.interp(true.t, found.t, found.core) - true.core).max() < 0.01
    assert np.abs(np.interp(true.t, found.t, found.mean) - true.mean).max() < 0.06
    assert found.evaporated == pytest.approx(true.evaporated, rel=5e-4)
    for a, b in zip(found.stages, true.stages, strict=True):
        assert np.abs(found.field[found.at(a.end_s)] - true.field[true.at(b.end_s)]).max() < 0.1


@entry
def balanced(face, shed, t1, t2, begin_c, out):  # type: ignore[no-untyped-def]  # as above
    """One face's balance from a guess of its temperature, °C."""
    out[0].t_c = begin_c
    surface_balance(
        face[0], 0.0, shed, False, 100.0, 0.4, 0.5 / 0.03, np.array([60.0, 90.0, 30.0]), t1, t2, t1, 0.02, 0.0, out[0]
    )


@settings(deadline=None)  # the first call compiles
@given(st.floats(5.0, 95.0), st.floats(-2.0, 2.0), st.floats(-6.0, 6.0), st.floats(0.0, 1.0))
def test_a_wet_face_is_balanced_alike_from_any_near_guess(t1, step, guess, shed):
    """Heat in by convection and radiation less evaporation is what is conducted on, whatever the iteration began from."""
    face = (
        setup(parse(plan_document(stages=[{"kind": "oven", "minutes": 9, "medium_c": 160}])))
        .schedule.faces[0, :1]
        .copy()
    )
    found, exact = np.zeros(1, SKIN), np.zeros(1, SKIN)
    balanced(face, shed, t1, t1 - step, t1 + 20.0, exact)
    for _ in range(8):
        balanced(face, shed, t1, t1 - step, float(exact["t_c"][0]), exact)
    balanced(face, shed, t1, t1 - step, float(exact["t_c"][0]) + guess, found)
    assert found["t_c"][0] == pytest.approx(exact["t_c"][0], abs=1e-3)
    assert found["flux"][0] == pytest.approx(exact["flux"][0], rel=1e-3, abs=1.0)
    assert found["evaporation"][0] == pytest.approx(exact["evaporation"][0], rel=1e-3, abs=1e-7)
