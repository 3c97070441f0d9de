"""Omelettes: how thick the egg lies, how long it takes to set by each school, and when the pan is ready."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ember_core.eggs.stirred import Pan, Scramble, omelette_mm, scramble
from ember_core.errors import ValueRangeError
from ember_core.formats.plan import FORMAT, parse
from ember_core.heat.cook import run
from ember_core.heat.setup import setup
from ember_core.wording.message import N_, say

EGG_G = 50.0  # out of its shell, of a hen
# how the egg is moved, how hot the pan is as it goes in (°C), how warm it is when it is folded, and what butter shows; what the hand does, how wet
# it ends, how it is folded and plated: common practice, no published source
SCHOOLS: dict[str, dict[str, Any]] = {
    "browned": {
        "name": N_("browned, large curds"), "stirring": "folded", "pan_c": 160.0, "fold_c": 66.0, "butter": N_("the foam is gone, butter begins to colour"),
        "moved": N_("pull large curds in, let the liquid run under"), "ends": N_("slightly wet in the middle"), "folded": N_("in half in the pan, slid out"),
    },
    "pale": {
        "name": N_("pale and fine"), "stirring": "whisked", "pan_c": 120.0, "fold_c": 68.0, "butter": N_("the foam sinks, no colour"),
        "moved": N_("stir finely without a stop"), "ends": N_("creamy in the middle"), "folded": N_("gathered to the far side, closed to an oval, turned out"),
    },
    "three-fold": {
        "name": N_("pale, in three folds"), "stirring": "folded", "pan_c": 125.0, "fold_c": 66.0, "butter": N_("the foam sinks, no colour"),
        "moved": N_("wide pushes from the side to the middle"), "ends": N_("still runny on top"), "folded": N_("in three, the last fold on the plate"),
    },
    "shaken": {
        "name": N_("shaken, the pan alone moves"), "stirring": "slow", "pan_c": 130.0, "fold_c": 67.0, "butter": N_("the foam sinks, no colour"),
        "moved": N_("shake the pan, no spoon; two eggs at most"), "ends": N_("soft, just set"), "folded": N_("rolled to the edge, turned out"),
    },
    "flat": {
        "name": N_("flat, left to set"), "stirring": "", "pan_c": 140.0, "fold_c": 72.0, "butter": N_("oil is hot, nothing smokes"),
        "moved": N_("leave it to set"), "ends": N_("set through"), "folded": N_("turned or grilled, cut in pieces"),
    },
}  # fmt: skip
THIN_MM, THICK_MM = 3.0, 7.0  # a folded omelette lies so thick
FLAT_THIN_MM, FLAT_THICK_MM = 6.0, 25.0


@dataclass(frozen=True)
class Omelette:
    """An omelette: how many hen's eggs, the pan, and the school."""

    eggs: int = 3
    school: str = "pale"
    diameter_mm: float = 240.0
    mass_kg: float = 1.2
    material: str = "steel"
    power_w: float = 800.0
    start_c: float = 15.0


@dataclass(frozen=True)
class Set:
    """How it goes: mm thick, s until it is folded (or turned), whether the pan suits, and pans that would (mm)."""

    thick_mm: float
    set_s: float
    suits: bool
    pans_mm: tuple[int, int]


def pans_for(eggs: int, flat: bool) -> tuple[int, int]:
    """The smallest and the largest pan in which so many eggs lie as thick as they should, mm."""
    thin, thick = (FLAT_THIN_MM, FLAT_THICK_MM) if flat else (THIN_MM, THICK_MM)
    unit = omelette_mm(eggs * EGG_G, 100.0)  # in a pan of 100 mm
    return round(100.0 * (unit / thick) ** 0.5), round(100.0 * (unit / thin) ** 0.5)


def flat_document(o: Omelette) -> dict[str, Any]:
    """The plan of one that is left to set under a lid, ``open-ember.plan/1``: until its upper side has."""
    row = SCHOOLS[o.school]
    stage = {
        "kind": "pan", "minutes": 60.0, "cover": "lidded", "until": {"surface_c": row["fold_c"]},
        "faces": {"b": {"medium_c": row["pan_c"]}},
        "store": {"kind": "pan", "mass_kg": o.mass_kg, "material": o.material, "power_w": o.power_w, "set_c": row["pan_c"], "pieces": 1},
    }  # fmt: skip
    thick = omelette_mm(o.eggs * EGG_G, o.diameter_mm)
    piece = {
        "food": "egg-whole", "form": "egg-later", "shape": {"kind": "slab", "thickness_mm": max(round(thick, 2), 1.0)},
        "start_c": o.start_c, "mass_g": o.eggs * EGG_G,
    }  # fmt: skip
    return {"format": FORMAT, "piece": piece, "stages": [stage]}


def omelette(o: Omelette) -> Set:
    """How thick it lies and when it is folded.

    Stirred schools by the balance of egg and pan; a flat one by conduction through its thickness, until its upper side is set.

    Raises
    ------
    ValueRangeError, InputError
        What is no omelette; what never sets on this heat.
    """
    if not 1 <= o.eggs <= 40:
        raise ValueRangeError(say("Give from 1 to 40 eggs."), path="eggs")
    row = SCHOOLS[o.school]
    thick = omelette_mm(o.eggs * EGG_G, o.diameter_mm)
    small, large = pans_for(o.eggs, o.school == "flat")
    suits = small <= o.diameter_mm <= large
    if row["stirring"]:
        pan = Pan(o.diameter_mm, o.mass_kg, o.material, o.power_w, row["pan_c"])
        found = scramble(Scramble(o.eggs * EGG_G, o.start_c, pan, row["stirring"], row["fold_c"]))
        at = float(found.t[int((found.egg_c < row["fold_c"]).sum()) - 1])
        return Set(thick, at, suits, (small, large))
    plan = parse(flat_document(o))
    done = run(plan, setup(plan)).stages[0]
    if done.ended_by != "surface_c":
        raise ValueRangeError(
            say("Its upper side does not set under a lid on this heat: give more heat, or turn it."), path="power_w"
        )
    return Set(thick, done.end_s - done.start_s, suits, (small, large))
