"""An egg's outline: its sizes by its mass. Loads neither the solver nor meshes."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from ember_core.data.loader import read_toml

HEN_SHAPE = 0.76  # breadth over length, common value of a hen's egg (from memory)

EGG_DENSITY = 1090.0  # kg/m³ in shell, fresh (from memory)

YOLK_SHARE = 0.31  # of the contents' volume, hen (from memory)

HEN = "hen"

FOODS = frozenset({"egg-whole", "egg-duck"})  # that are computed as white and yolk while they are in their shell

TAPER = 0.10  # how much thicker the blunt half is; an assumption


def egg_sizes(mass_g: float, density: float = EGG_DENSITY, shape_index: float = HEN_SHAPE) -> tuple[float, float]:
    """Length and breadth, m, of an egg of ``mass_g`` in its shell."""
    volume = mass_g / 1000.0 / density
    length = (volume / (math.pi / 6 * shape_index**2)) ** (1 / 3)
    return float(length), float(length * shape_index)


def egg_breadth_mm(mass_g: float) -> float:
    """Breadth of an egg of ``mass_g`` in its shell, mm."""
    return egg_sizes(mass_g)[1] * 1000.0


def egg_mass(breadth_mm: float) -> float:
    """Mass of an egg in its shell, g, by its breadth, mm."""
    return 58.0 * (breadth_mm / egg_breadth_mm(58.0)) ** 3


def species_of(shape: Mapping[str, Any]) -> dict[str, Any]:
    """The species of an egg of a plan as ``data/eggs.toml`` has it; a hen's unless it is stated.

    One that was ``opened`` into water has no shell and no air cell, lies flatter, and weighs what was in its shell.
    """
    data = read_toml("eggs.toml")
    row = dict(data["species"][shape.get("species", HEN)])
    if shape.get("opened"):
        own = data["opened"]
        row |= {"shape": own["shape"], "shell_mm": 0.0, "air_mm": 0.0}
        row |= {k: own["contents"] * row[k] for k in ("mass_g", "least_g", "most_g")}
    return row


def room_g(shape: Mapping[str, Any]) -> float:
    """The mass of an egg in its shell, g, that takes as much room as an egg of a plan does."""
    stated = float(shape["mass_g"])
    return stated * EGG_DENSITY / float(read_toml("eggs.toml")["opened"]["density"]) if shape.get("opened") else stated
