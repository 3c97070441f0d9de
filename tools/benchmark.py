"""Ratios of the core's speed to a reference solver, measured in one run.

The reference integrates the same finite volumes with SciPy's LSODA (banded Jacobian): one linear
run of 40 cells to 0.01 °C, and one member of the ensemble with drying and its pull solved.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable, Sequence
from functools import partial
from itertools import product
from types import FunctionType
from typing import Any, TypeVar, cast

import numpy as np
from numba.core.registry import CPUDispatcher
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from ember_core.constants import VAPOUR_GAS_CONSTANT
from ember_core.eggs.question import YOLK_WORDS, EggQuestion
from ember_core.formats.plan import parse
from ember_core.heat.arrays import Array
from ember_core.heat.cook import run
from ember_core.heat.ensemble.forecast import MEMBER_CELLS, MEMBER_TOLERANCE_K, forecast
from ember_core.heat.ensemble.learning import Learner
from ember_core.heat.geometry.grid import Grid
from ember_core.heat.setup import Setup, body_of, case_of, empty_record, setup, start_state
from ember_core.heat.solver.compiled import entry, plain
from ember_core.heat.solver.ending import UNTIL_PEAK
from ember_core.heat.solver.line_rates import Cells, Line, line_of, new_cells, rates
from ember_core.heat.solver.oven_air import AIR_K
from ember_core.heat.solver.schedule import run_cook
from ember_core.heat.solver.surface import medium_at, surface_balance
from ember_core.heat.solver.types import SKIN, Body, Rows
from ember_core.plan.plan import Plan
from ember_core.planning.sharing import shared

CELLS = 40
ACCURACY_K = 0.01
F = TypeVar("F", bound=Callable[..., Any])


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
    """Temperatures at the end by LSODA on the same cells (half a slab); all faces plain convection."""
    assert isinstance(s.grid, Grid)
    assert s.grid.mirrored
    grid, k, rho_c = s.grid, float(s.table.conductivity[0]), s.table.c_ref
    inner = k * grid.area[1:-1] / (grid.spacing[1:-1] * s.length)
    scale = 1.0 / (grid.volume * s.length * rho_c)
    wb = grid.surface_b
    k_l = k / s.length
    temperature = np.full(grid.n, s.start_c)
    for stage in range(s.schedule.duration.size):
        hb, tb = s.schedule.faces[stage, 1].h, s.schedule.faces[stage, 1].medium_c

        def rate(_t: float, x: Array, hb: float = hb, tb: float = tb) -> Array:
            flux = inner * np.diff(x)
            out = np.zeros_like(x)
            out[:-1] += flux
            out[1:] -= flux
            sb = (hb * tb + k_l * (wb[1] * x[-1] - wb[2] * x[-2])) / (hb + k_l * wb[0])
            out[-1] += hb * (tb - sb)
            return out * scale

        solved = solve_ivp(
            rate,
            (0.0, float(s.schedule.duration[stage])),
            temperature,
            method="LSODA",
            rtol=1e-6,
            atol=tol,
            lband=1,
            uband=1,
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
                {"kind": "oven", "minutes": minutes, "medium_c": 110, "support": "rack", "until": {"peak_core_c": 56}},
                {"kind": "rest", "minutes": 40, "cover": "wrapped"},
                {"kind": "hold", "minutes": 60, "medium_c": 58},
            ],
        }
    )


def slab_plan() -> Plan:
    """Four stages over six hours by the clock, a food's own properties, drying."""
    stages = food_plan().document["stages"]
    oven = {"kind": "oven", "minutes": 230, "medium_c": 110, "support": "rack"}
    return parse({**food_plan().document, "stages": [stages[0], oven, *stages[2:]]})


def long_plan(hours: float) -> Plan:
    """A bath of ``hours`` and a rest, to see that cost does not follow the length."""
    return parse(
        {
            "format": "open-ember.plan/1",
            "piece": {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 40}, "start_c": 5},
            "stages": [{"kind": "bath", "minutes": 60 * hours, "medium_c": 62}, {"kind": "rest", "minutes": 20}],
        }
    )


def mesh_plan(kind: str, pan: bool = False) -> Plan:
    """A finite shape in the oven, or in a pan on one face and then the other before it; and its rest."""
    sear = [
        {"kind": "pan", "minutes": 2, "faces": {"a": {"medium_c": 200}}},
        {"kind": "pan", "minutes": 2, "faces": {"b": {"medium_c": 200}}},
    ]
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
            "stages": [
                *(sear if pan else []),
                {"kind": "oven", "minutes": 50, "medium_c": 160, "support": "rack"},
                {"kind": "rest", "minutes": 15},
            ],
        }
    )


