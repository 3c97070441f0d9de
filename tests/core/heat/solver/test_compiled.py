"""Compiled code: each entry for two kinds of piece only, and functions that only compiled code calls."""

from __future__ import annotations

import numpy as np
import pytest

from ember_core.heat.solver.cells import capacity_left
from ember_core.heat.solver.compiled import Stepper, call_stepper, plain
from ember_core.heat.solver.members import pull_members, run_members
from ember_core.heat.solver.schedule import run_cook
from ember_core.heat.solver.stepping import hermite
from ember_core.heat.solver.types import State, size_of, view
from ember_core.planning.compute import compute
from ember_core.planning.warm_up import PIECES, plan_on


def test_a_plan_compiles_nothing_that_is_not_there_after_set_up():
    """A line of cells and a mesh: two signatures an entry, whatever is asked of it."""
    for grid in PIECES:
        assert compute(plan_on(grid)).forecast is not None
    assert len(run_cook.signatures) <= 2
    assert len(run_members.signatures) <= 2
    assert len(pull_members.signatures) <= 2


def test_what_only_compiled_code_calls_says_so():
    """Instead of crashing; the plain function is there for tests."""
    with pytest.raises(TypeError, match="call plain"):
        hermite(0.5, 0.0, 0.0, 1.0, 0.0, 1.0)
    assert plain(hermite)(0.5, 0.0, 0.0, 1.0, 0.0, 1.0) == 0.5
    with pytest.raises(TypeError, match="capacity_left"):
        capacity_left(1.0, None)


def test_a_stepper_is_not_called_with_what_it_was_not_compiled_for():
    """The call is refused when it is compiled, not run with other numbers."""
    from numba import njit
    from numba.core.errors import TypingError

    with pytest.raises(TypingError, match="no stepper was compiled"):
        njit(lambda at: call_stepper(at, (1.0, 2)))(0)
    assert Stepper(lambda: None)._compiled is None


@pytest.mark.parametrize(("n", "patches", "rows"), [(8, 2, 0), (80, 2, 3), (300, 120, 1)])
def test_a_state_is_views_into_one_array(n, patches, rows):
    """The parts are what they should be, do not overlap, and leave nothing out."""
    y = np.arange(size_of(n, patches, rows), dtype=float)
    state = plain(view)(y, n, patches, rows)
    assert isinstance(state, State)
    sizes = {
        "enthalpy": n,
        "water": n,
        "heat": 3,
        "shed": patches,
        "lethality": n,
        "met": n,
        "clocks": n * rows,
        "vapour": 1,
        "medium": 1,
    }
    assert {k: getattr(state, k).size for k in State._fields} == sizes
    assert np.sort(np.concatenate([part.ravel() for part in state])).tolist() == y.tolist()
    assert all(np.shares_memory(part, y) for part in state if part.size)
