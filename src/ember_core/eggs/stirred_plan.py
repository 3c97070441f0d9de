"""Plans of egg that is stirred in a pan: one warm mass over a pan on its burner, by the solver of every other plan.

Stirring leaves no cold middle, so the egg conducts as well as nothing that stands still does; the pan is a store whose burner is left
as it is, and then off. What the balance of :mod:`ember_core.eggs.stirred` says by hand, such a plan says with its forecast, on Line
and in Log.
"""

from __future__ import annotations

from typing import Any

from ember_core.data.loader import read_toml
from ember_core.eggs.omelette import EGG_G, SCHOOLS, Omelette, flat_document
from ember_core.eggs.stirred import DENSITY, Pan, Scramble, omelette_mm
from ember_core.formats.plan import FORMAT

STIRRED_W_MK = 60.0  # so that no place of it is colder than another by more than a few tenths
LONGEST_MIN = 30.0
LANDS_MIN = 1.5  # off the heat in its pan
FOLDED_MIN = 1.0  # on its plate


def _piece(egg_g: float, start_c: float, diameter_mm: float) -> dict[str, Any]:
    """Egg that lies in a pan, as one mass."""
    return {
        "food": "egg-whole",
        "form": "egg-now",
        "mass_g": egg_g,
        "start_c": start_c,
        "shape": {"kind": "slab", "thickness_mm": max(round(omelette_mm(egg_g, diameter_mm), 2), 1.0)},
        "properties": {
            "conductivity_w_mk": STIRRED_W_MK,
            "density_kg_m3": DENSITY,
            "specific_heat_j_kgk": read_toml("eggs_open.toml")["contents"]["heat_j_kgk"],
        },
    }


def _on(pan: Pan, stirring: str) -> dict[str, Any]:
    """A stage over a pan on its burner, stirred so."""
    heat = read_toml("eggs_open.toml")
    top = {"kind": "rest", "surface": {"h_w_m2k": heat["open_top"]["w_m2k"]}}
    return {
        "kind": "pan",
        "minutes": LONGEST_MIN,
        "faces": {"a": top, "b": {"medium_c": pan.begin_c, "surface": {"h_w_m2k": heat["stirred"][stirring]}}},
        "store": {"kind": "pan", "mass_kg": pan.mass_kg, "material": pan.material, "power_w": pan.power_w, "pieces": 1},
    }


def scrambled_document(m: Scramble, *, altitude_m: float = 0.0, rules: str = "us-food-code-2022") -> dict[str, Any]:
    """The plan of scrambled egg, ``open-ember.plan/1``: off the heat so that pan and egg land together at what is wanted.

    Parameters
    ----------
    m : Scramble
    altitude_m : float
    rules : str
    """
    heated = _on(m.pan, m.stirring)
    off = {
        **heated, "kind": "rest", "minutes": LANDS_MIN, "faces": heated["faces"] | {"b": {"kind": "pan"} | heated["faces"]["b"]},
        "store": heated["store"] | {"power_w": 0}, "x-say": "egg-off",
    }  # fmt: skip
    return {
        "format": FORMAT,
        "piece": _piece(m.egg_g, m.start_c, m.pan.diameter_mm),
        "target": {"core_c": m.target_c},
        "stages": [heated | {"until": {"peak_core_c": m.target_c}, "x-say": "egg-in"}, off],
        "kitchen": {"altitude_m": altitude_m, "air_c": m.air_c},
        "rules": rules,
    }


def omelette_document(
    o: Omelette, *, altitude_m: float = 0.0, air_c: float = 22.0, rules: str = "us-food-code-2022"
) -> dict[str, Any]:
    """The plan of an omelette, ``open-ember.plan/1``: until it is folded, or its upper side has set; then to its plate.

    Parameters
    ----------
    o : Omelette
    altitude_m, air_c : float
    rules : str
    """
    row = SCHOOLS[o.school]
    place = {"kitchen": {"altitude_m": altitude_m, "air_c": air_c}, "rules": rules}
    if not row["stirring"]:
        flat = flat_document(o)
        stages = [flat["stages"][0] | {"x-say": "egg-in"}, {"kind": "rest", "minutes": FOLDED_MIN, "x-say": "egg-slid"}]
        return flat | {"stages": stages} | place
    pan = Pan(o.diameter_mm, o.mass_kg, o.material, o.power_w, row["pan_c"])
    heated = _on(pan, row["stirring"]) | {"until": {"core_c": row["fold_c"]}, "x-say": "egg-in"}
    return {
        "format": FORMAT,
        "piece": _piece(o.eggs * EGG_G, o.start_c, o.diameter_mm),
        "target": {"core_c": row["fold_c"]},
        "stages": [heated, {"kind": "rest", "minutes": FOLDED_MIN, "x-say": "egg-folded"}],
        **place,
    }
