"""Made-up histories of a piece, so that limits can be tried exactly, without the heat solver."""

from __future__ import annotations

import numpy as np

from ember_core.formats.plan import parse
from ember_core.heat.cook import Cook
from ember_core.heat.course import StageOutcome
from ember_core.safety.rules import profile_of
from ember_core.safety.statement import state_rule
from ember_core.safety.verdict import standing
from tests.conftest import plan_document

US, FSIS, UK, ANZ = "us-food-code-2022", "us-fsis-appendix-a", "uk-fsa", "anz-fsanz-3.2.2"
BEEF = {"food": "beef-lean", "form": "steak"}
ROAST = {"food": "beef-lean", "form": "roast"}


def cook_of(plan, corners, *, hotter=0.0, faces=None, apart=20.0):
    """A cook whose places all follow corners (minutes, °C); ``hotter``: another place is so much hotter; faces: °C of a and b."""
    minutes, celsius = zip(*corners, strict=True)
    ends = np.cumsum([s.minutes for s in plan.stages])
    t = np.unique(np.concatenate([np.arange(0.0, ends[-1] * 60 + 1, apart), ends * 60, np.array(minutes) * 60.0]))
    t = t[t <= ends[-1] * 60 + 1e-9]
    core = np.interp(t, np.array(minutes) * 60.0, celsius)
    a, b = (core if f is None else np.full(t.size, float(f)) for f in (faces or (None, None)))
    begins = np.concatenate([[0.0], ends[:-1]])
    stages = tuple(
        StageOutcome(s.kind, 60 * u, 60 * v, 0.0, 0.0, "minutes")
        for s, u, v in zip(plan.stages, begins, ends, strict=True)
    )
    field = np.column_stack([core, core + hotter])
    none = np.empty((t.size, 0))
    return Cook(
        t, core, core, a, b, field, np.array([0.0, 1.0]), stages, float(core.max()), 0.0, None, 0.0, (), False, none
    )


def stage(kind, minutes, **more):
    """A stage with a medium where its kind needs one."""
    usual = {
        "bath": 60,
        "oven": 180,
        "pan": 200,
        "grill": 200,
        "hold": 65,
        "chill": 2,
        "thaw": 4,
        "fry": 170,
        "baste": 140,
    }
    return {"kind": kind, "minutes": minutes, **({"medium_c": usual[kind]} if kind in usual else {}), **more}


def judged(stages, corners, *, food="chicken-breast", form=None, rules="us-food-code-2022", guests="general", hotter=0.0, faces=None,
           piece=None, apart=20.0, words=False, coloured=(True, True), **over):  # fmt: skip
    """State, met, and the findings (code → level) of a plan whose piece follows corners; a roast is a thick one."""
    thick = 60 if form == "roast" else 25
    made = ({"food": food} if food else {}) | {"start_c": 4, "shape": {"kind": "slab", "thickness_mm": thick}}
    made |= piece or {}
    made |= {"form": form} if form else {}
    plan = parse(plan_document(piece=made, stages=stages, rules=rules, guests=guests, target={}, **over))
    rule, findings = state_rule(plan, cook_of(plan, corners, hotter=hotter, faces=faces, apart=apart), coloured)
    found = standing(rule, plan.required, plan.guests, profile_of(plan.rules, plan.house), findings)
    codes = {}
    for f in findings:
        codes[f.code] = "stop" if "stop" in (f.level, codes.get(f.code)) else f.level
    return found.state, rule, {f.code: f.message for f in findings} if words else codes


def at(celsius, minutes=30.0, start=4.0):
    """Brought up in two minutes, then held."""
    return [(0, start), (2, celsius), (2 + minutes, celsius)]
