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
from ember_core.heat.forecast import MEMBER_CELLS, MEMBER_TOLERANCE_K, forecast
from ember_core.heat.kernel import F_H, F_TINF, Array, Body, Grid, evaluate, surface_balance
from ember_core.heat.learning import Learner
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


def food_plan(minutes: float = 400.0) -> Plan:
    """Four stages over about six hours with a food's own properties, drying and a solved pull."""
    return parse(
        {
            "format": "open-ember.plan/1",
            "piece": {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 70}, "start_c": 5},
            "stages": [
                {"kind": "rest", "minutes": 30},
                {"kind": "oven", "minutes": minutes, "medium_c": 110, "until": {"peak_core_c": 56}},
                {"kind": "rest", "minutes": 40, "cover": "wrapped"},
                {"kind": "hold", "minutes": 60, "medium_c": 58},
            ],
        }
    )


def long_plan(hours: float) -> Plan:
    """A bath of ``hours`` and a rest, to see that cost does not follow the length."""
    return parse(
        {
            "format": "open-ember.plan/1",
            "piece": {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 40}, "start_c": 5},
            "stages": [{"kind": "bath", "minutes": 60 * hours, "medium_c": 62}, {"kind": "rest", "minutes": 20}],
        }
    )


def mesh_plan(kind: str) -> Plan:
    """Oven and rest of a finite shape."""
    shape = {
        "box": {"kind": "box", "length_mm": 120, "width_mm": 80, "thickness_mm": 40},
        "cylinder": {"kind": "cylinder", "diameter_mm": 60, "length_mm": 50},
        "ellipsoid": {"kind": "ellipsoid", "length_mm": 120, "width_mm": 80, "thickness_mm": 60},
        "egg": {"kind": "egg", "mass_g": 58},
    }[kind]
    return parse(
        {
            "format": "open-ember.plan/1",
            "piece": {"food": "egg-whole" if kind == "egg" else "beef-lean", "shape": shape, "start_c": 5},
            "stages": [{"kind": "oven", "minutes": 50, "medium_c": 160}, {"kind": "rest", "minutes": 15}],
        }
    )


def _compiled_reference(s: Setup, tol: float, compiled: bool) -> Array:
    """The same enthalpy equations by LSODA; the right-hand side compiled, or in vectorised NumPy."""
    assert isinstance(s.grid, Grid)
    body = body_of(s)
    assert isinstance(body, Body)
    n = s.grid.n
    y = start_state(s, s.start_c)
    h, w = y[:n].copy(), y[n : 2 * n].copy()
    shed = [0.0, 0.0]
    f, temp, slope, lo, di, up = (np.empty(n) for _ in range(6))
    levels = body.h0 + body.dh * np.arange(body.temperature.size)
    grid = s.grid
    for stage in range(s.duration.size):
        faces = s.faces[stage]

        def compiled_rate(t: float, x: Array, faces: Array = faces) -> Array:
            evaluate(x, w, shed[0], shed[1], t, faces, grid, body, f, temp, slope, lo, di, up)
            return f.copy()

        def numpy_rate(t: float, x: Array, faces: Array = faces) -> Array:
            cell = np.interp(x, levels, body.temperature)
            k = np.interp(x, levels, body.conductivity)
            flux = 0.5 * (k[1:] + k[:-1]) * grid.area[1:-1] / (grid.spacing[1:-1] * body.length) * np.diff(cell)
            out = np.zeros_like(x)
            out[:-1] += flux
            out[1:] -= flux
            for side, (i, j) in enumerate(((0, 1), (-1, -2))):
                _, q, _, _, _, _ = surface_balance(
                    faces[side],
                    t,
                    shed[side],
                    False,
                    body.boil_c,
                    body.m0,
                    k[i] / body.length,
                    grid.surface_a,
                    cell[i],
                    cell[j],
                )
                out[i] += q
            return np.asarray(out / (grid.volume * body.length))

        solved = solve_ivp(
            compiled_rate if compiled else numpy_rate, (0.0, float(s.duration[stage])), h, method="LSODA", rtol=1e-6,
            atol=tol * body.c_dry, lband=1, uband=1,
        )  # fmt: skip
        h = solved.y[:, -1]
    return h


