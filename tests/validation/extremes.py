"""Random plans at the ends of what the plan format accepts: thin, thick, frozen, boiling, long, short, all shapes and kinds."""

from __future__ import annotations

import numpy as np

from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.formats.stages import kinds
from ember_core.plan.plan import Plan

FOODS = ("beef-lean", "chicken-breast", "white-fish", "pork-belly", "egg-whole", "potato")


def pick(rng, low, high):
    """A size between two ends, both ends often, otherwise even on a logarithmic scale where it spans one."""
    where = rng.random()
    if where < 0.15:
        return float(low)
    if where < 0.3:
        return float(high)
    if low > 0 and high / low > 20:
        return float(np.exp(rng.uniform(np.log(low), np.log(high))))
    return float(rng.uniform(low, high))


def shape(rng):
    """Any shape, its sizes anywhere in their ranges."""
    kind = rng.choice(["slab", "cylinder", "short", "sphere", "box", "ellipsoid", "egg"])
    if kind == "slab":
        return {"kind": "slab", "thickness_mm": pick(rng, 1, 400)}
    if kind in {"cylinder", "sphere"}:
        return {"kind": str(kind), "diameter_mm": pick(rng, 1, 400)}
    if kind == "short":
        return {"kind": "cylinder", "diameter_mm": pick(rng, 1, 400), "length_mm": pick(rng, 1, 2000)}
    if kind == "egg":
        return {"kind": "egg", "mass_g": pick(rng, 5, 200), "species": "hen"}
    return {
        "kind": str(kind),
        "length_mm": pick(rng, 1, 2000),
        "width_mm": pick(rng, 1, 2000),
        "thickness_mm": pick(rng, 1, 400),
    }


def piece(rng):
    """A food, a composition or constants, at any start."""
    what = rng.random()
    out = {"shape": shape(rng), "start_c": pick(rng, -40, 100)}
    if what < 0.7:
        out["food"] = str(rng.choice(FOODS))
    elif what < 0.85:
        water = pick(rng, 0.02, 0.98)
        rest = 1.0 - water
        out["composition"] = {"water": water, "protein": 0.6 * rest, "fat": 0.3 * rest, "ash": 0.1 * rest}
    else:
        out["properties"] = {
            "conductivity_w_mk": pick(rng, 0.05, 5),
            "density_kg_m3": pick(rng, 200, 3000),
            "specific_heat_j_kgk": pick(rng, 500, 5000),
        }
    return out


def stage(rng):
    """Any kind of stage; its medium and its length anywhere."""
    kind = str(rng.choice(sorted(kinds())))
    out = {"kind": kind, "minutes": pick(rng, 1e-6, 20160) if rng.random() < 0.7 else pick(rng, 0.1, 60)}
    if kind not in {"boil", "steam"}:
        out["medium_c"] = pick(rng, -60, 400) if kind not in {"simmer", "bath"} else pick(rng, -2, 90)
    if rng.random() < 0.3:
        out["surface"] = {
            "h_w_m2k": pick(rng, 0, 5000),
            "emissivity": pick(rng, 0, 1),
            "wet": bool(rng.random() < 0.5),
        }
    elif rng.random() < 0.1:
        out["medium_from_c"], out["settle_minutes"] = pick(rng, -60, 400), pick(rng, 0.01, 1440)
    if rng.random() < 0.25:
        key = str(rng.choice(["core_c", "surface_c", "mean_c", "log10"]))
        out["until"] = {key: pick(rng, 0.01, 20) if key == "log10" else pick(rng, -50, 300)}
    return out


def plan(rng) -> Plan:
    """A plan that the format accepts; drawn again until one is."""
    while True:
        stages = [stage(rng) for _ in range(rng.integers(1, 4))]
        if len(stages) > 1 and rng.random() < 0.2:
            stages[-2]["until"] = {"peak_core_c": pick(rng, 20, 120)}
        document = {
            "format": "open-ember.plan/1",
            "piece": piece(rng),
            "stages": stages,
            "kitchen": {"altitude_m": pick(rng, -400, 5000), "air_c": pick(rng, 0, 45)},
        }
        if rng.random() < 0.2:
            document["report_at_s"] = sorted(pick(rng, 0, 3600) for _ in range(5))
        try:
            return parse(document)
        except InputError:
            continue
