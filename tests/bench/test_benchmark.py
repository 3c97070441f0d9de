"""The reference that the speed is measured against computes what the core does."""

from __future__ import annotations

import numpy as np
from tools.benchmark import Reference, food_plan

from ember_core.heat.cook import run
from ember_core.heat.ensemble.forecast import MEMBER_CELLS
from ember_core.heat.setup import setup


def test_rates_in_python_are_those_compiled():
    """A cold wet piece in its oven, its outside warmed, 30 s on: conduction, the oven's air, and the face's balance, solved to a share of 1e-4."""
    s = setup(food_plan(), cells=MEMBER_CELLS)
    written, compiled = Reference(s, 1e-2, False), Reference(s, 1e-2, True)
    x = written.start.copy()
    n = written.grid.n
    x[n - 5 : n] += np.linspace(0.0, 0.2, 5) * x[n - 5 : n]
    x[n:] = 0.02, 0.05
    faces = s.schedule.faces[1]
    assert faces[1].leak > 0
    rate = written.rate(30.0, x, faces)
    assert np.all(rate[n - 5 :] != 0)  # steam of the oven's air condenses on the cold face
    np.testing.assert_allclose(compiled.rate(30.0, x, faces), rate, rtol=5e-4)


def test_the_reference_pulls_when_the_core_does():
    """Within the 5 s to which the reference looks for it."""
    plan = food_plan()
    assert abs(Reference(setup(plan), 1e-3, True).pull() - run(plan, setup(plan)).pull_s) < 10.0