def best_of(call: Callable[[], Any], repeats: int) -> float:
    """Shortest of several runs, s."""
    times = []
    for _ in range(repeats):
        begin = time.perf_counter()
        call()
        times.append(time.perf_counter() - begin)
    return min(times)


def ensemble_bench(members: int = 256) -> dict[str, Any]:
    """256 members with the pull solved and evaporation on, against LSODA on one member's stages."""
    plan = food_plan()
    cook = run(plan, setup(plan))
    s = setup(plan, cells=MEMBER_CELLS)
    kinds = plan.face_kinds

    def ours(count: int, threads: int) -> float:
        return best_of(
            lambda: forecast(s, kinds, members=count, end_s=float(cook.t[-1]), pull_stage=1, nominal_cook=cook, threads=threads), 5
        )  # fmt: skip

    fixed = setup(
        parse({**plan.document, "stages": [
            {**x, "minutes": (o.end_s - o.start_s) / 60} if "until" not in x
            else {k: v for k, v in x.items() if k != "until"} | {"minutes": (o.end_s - o.start_s) / 60}
            for x, o in zip(plan.document["stages"], cook.stages, strict=True)
        ]}),
        cells=MEMBER_CELLS,
    )  # fmt: skip
    numpy_s = best_of(lambda: _compiled_reference(fixed, ACCURACY_K, False), 2)
    compiled_s = best_of(lambda: _compiled_reference(fixed, ACCURACY_K, True), 3)
    one, two, half = ours(members, 1), ours(members, 2), ours(members // 2, 1)
    learner = Learner.prepare(s, kinds, cook, members=members)
    t = np.linspace(60, 0.5 * (cook.pull_s or 1.0), 60)
    update_s = best_of(lambda: learner.update(t, np.interp(t, cook.t, cook.core)), 5)
    return {
        "case": "slab 70 mm of beef, oven 110 °C to a solved pull, rests and holding, evaporation and drying on",
        "members": members,
        "cells": MEMBER_CELLS,
        "member_tolerance_k": MEMBER_TOLERANCE_K,
        "ms_2_threads": round(two * 1e3, 1),
        "ms_1_thread": round(one * 1e3, 1),
        "cost_of_twice_the_members": round(one / half, 2),
        "learning_update_ms": round(update_s * 1e3, 2),
        "reference": f"LSODA, banded Jacobian, {ACCURACY_K} K, the nominal member's stages without solving the pull, 1 thread, times the members",
        "ratio_numpy": round(numpy_s * members / two, 1),
        "ratio_compiled": round(compiled_s * members / two, 1),
        "ratio_numpy_1_thread": round(numpy_s * members / one, 1),
        "ratio_compiled_1_thread": round(compiled_s * members / one, 1),
    }


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
    food = food_plan()
    made = setup(food)
    hour, days = long_plan(1), long_plan(48)
    hour_made, days_made = setup(hour), setup(days)
    meshes = {}
    for kind in ("box", "cylinder", "ellipsoid", "egg"):
        shaped = mesh_plan(kind)
        ready = setup(shaped)
        meshes[kind] = round(best_of(lambda p=shaped, r=ready: run(p, r), 5) * 1e3, 1)  # type: ignore[misc]  # bound at once
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
        "food_plan_ms": round(best_of(lambda: run(food, made), 10) * 1e3, 3),
        "food_plan": "slab 70 mm, variable properties, drying, pull solved, four stages, 80 cells, with samples recorded",
        "mesh_ms": meshes,
        "mesh": "oven 50 min and rest, with drying, fixed stages; first use of a shape adds its mesh",
        "cost_48h_over_1h": round(
            best_of(lambda: run(days, days_made), 10) / best_of(lambda: run(hour, hour_made), 10), 2
        ),
        "ensemble": ensemble_bench(),
    }