def in_python(function: F) -> F:
    """A compiled function as the Python it was written in, with all that it calls."""
    written = plain(function)
    names = vars(sys.modules[written.__module__])
    called = {n: in_python(names[n]) for n in written.__code__.co_names if isinstance(names.get(n), CPUDispatcher)}
    return cast(F, FunctionType(written.__code__, names | called, written.__name__, written.__defaults__))


balance_in_python, medium_in_python = in_python(surface_balance), in_python(medium_at)


@entry
def rates_here(
    y: Array, w: Array, shed: Array, t: float, faces: Rows, line: Line, cells: Cells, f: Array, skin: Rows, share: float
) -> float:
    """The solver's rates, for Python."""
    return rates(y, w, shed, t, faces, line, cells, f, skin, share, 0.0)


class Reference:
    """The same enthalpy equations on the same cells, integrated by LSODA; the right-hand side compiled, or NumPy and plain Python."""

    def __init__(self, s: Setup, tol: float, compiled: bool) -> None:
        assert isinstance(s.grid, Grid)
        body = body_of(s)
        assert isinstance(body, Body)
        self.s, self.grid, self.body, self.compiled = s, s.grid, body, compiled
        assert s.grid.closed_a  # one face: what has evaporated from it is the last unknown
        n = s.grid.n
        self.tol = np.append(np.full(n, tol * body.c_wet), [0.01 * tol, tol / AIR_K])
        y = start_state(s, s.start_c)
        self.start, self.water = np.append(y[:n], [0.0, 0.0]), y[n : 2 * n].copy()
        self.per_volume = 1.0 / (s.grid.volume.sum() * body.length)
        self.levels = body.h0 + body.dh * np.arange(body.temperature.size)
        self.line = plain(line_of)(s.grid, body)
        self.scratch = plain(new_cells)(n), np.empty(n), np.zeros(2, SKIN), np.zeros(2)
        self.scratch[2]["t_c"] = s.start_c

    def rate(self, t: float, x: Array, faces: Rows) -> Array:
        """Rate of change of the enthalpies, W/m³, of what has evaporated, kg/m², and of the vapour's share of an oven's air."""
        grid, body = self.grid, self.body
        n = grid.n
        if self.compiled:
            cells, f, skin, shed = self.scratch
            shed[1] = x[n]
            rates_here(x[:n], self.water, shed, t, faces, self.line, cells, f, skin, x[n + 1])
            return np.append(f, [skin[1].evaporation, self.filling(t, x[n + 1], skin[1].evaporation, faces)])
        cell = np.interp(x[:n], self.levels, body.temperature)
        k = np.interp(x[:n], self.levels, body.conductivity)
        flux = 0.5 * (k[1:] + k[:-1]) * grid.area[1:-1] / (grid.spacing[1:-1] * body.length) * np.diff(cell)
        out = np.zeros_like(x)
        out[: n - 1] += flux
        out[1:n] -= flux
        face = np.zeros(1, SKIN)[0]
        face.t_c = 1.5 * cell[-1] - 0.5 * cell[-2]
        balance_in_python(
            faces[1],
            t,
            x[n],
            False,
            body.boil_c,
            body.m0,
            k[-1] / body.length,
            grid.surface_b,
            cell[-1],
            cell[-2],
            cell[-1],
            x[n + 1],
            0.0,
            face,
        )
        out[n - 1] += face.flux
        out[:n] /= grid.volume * body.length
        out[n:] = face.evaporation, self.filling(t, x[n + 1], face.evaporation, faces)
        return out

    def filling(self, t: float, share: float, evaporation: float, faces: Rows) -> float:
        """Rate of the vapour's share of an oven's air, 1/s."""
        leak, pressure = faces[1].leak, faces[1].pressure_pa
        if leak == 0.0:
            return -share
        gas = VAPOUR_GAS_CONSTANT * (medium_in_python(faces[1], t) + 273.15) / pressure
        given = faces[1].food_m3 * gas * evaporation * self.grid.area[-1] * self.per_volume
        return float(leak * (faces[1].vapour_pa / pressure - share) + given * (1.0 - share))

    def stage(self, k: int, h: Array, seconds: float, dense: bool = False) -> Any:
        """Integrate stage ``k`` for ``seconds`` from the enthalpies ``h``."""
        faces = self.s.schedule.faces[k]
        if faces[1].leak > 0.0:  # a fresh oven holds the kitchen's vapour
            h = np.append(h[:-1], faces[1].vapour_pa / faces[1].pressure_pa)
        return solve_ivp(
            lambda t, x: self.rate(t, x, faces), (0.0, seconds), h, method="LSODA", rtol=1e-6, atol=self.tol,
            lband=3, uband=2, dense_output=dense,
        )  # fmt: skip

    def core(self, h: Array) -> Array:
        """Core of enthalpies (cells × times), °C."""
        return np.asarray(self.grid.core @ np.interp(h[: self.grid.n], self.levels, self.body.temperature))

    def pull(self) -> float:
        """End (s) of the one solved stage, found as the core does it: one run, then only the coast again, by brentq."""
        s = self.s.schedule
        at = int(np.flatnonzero(s.until == UNTIL_PEAK)[0])
        h = self.start
        for k in range(at):
            h = self.stage(k, h, float(s.duration[k])).y[:, -1]
        wanted = float(s.value[at])
        heated = self.stage(at, h, float(s.duration[at]), dense=True)
        last = heated.t[np.argmax(self.core(heated.y) >= wanted)]

        def off(x: float) -> float:
            begin = heated.sol(x)
            best = float(self.core(begin))
            for k in range(at + 1, s.duration.size):
                coast = self.stage(k, begin, float(s.duration[k]))
                best, begin = max(best, float(self.core(coast.y).max())), coast.y[:, -1]
            return best - wanted

        return float(s.duration[:at].sum() + brentq(off, 0.8 * last, last, xtol=5.0))


