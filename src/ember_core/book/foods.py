"""The food table and the doneness names that go with its rows."""

from __future__ import annotations

import csv
from collections.abc import Mapping
from functools import lru_cache
from typing import Any

from ember_core.data.loader import read_text, read_toml


@lru_cache(maxsize=1)
def foods() -> dict[str, dict[str, Any]]:
    """The food table by id; ``parts`` are mass %, of the edible part, raw."""
    lines = [line for line in read_text("foods.csv").splitlines() if not line.startswith("#")]
    out: dict[str, dict[str, Any]] = {}
    for raw in csv.DictReader(lines):
        row: dict[str, Any] = {k: raw[k] for k in ("id", "name", "species", "form", "ramp", "targets", "source")}
        row["parts"] = {k: float(raw[k]) for k in ("water", "protein", "fat", "carbohydrate", "fibre", "ash")}
        row |= {k: float(raw[k]) for k in ("freezing_c", "confidence")}
        out[row["id"]] = row
    return out


def food_row(food_id: str) -> dict[str, Any] | None:
    """A row of the food table, or None."""
    return foods().get(food_id)


def doneness_of(row: Mapping[str, Any] | None) -> dict[str, float]:
    """Doneness names of a row of the food table with the core at its peak, °C; empty without one."""
    return {} if row is None else {n: float(c) for n, c in read_toml("doneness.toml")[row["targets"]]["names"]}
