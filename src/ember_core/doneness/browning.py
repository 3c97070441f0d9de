"""Colour that heat gives an outside: a clock of browning, and the skin of a bird as it dries in hot air. Advisory only.

The solver keeps a piece's outside wet as long as its flesh can bring water to it. A skin lies on fat, which lets next to none
through: it dries within minutes, and is then between the air and the flesh in temperature. Coefficients and their sources:
``data/browning.toml``.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ember_core.book.foods import food_row
from ember_core.constants import CELSIUS_ZERO
from ember_core.data.loader import read_toml
from ember_core.heat.solver.skin_drying import dry_skin
from ember_core.heat.solver.types import Schedule
from ember_core.plan.kinds import BROWNING_KINDS, DRY_AIR_KINDS
from ember_core.plan.plan import Plan

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Skin:
    """A skin: thickness, m; its dry lean matter, kg/m²; the water on it at first, kg per kg of that; conductivity, W/(m K)."""

    thickness_m: float
    lean_kg_m2: float
    water: float
    conductivity: float


def skin_of(plan: Plan) -> Skin | None:
    """The skin of a plan's bird or cut of one; None where it has none, or none of which the thickness is known."""
    piece, data = plan.document["piece"], read_toml("browning.toml")["skin"]
    row = (food_row(plan.food) if plan.food else None) or {}
    thickness_mm = data["thickness_mm"].get(row.get("species"))
    skinned = piece.get("cut") in read_toml("cuts.toml")["skin"]["cuts"] or plan.shape["kind"] == "bird"
    if thickness_mm is None or not skinned:
        return None
    lean = 1.0 - data["water"] - data["fat"]
    thickness_m = thickness_mm / 1000.0
    return Skin(
        thickness_m, data["density_kg_m3"] * thickness_m * lean, data["water"] / lean, data["conductivity_w_mk"]
    )


def browned_min(t_s: Array, outside_c: Array, dry: NDArray[np.bool_]) -> float:
    """Minutes at 180 °C that would have browned a dry outside as much.

    Parameters
    ----------
    t_s : ndarray (times,)
        s, rising.
    outside_c : ndarray (times,)
        °C of the outside.
    dry : ndarray of bool (times,)
        Where it is dry enough to brown.
    """
    clock = read_toml("browning.toml")["clock"]
    kelvin = outside_c + CELSIUS_ZERO
    rate = np.exp(clock["activation_k"] * (1.0 / (clock["reference_c"] + CELSIUS_ZERO) - 1.0 / kelvin)) * dry
    return float(np.trapezoid(rate, t_s) / 60.0)


def colour_of(minutes: float) -> str:
    """The word for so many minutes at 180 °C: ``pale``, ``golden``, ``brown``, ``dark``."""
    return str([word for least, word in read_toml("browning.toml")["clock"]["words"] if minutes >= least][-1])


def is_dry(outside_c: Array, boil_c: float) -> NDArray[np.bool_]:
    """Where an outside without a skin is dry: above what boils its water off at ``boil_c``, both °C."""
    return np.asarray(outside_c > boil_c + read_toml("long_cooks.toml")["outside"]["dry_above_boiling_k"])


def in_hot_air(plan: Plan, face: int) -> list[bool]:
    """For each stage, whether a face (0 or 1) hangs in dry hot air: nothing under it, nothing over it."""
    specs = [s.all_faces[face] for s in plan.stages]
    kinds = DRY_AIR_KINDS & BROWNING_KINDS
    return [f.kind in kinds and f.cover in {None, "bare"} and f.support is None for f in specs]


def skin_course(
    skin: Skin, t_s: Array, under_c: Array, ends_s: Sequence[float], hangs: Sequence[bool], schedule: Schedule, face: int,
    vapour_pa: float | None,
) -> tuple[Array, NDArray[np.bool_]]:  # fmt: skip
    """Temperature of a skin's outside, °C, and where it is dry enough to brown, at the times of a cook.

    Outside hot air it is as the solver has the outside.

    Parameters
    ----------
    skin : Skin
    t_s, under_c : ndarray (times,)
        s, and °C of the piece's outside as solved, which lies under the skin.
    ends_s, hangs : sequence
        Of each stage: its end, s, and whether this face hangs in hot air there.
    schedule : Schedule
    face : int
        0 or 1.
    vapour_pa : float or None
        Vapour in the oven's air, Pa; None: as the schedule has it.
    """
    data = read_toml("browning.toml")
    stage = np.minimum(np.searchsorted(np.asarray(ends_s), 0.5 * (t_s[1:] + t_s[:-1])), len(ends_s) - 1)
    rows = schedule.faces[:, face]
    air = np.array([[r["medium_c"], r["h"], r["emissivity"], r["wet"], vapour_pa or r["vapour_pa"]] for r in rows])
    surface, activity = dry_skin(
        t_s, under_c, stage, np.asarray(hangs), air, skin.conductivity / skin.thickness_m, skin.lean_kg_m2, skin.water,
        data["skin"]["isotherm_a"], data["skin"]["isotherm_b"],
    )  # fmt: skip
    return surface, activity < data["clock"]["dry_below_activity"]