def best_of(call: Callable[[], Any], repeats: int) -> float:
    """Shortest of several runs, s."""
    times = []
    for _ in range(repeats):
        begin = time.perf_counter()
        call()
        times.append(time.perf_counter() - begin)
    return min(times)


def best_of_each(calls: Sequence[Callable[[], Any]], repeats: int) -> list[float]:
    """Shortest run of each call, s; they take turns, so that a machine's slow spell meets them alike."""
    return [min(times) for times in zip(*([best_of(call, 1) for call in calls] for _ in range(repeats)), strict=True)]


def ensemble_bench(members: int = 256) -> dict[str, Any]:
    """256 members with the pull solved and evaporation on, against LSODA on one member's stages."""
    plan = food_plan()
    cook = run(plan, setup(plan))
    s = setup(plan, cells=MEMBER_CELLS)
    kinds = plan.face_kinds

    def ours(count: int, threads: int) -> Callable[[], Any]:
        return lambda: forecast(
            s, kinds, members=count, end_s=float(cook.t[-1]), pull_stage=1, nominal_cook=cook, threads=threads
        )

    true_s = Reference(s, 1e-4, True).pull()
    slow, quick = Reference(s, MEMBER_TOLERANCE_K, False), Reference(s, MEMBER_TOLERANCE_K, True)
    numpy_s, compiled_s = best_of(slow.pull, 2), best_of(quick.pull, 3)
    one, two, half = best_of_each([ours(members, 1), ours(members, 2), ours(members // 2, 1)], 8)
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
        "reference": "LSODA, banded Jacobian, same cells and tolerance, the pull solved with brentq to 5 s from one run of "
        "the oven and the coasts again; 1 thread, one member's time times the members; right-hand sides: NumPy with the surface balance in Python, and compiled",
        "pull_error_s": {
            "core": round((run(plan, s, tol=MEMBER_TOLERANCE_K).pull_s or 0.0) - true_s, 1),
            "reference": round(quick.pull() - true_s, 1),
        },
        "ratio_numpy": round(numpy_s * members / two, 1),
        "ratio_compiled": round(compiled_s * members / two, 1),
        "ratio_numpy_1_thread": round(numpy_s * members / one, 1),
        "ratio_compiled_1_thread": round(compiled_s * members / one, 1),
    }


EGG_WATERS: dict[str, dict[str, Any]] = {
    "boiling water": {},
    "from cold water": {"water": "cold", "count": 6, "litres": 2.0, "power_w": 1500.0},
    "bath": {"water": "bath", "water_c": 66.0},
}


def egg_times() -> dict[str, float]:
    """The longest that the time of a hen's egg takes to find, ms by water, over all that a yolk can be, stopped in ice and not."""
    calls = []
    for water, more in EGG_WATERS.items():
        for yolk, stop in product(YOLK_WORDS, ("ice", "plate")):
            plan = parse(EggQuestion(yolk=yolk, stop=stop, **more).document())
            calls.append((water, partial(run, plan, setup(plan))))
    times = best_of_each([call for _, call in calls], 20)
    slowest = dict.fromkeys(EGG_WATERS, 0.0)
    for (water, _), best in zip(calls, times, strict=True):
        slowest[water] = max(slowest[water], round(best * 1e3, 1))
    return slowest


def pan_plan(coupled: bool) -> Plan:
    """A steak of 28 mm seared on both sides, in a pan that it cools or that keeps its heat, and its rest."""
    sear = [{"kind": "pan", "minutes": 3, "faces": {face: {"medium_c": 220}}} for face in "ab"]
    store = {"kind": "pan", "mass_kg": 2.0, "material": "steel", "power_w": 2000, "set_c": 220, "pieces": 2}
    piece = {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 28}, "start_c": 5, "mass_g": 250}
    stages = [*({**x, "store": store} if coupled else x for x in sear), {"kind": "rest", "minutes": 6}]
    return parse({"format": "open-ember.plan/1", "piece": piece, "stages": stages})


def four_pieces_plan() -> Plan:
    """Four unlike slabs in one oven, each to its own core."""
    beside = [("halibut", 25, 180, 50), ("chicken-breast", 30, 200, 68), ("pork-loin", 35, 300, 62)]
    also = [
        {
            "piece": {"food": f, "shape": {"kind": "slab", "thickness_mm": mm}, "start_c": 5, "mass_g": g},
            "target": {"core_c": c},
        }
        for f, mm, g, c in beside
    ]
    piece = {"food": "beef-lean", "shape": {"kind": "slab", "thickness_mm": 45}, "start_c": 5, "mass_g": 600}
    oven = {"kind": "oven", "minutes": 150, "medium_c": 150, "store": {"kind": "oven"}, "until": {"peak_core_c": 55}}
    stages = [oven | {"also": also}, {"kind": "rest", "minutes": 8}]
    return parse({"format": "open-ember.plan/1", "piece": piece, "target": {"core_c": 55}, "stages": stages})


def answers() -> dict[str, Any]:
    """What media that answer back and eggs cost, ms, with all that is found of them."""
    plans = [pan_plan(False), pan_plan(True)]
    made = [setup(p) for p in plans]
    four = four_pieces_plan()
    alone_s, coupled_s, four_s = best_of_each(
        [*(partial(run, p, x) for p, x in zip(plans, made, strict=True)), partial(shared, four, {}, None)], 20
    )
    return {
        "crusted_pan_ms": round(alone_s * 1e3, 2),
        "crusted_pan_that_cools_ms": round(coupled_s * 1e3, 2),
        "four_unlike_in_an_oven_ms": round(four_s * 1e3, 1),
        "egg_ms": egg_times(),
    }


def bench() -> dict[str, Any]:
    """Measure, in one run, the core against the reference; times in ms are of this machine."""
    plan = linear_plan()
    s = setup(plan, cells=CELLS)
    body = body_of(s)
    record = empty_record(4000, CELLS)
    ends, why = np.zeros(4), np.zeros(4, dtype=np.int64)
    case = case_of(s, body, ACCURACY_K, record)

    def core_run() -> Array:
        y = start_state(s, s.start_c)
        record.tally[0].rows = record.tally[0].work = 0
        run_cook(y, s.schedule, case, 0.0, record, np.empty(0), ends, why)
        return y[: s.grid.n] / s.table.c_ref

    ours = core_run()
    theirs = reference(s, 1e-3)
    fine = reference(s, 1e-6)
    core_s = best_of(core_run, 30)
    reference_s = best_of(lambda: reference(s, 1e-3), 3)
    nominal_s = best_of(lambda: run(plan, setup(plan)), 20)
    food = food_plan()
    made = setup(food)
    slab = slab_plan()
    slab_made = setup(slab)
    hour, days = long_plan(1), long_plan(48)
    hour_made, days_made = setup(hour), setup(days)
    hour_s, days_s = best_of_each([lambda: run(hour, hour_made), lambda: run(days, days_made)], 15)
    pieces = [(k, False) for k in ("box", "cylinder", "ellipsoid", "egg")]
    pieces += [(k, True) for k in ("box", "cylinder", "ellipsoid")]
    shaped = [mesh_plan(kind, pan) for kind, pan in pieces]
    times = best_of_each([partial(run, p, setup(p)) for p in shaped], 40)
    meshes = {
        f"{kind} seared first" if pan else kind: round(best * 1e3, 1)
        for (kind, pan), best in zip(pieces, times, strict=True)
    }
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
        "slab_plan_ms": round(best_of(lambda: run(slab, slab_made), 20) * 1e3, 3),
        "slab_plan": "slab 70 mm, variable properties, drying, four stages over 6 h by the clock, 80 cells, with samples recorded",
        "food_plan_ms": round(best_of(lambda: run(food, made), 10) * 1e3, 3),
        "food_plan": "slab 70 mm, variable properties, drying, pull solved, four stages, 80 cells, with samples recorded",
        "mesh_ms": meshes,
        "mesh": "oven 50 min and rest, with drying, fixed stages; first use of a shape adds its mesh",
        "cost_48h_over_1h": round(days_s / hour_s, 2),
        "ensemble": ensemble_bench(),
        "answers": answers(),
    }


if __name__ == "__main__":
    print(json.dumps(bench(), ensure_ascii=False))
