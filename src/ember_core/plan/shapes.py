"""The shapes of a piece: their lengths, faces and volumes."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

SHAPE_KEYS = {
    "slab": ("thickness_mm",),
    "cylinder": ("diameter_mm", "length_mm"),
    "sphere": ("diameter_mm",),
    "box": ("length_mm", "width_mm", "thickness_mm"),
    "ellipsoid": ("length_mm", "width_mm", "thickness_mm"),
    "egg": ("mass_g", "species", "opened"),
    "bird": ("mass_g", "cavity", "build"),
}

BY_MASS = frozenset({"egg", "bird"})  # shapes that a cook tells by their mass

FOOD_DENSITY = 1060.0  # kg/m³, Choi & Okos for lean meat; foods lie between 930 and 1,120

LONGEST_MM = 2000.0  # the most a length may be


def volume_mm3(shape: Mapping[str, Any]) -> tuple[float, bool]:
    """Volume of a shape, mm³; for one with open ends (a slab, a long cylinder) the most it can be."""
    kind, get = shape["kind"], shape.get
    if kind == "slab":
        return shape["thickness_mm"] * LONGEST_MM**2, True
    if kind == "cylinder":
        return math.pi / 4 * shape["diameter_mm"] ** 2 * get("length_mm", LONGEST_MM), "length_mm" not in shape
    if kind == "sphere":
        return math.pi / 6 * shape["diameter_mm"] ** 3, False
    if kind in BY_MASS:
        return shape["mass_g"] / FOOD_DENSITY * 1e6, False
    product = float(shape["length_mm"] * shape["width_mm"] * shape["thickness_mm"])
    return (product if kind == "box" else math.pi / 6 * product), False


def thinnest_mm(shape: Mapping[str, Any]) -> float:
    """The least length of a shape, mm: heat comes to the core from there. An egg has none."""
    return min(float(v) for k, v in shape.items() if k.endswith("_mm"))


def faces_of(shape: Mapping[str, Any]) -> tuple[str, ...]:
    """The faces a stage may describe one by one: a slab's two; the side of a box or a short cylinder; a box's edge.

    A ball, a long cylinder and a bird meet the same all round.
    """
    kind = shape["kind"]
    if kind in {"sphere", "bird"} or (kind == "cylinder" and "length_mm" not in shape):
        return ("a",)
    if kind == "box":
        return ("a", "b", "side", "edge")
    return ("a", "b", "side") if kind == "cylinder" else ("a", "b")
