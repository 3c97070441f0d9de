"""The open result format, ``open-ember.result/1``: a computed cook with its two statements."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ember_core import __version__
from ember_core.data.loader import data_version
from ember_core.doneness.outside import Outside
from ember_core.heat.cook import Cook
from ember_core.heat.egg_states import EggState
from ember_core.heat.ensemble.forecast import Forecast, quantiles
from ember_core.heat.physics.stores import same_store
from ember_core.heat.setup import store_stated
from ember_core.plan.finding import Finding
from ember_core.plan.plan import Plan
from ember_core.safety.growth import GROWS_LITTLE, growth_of
from ember_core.safety.lethality import for_food, statement
from ember_core.safety.whole_plan import Computed, Decision

FORMAT = "open-ember.result/1"

DRAW_POINTS = 400


def sample_rows(plan: Plan, cook: Cook) -> np.ndarray[Any, np.dtype[np.intp]]:
    """Indices of the samples to write: start, stage ends, report times, and enough to draw."""
    must = {0, len(cook.t) - 1}
    for moment in [s.end_s for s in cook.stages] + [t for t in plan.report_at_s if t <= cook.t[-1] + 1e-6]:
        must.add(cook.at(moment))
    last = {round(float(cook.t[i]), 3): i for i in sorted(must)}  # of moments that are written the same, the last
    must, written = set(last.values()), set(last)
    free = np.array(
        [i for i in range(len(cook.t)) if i not in must and round(float(cook.t[i]), 3) not in written], dtype=int
    )
    free = free[np.unique(cook.t[free].round(3), return_index=True)[1]] if free.size else free
    if free.size > DRAW_POINTS:
        free = free[np.linspace(0, free.size - 1, DRAW_POINTS).astype(int)]
    return np.union1d(free, sorted(must)).astype(np.intp)


MEDIUM_POINTS = 60


def _medium(plan: Plan, cook: Cook, i: int) -> dict[str, Any]:
    """The temperature of a stage's medium with a store, as ``medium``; nothing where it has none."""
    if not cook.medium.size:
        return {}
    stage, stated = cook.stages[i], store_stated(plan.stages[i])
    # what is recorded at its begin is the medium of the stage before, which may be another
    goes_on = i == 0 or same_store(store_stated(plan.stages[i - 1]), stated)
    after = cook.t >= stage.start_s if goes_on else cook.t > stage.start_s
    within = after & (cook.t <= stage.end_s) & np.isfinite(cook.medium)
    at = np.flatnonzero(within)
    if at.size < 2:
        return {}
    at = at[np.unique(np.linspace(0, at.size - 1, min(at.size, MEDIUM_POINTS)).astype(int))]
    return {"medium": [[round(float(cook.t[i]), 3), round(float(cook.medium[i]), 3)] for i in at]}


@dataclass(frozen=True, eq=False)
class PlanResult:
    """A computed plan: what was cooked, what the rules decided, and what else is said of it.

    Attributes
    ----------
    computed : Computed
    decision : Decision
    findings : tuple of Finding
        All of them, in the order in which they are said.
    ahead : Forecast or None
    egg : EggState or None
        Of an egg in its shell.
    outside : Outside or None
        Colour, crust and loss; None where they say nothing.
    shrinking : dict or None
        What a piece does that draws together; None where it was not looked at, or is too little to tell.
    also : tuple of (PlanResult, float)
        Other pieces in its medium, and when each is laid in, s.
    """

    computed: Computed
    decision: Decision
    findings: tuple[Finding, ...]
    ahead: Forecast | None = None
    egg: EggState | None = None
    outside: Outside | None = None
    shrinking: dict[str, Any] | None = None
    also: tuple[tuple[PlanResult, float], ...] = ()

    @property
    def plan(self) -> Plan:
        """What was asked."""
        return self.computed.piece.plan

    @property
    def cook(self) -> Cook:
        """Its nominal cook."""
        return self.computed.piece.cook


def _coast(cook: Cook) -> dict[str, float] | None:
    if cook.pull_stage is None:
        return None
    pull = cook.stages[cook.pull_stage]
    after = cook.t >= pull.end_s - 1e-6
    top = max(float(cook.core[after].max()), cook.peak_core_c if cook.peak_t_s >= pull.end_s else -1e9)
    return {
        "pull_s": round(pull.end_s, 3),
        "pull_core_c": round(pull.core_c, 4),
        "rise_c": round(max(top - pull.core_c, 0.0), 4),
    }


def document(result: PlanResult) -> dict[str, Any]:
    """A computed plan as the result document: it only writes what was decided."""
    plan, cook, ahead, egg = result.plan, result.cook, result.ahead, result.egg
    cautious = result.computed.cautious
    worst = (cautious[0].cook.t, cautious[0].cook.everywhere) if cautious else None
    out: dict[str, Any] = {
        "format": FORMAT,
        "core_version": __version__,
        "data_version": data_version(),
        "samples": [
            {
                "t_s": round(float(cook.t[i]), 3),
                "core_c": round(float(cook.core[i]), 4),
                "mean_c": round(float(cook.mean[i]), 4),
                "surface_c": round(float(cook.surface_a[i]), 4),
                "surface_b_c": round(float(cook.surface_b[i]), 4),
            }
            | ({} if egg is None else {"yolk_edge_c": round(float(egg.edge_c[i]), 4)})
            for i in sample_rows(plan, cook)
        ],
        "stages": [
            {
                "kind": s.kind,
                "start_s": round(s.start_s, 3),
                "end_s": round(s.end_s, 3),
                "core_c": round(s.core_c, 4),
                "mean_c": round(s.mean_c, 4),
                "ended_by": s.ended_by,
            }
            | _medium(plan, cook, i)
            for i, s in enumerate(cook.stages)
        ],
        "peak": {"core_c": round(cook.peak_core_c, 4), "t_s": round(cook.peak_t_s, 3)},
        "coast": _coast(cook),
        "rule": result.decision.rule,
        "model": [statement(cook.t, cook.everywhere, o, worst) for o in for_food(plan.required.species)],
        "forecast": None
        if ahead is None
        else {
            "pull_s": quantiles(ahead.pull_s),
            "peak_core_c": quantiles(ahead.peak_core_c),
            "members": int(ahead.peak_core_c.size),
            "grid_error": {k: round(v, 4) for k, v in ahead.grid_error.items()},
        },
        "egg": None if egg is None else egg.as_dict(cook.peak_core_c),
        "findings": [f.as_dict() for f in result.findings],
    }
    if result.outside is not None:
        out["outside"] = result.outside.as_dict()
        if result.shrinking is not None:
            out["outside"]["shrinking"] = result.shrinking
    if plan.properties is None and plan.required.species not in GROWS_LITTLE:
        out["growth"] = growth_of(cook).as_dict()
    if result.decision.parts is not None:
        out["parts"] = result.decision.parts
    if result.also:
        out["also"] = [document(one) | {"x-in-s": round(in_s, 3)} for one, in_s in result.also]
    return out
