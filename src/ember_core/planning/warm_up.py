"""Compiles the solver by computing small plans; run at set-up and at start, never in a request."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from typing import Any

import numpy as np
from numba.core import event

from ember_core.doneness.outside import outside
from ember_core.errors import EmberError
from ember_core.formats.plan import FORMAT, parse
from ember_core.heat.cook import run
from ember_core.heat.ensemble.draw import draw_ensemble
from ember_core.heat.ensemble.forecast import forecast
from ember_core.heat.setup import body_of, case_of, empty_record, setup
from ember_core.heat.solver.members import pull_members
from ember_core.heat.solver.mesh_stage import MESH_STAGE
from ember_core.plan.plan import Plan
from ember_core.planning.compute import compute

REST = {"kind": "rest", "minutes": 5}
PIECES = {
    "line": (
        {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 20}, "start_c": 4},
        "pan",
        {"medium_c": 200},
    ),
    "mesh": ({"food": "egg-whole", "shape": {"kind": "egg", "mass_g": 58}, "start_c": 5}, "boil", {}),
}


def plan_on(grid: str) -> Plan:
    """A plan with everything in it that is compiled: a pull, a rule, a forecast; ``grid`` is line or mesh."""
    piece, kind, heat = PIECES[grid]
    return parse(
        {
            "format": FORMAT,
            "piece": piece,
            "stages": [{"kind": kind, "minutes": 20, "until": {"peak_core_c": 60}} | heat, REST, REST],
            "rules": "us-food-code-2022",
            "forecast": {"members": 8},
        }
    )


def _mesh_stepper() -> None:
    """What advances a piece on a mesh."""
    s = setup(plan_on("mesh"))
    case_of(s, body_of(s), 1.0, empty_record(1, s.grid.n))


def _mesh_calls() -> None:
    """What calls it: compiled around a stand-in that does nothing."""
    with MESH_STAGE.left_out(), suppress(EmberError):
        plan = plan_on("mesh")
        with suppress(EmberError):
            run(plan, setup(plan))
        forecast(setup(plan), plan.face_kinds, members=2, threads=1)
    with MESH_STAGE.left_out():
        _pulls_on("mesh")


def _pulls_on(grid: str) -> None:
    """What solves the pulls of members that are on the heat; none is run."""
    plan = plan_on(grid)
    s, record = setup(plan), empty_record(1, 0)
    e = draw_ensemble(s, plan.face_kinds, members=2, seed=1, spreads=None)
    pull_members(e.members, s.schedule, case_of(s, body_of(s), 1.0, record), record, np.empty(3), 0, 0, 0.0)


def _all_on(grid: str) -> None:
    compute(plan_on(grid))
    _pulls_on(grid)


def _skin() -> None:
    """What becomes of a bird's skin in hot air."""
    piece = {"food": "chicken-thigh", "cut": "chicken-thigh", "shape": PIECES["line"][0]["shape"], "start_c": 4}
    stages = [{"kind": "oven", "minutes": 5, "medium_c": 200}]
    plan = parse({"format": FORMAT, "piece": piece, "stages": stages})
    outside(plan, run(plan, setup(plan)))


def _line() -> None:
    _all_on("line")
    _skin()


PARTS: dict[str, Callable[[], Any]] = {
    "line": _line,
    "mesh-stepper": _mesh_stepper,
    "mesh-calls": _mesh_calls,
}


class _Counter(event.Listener):
    """Says when a function has been compiled."""

    def __init__(self, tell: Callable[[], object]) -> None:
        self.tell = tell

    def on_start(self, _event: Any) -> None:
        """Nothing."""

    def on_end(self, _event: Any) -> None:
        """One more."""
        self.tell()


def compile_all(*parts: str, tell: Callable[[], object] | None = None) -> None:
    """Compile what is not in the cache: the named ``parts``, or all that a plan needs; ``tell`` is called for each function.

    Parts are there for several processes to share the work; one that compiles nothing takes a second.
    """
    if tell is not None:
        event.register("numba:compile", _Counter(tell))
    if not parts:
        for grid in PIECES:
            _all_on(grid)
        _skin()
    for part in parts:
        PARTS[part]()
