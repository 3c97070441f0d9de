"""The book: cuts, ways and doneness names as data."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.errors import FormatError


@lru_cache(maxsize=1)
def cuts() -> dict[str, dict[str, Any]]:
    """All cuts by id."""
    return {c["id"]: c for c in read_toml("cuts.toml")["cut"]}


@lru_cache(maxsize=1)
def ways() -> dict[str, dict[str, Any]]:
    """The newest version of every way by id."""
    return {w["id"]: w for w in sorted(read_toml("ways.toml")["way"], key=lambda w: w["version"])}


def usual_mass(cut: Mapping[str, Any], size_mm: float) -> float:
    """The mass, g, that goes with a size of a cut, mm: its usual piece, thicker or thinner in the directions a size stands for."""
    directions = {"slab": 1, "cylinder": 2, "sphere": 3, "egg": 3}.get(cut["shape"], 1)
    times: float = (size_mm / float(cut["size_mm"])) ** directions
    return round(float(cut["mass_g"]) * times, 1)


def piece_name(piece: Mapping[str, Any]) -> str:
    """What a cook calls a plan's piece: its cut, else the kitchen's own food, else the food of the table."""
    cut = cuts().get(piece.get("cut", ""))
    if cut is not None:
        return str(cut["name"])
    own = piece.get("x-food")
    if isinstance(own, Mapping) and own.get("name"):
        return str(own["name"])
    row = food_row(piece.get("food", ""))
    return str(row["name"]) if row is not None else "own piece"


def way_name(way: Mapping[str, Any]) -> str:
    """What a cook calls a plan's way; stages that follow none are the kitchen's own."""
    known = ways().get(way.get("id", ""))
    return str(known["name"]) if known is not None else "own stages"


def doneness_names(food_id: str) -> tuple[tuple[str, float], ...]:
    """Doneness names of a food with the core at its peak, °C, in rising order."""
    row = food_row(food_id)
    if row is None:
        return ()
    return tuple((n, float(c)) for n, c in read_toml("doneness.toml")[row["targets"]]["names"])


def usual_doneness(food_id: str) -> tuple[str, float]:
    """The doneness a plan starts from."""
    row = food_row(food_id)
    if row is None:
        raise FormatError(f"Unknown food {food_id!r}.", path="/piece/food", code="choice")
    usual = read_toml("doneness.toml")[row["targets"]]["usual"]
    return next((n, c) for n, c in doneness_names(food_id) if n == usual)


def name_of(food_id: str | None, core_c: float) -> str:
    """The doneness a peak core has reached: the highest name at or below it (within 0.6 K)."""
    names = doneness_names(food_id or "beef-lean")
    reached = [n for n, c in names if core_c >= c - 0.6]
    return reached[-1] if reached else f"under {names[0][0]}"
