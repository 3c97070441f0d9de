"""A whole bird as parts: of which shape and size breast, leg and stuffing behave. Loads neither the solver nor meshes.

A bird is no solid: walls of flesh around bone and a cavity. Each part is computed as the plain shape that takes the time the
part takes (``data/birds.toml``), in what the bird meets.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from ember_core.data.loader import read_toml

OPEN, TIED = "open", "tied"
TIME_POWER = 1.4  # times go with a size to this power, about; by the model
FELT = 0.45  # share of the oven's heat above 70 °C that a wet skin lets a part approach; by the model
WET_C = 70.0


def cavity_of(shape: Mapping[str, Any]) -> str:
    """What fills the cavity; nothing unless it is stated."""
    return str(shape.get("cavity", OPEN))


def parts_of(shape: Mapping[str, Any]) -> tuple[str, ...]:
    """The parts of a bird that have targets of their own: breast, leg, and the stuffing of one that is stuffed."""
    known = tuple(read_toml("birds.toml")["part"])
    return known if cavity_of(shape) == "stuffed" else tuple(p for p in known if p != "stuffing")


def build_of(shape: Mapping[str, Any]) -> str:
    """How a bird is made up; tied unless it is stated."""
    return str(shape.get("build", TIED))


def part_mm(part: str, mass_g: float, cavity: str = OPEN, build: str = TIED) -> float:
    """Thickness or diameter, mm, of the shape as which a part of a bird behaves.

    Parameters
    ----------
    part : str
        ``breast``, ``leg``, ``stuffing``.
    mass_g : float
        Of the whole bird, ready to cook, g.
    cavity : str
        ``open``, ``aromatics``, ``stuffed``.
    build : str
        ``tied``, ``loose``, ``spread``.
    """
    data = read_toml("birds.toml")
    size: float = data["part"][part]["mm_at_6_kg"] * (mass_g / 6000.0) ** data["power"]
    size *= float(data["build"][build].get(part, 1.0))
    return size * float(data["cavity"][cavity]["breast"] if part == "breast" else 1.0)


def breast_mm(mass_g: float) -> float:
    """The size by which a bird is named beside its mass: its breast's, mm."""
    return part_mm("breast", mass_g)


def bird_mass(size_mm: float) -> float:
    """The mass, g, of a bird whose breast behaves as a slab of ``size_mm``: the other way round of :func:`breast_mm`."""
    data = read_toml("birds.toml")
    return float(6000.0 * (size_mm / data["part"]["breast"]["mm_at_6_kg"]) ** (1.0 / data["power"]))


def part_shape(shape: Mapping[str, Any]) -> dict[str, Any]:
    """The plain shape of the part that a bird's ``shape`` names (``part``)."""
    part = str(shape["part"])
    kind = read_toml("birds.toml")["part"][part]["shape"]
    size = part_mm(part, float(shape["mass_g"]), cavity_of(shape), build_of(shape))
    return {"kind": kind, "thickness_mm" if kind == "slab" else "diameter_mm": size}


def size_spread_mm(shape: Mapping[str, Any]) -> float:
    """What a bird's build leaves open of a part's size, standard deviation, mm."""
    (size,) = (v for k, v in part_shape(shape).items() if k.endswith("_mm"))
    return float(read_toml("birds.toml")["spread"] * size)


def leading(shape: Mapping[str, Any], targets: Mapping[str, float], start_c: float, medium_c: float) -> str:
    """The part that reaches its target last, by the first term of the series for slab and cylinder.

    An estimate, for the order alone; what a part comes to is computed.

    Parameters
    ----------
    shape : mapping
        A bird's.
    targets : mapping
        By part, °C.
    start_c, medium_c : float
        °C.
    """
    hot = WET_C + FELT * (medium_c - WET_C)
    mass, made = float(shape["mass_g"]), (cavity_of(shape), build_of(shape))
    unit = part_mm("breast", mass)
    round_is_faster = 0.565  # a cylinder's time by that of a slab of the same size; by the model

    def length(part: str) -> tuple[float, float]:
        left = hot - targets[part]
        size = (part_mm(part, mass, *made) / unit) ** TIME_POWER * (round_is_faster if part == "leg" else 1.0)
        if left <= 0.0:
            return math.inf, targets[part]
        return size * math.log(max(1.2 * (hot - start_c) / left, 1.0)), targets[part]

    return max(parts_of(shape), key=length)
