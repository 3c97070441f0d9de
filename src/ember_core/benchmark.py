"""Ratios of the core's speed to a reference solver, measured in one run.

The reference integrates the same 40 finite volumes with SciPy's LSODA (banded Jacobian), a
vectorised NumPy right-hand side, to 0.01 °C.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import Any

import numpy as np
from scipy.integrate import solve_ivp

from ember_core.formats.plan import Plan, parse
from ember_core.heat.cook import Setup, body_of, empty_record, run, setup, start_state
from ember_core.heat.kernel import F_H, F_TINF, Array, Grid
from ember_core.heat.program import run_cook

CELLS = 40
ACCURACY_K = 0.01


def linear_plan() -> Plan:
    """Four stages over six hours, constant properties, plain convection."""
    surface = {"h_w_m2k": 95, "emissivity": 0, "wet": False}
    air = {"h_w_m2k": 10, "emissivity": 0, "wet": False}
    return parse(
        {
            "format": "open-ember.plan/1",
            "piece": {
                "properties": {"conductivity_w_mk": 0.5, "density_kg_m3": 1060, "specific_heat_j_kgk": 3500},
                "shape": {"kind": "slab", "thickness_mm": 40},
                "start_c": 4,
            },
            "stages": [
                {"kind": "bath", "minutes": 240, "medium_c": 58, "surface": surface},
                {"kind": "rest", "minutes": 30, "surface": air, "medium_c": 22},
                {"kind": "pan", "minutes": 2, "medium_c": 220, "surface": {"h_w_m2k": 400}},
                {"kind": "rest", "minutes": 88, "surface": air, "medium_c": 22},
            ],
        }
    )


def reference(s: Setup, tol: float) -> Array:
    """Core temperature at the end by LSODA on the same cells; all faces plain convection."""
    assert isinstance(s.grid, Grid)
    grid, k, rho_c = s.grid, float(s.table.conductivity[0]), s.table.c_ref
    inner = k * grid.area[1:-1] / (grid.spacing[1:-1] * s.length)
    scale = 1.0 / (grid.volume * s.length * rho_c)
    wa, wb = grid.surface_a, grid.surface_b
    k_l = k / s.length
    temperature = np.full(grid.n, s.start_c)
    for stage in range(s.duration.size):
        (ha, ta), (hb, tb) = ((s.faces[stage, j, F_H], s.faces[stage, j, F_TINF]) for j in (0, 1))

        def rate(_t: float, x: Array, ha: float = ha, ta: float = ta, hb: float = hb, tb: float = tb) -> Array:
            flux = inner * np.diff(x)
            out = np.zeros_like(x)
            out[:-1] += flux
            out[1:] -= flux
            sa = (ha * ta + k_l * (wa[1] * x[0] - wa[2] * x[1])) / (ha + k_l * wa[0])
            sb = (hb * tb + k_l * (wb[1] * x[-1] - wb[2] * x[-2])) / (hb + k_l * wb[0])
            out[0] += ha * (ta - sa)
            out[-1] += hb * (tb - sb)
            return out * scale

        solved = solve_ivp(
            rate, (0.0, float(s.duration[stage])), temperature, method="LSODA", rtol=1e-6, atol=tol, lband=1, uband=1
        )
        temperature = solved.y[:, -1]
    return temperature


def best_of(call: Callable[[], Any], repeats: int) -> float:
    """Shortest of several runs, s."""
    times = []
    for _ in range(repeats):
        begin = time.perf_counter()
        call()
        times.append(time.perf_counter() - begin)
    return min(times)


def bench() -> dict[str, Any]:
    """Measure, in one run, the core against the reference; times in ms are of this machine."""
    plan = linear_plan()
    s = setup(plan, cells=CELLS)
    body = body_of(s)
    record = empty_record(4000, CELLS)
    ends, why = np.zeros(4), np.zeros(4, dtype=np.int64)

    def core_run() -> Array:
        y = start_state(s, s.start_c)
        record.filled[:] = 0
        run_cook(
            y,
            s.duration,
            s.faces,
            s.until,
            s.value,
            s.grid,
            body,
            s.criterion,
            ACCURACY_K,
            False,
            record,
            np.empty(0),
            ends,
            why,
            np.empty((0, 0)),
        )
        return y[:CELLS] / s.table.c_ref

    ours = core_run()
    theirs = reference(s, 1e-3)
    fine = reference(s, 1e-6)
    core_s = best_of(core_run, 30)
    reference_s = best_of(lambda: reference(s, 1e-3), 3)
    nominal_s = best_of(lambda: run(plan, setup(plan)), 20)
    return {
        "case": "slab 40 mm, four stages, 6 h, constant properties, plain convection",
        "cells": CELLS,
        "accuracy_k": {
            "core": round(float(np.abs(ours - fine).max()), 4),
            "reference": round(float(np.abs(theirs - fine).max()), 4),
        },
        "reference": "scipy LSODA, banded Jacobian, vectorised NumPy right-hand side, 1 thread",
        "core_ms": round(core_s * 1e3, 3),
        "reference_ms": round(reference_s * 1e3, 3),
        "ratio": round(reference_s / core_s, 1),
        "nominal_plan_ms": round(nominal_s * 1e3, 3),
        "nominal_plan": "the same plan through the plan format's run, 80 cells, 0.002 °C, with samples recorded",
    }
