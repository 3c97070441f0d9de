"""What the Book shows of foods."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from ember_core.book.book import Book, shipped
from ember_core.book.foods import foods
from ember_core.entry.sentence import OwnFood
from ember_core.heat.physics.properties import Composition, conductivity, density, specific_heat
from ember_web.book.models import PARTS, BookRow, Food, HouseRules
from ember_web.tenancy.models import Kitchen

AT_C = 20.0


@dataclass(frozen=True)
class Row:
    """A food with its parts (mass %) and what follows from them at 20 °C."""

    name: str
    parts: tuple[float, ...]
    heat_kj: float  # kJ/(kg K)
    conductivity: float  # W/(m K)
    diffusivity: float  # mm²/s
    source: str
    confidence: float | None = None
    own: Food | None = None
    like: str = ""

    @property
    def named(self) -> list[tuple[str, float]]:
        """The parts with their names."""
        return list(zip(PARTS, self.parts, strict=True))


def _row(name: str, parts: Mapping[str, float], source: str, **more: Any) -> Row:
    made = Composition(**{k: parts[k] / 100.0 for k in PARTS})
    c, k, rho = (float(f(made, np.array(AT_C))) for f in (specific_heat, conductivity, density))
    return Row(name, tuple(parts[p] for p in PARTS), c / 1000.0, k, 1e6 * k / (rho * c), source, **more)


def own_rows(kitchen: Kitchen, words: str = "") -> list[Row]:
    """The kitchen's own foods whose name holds ``words``."""
    table = foods()
    return [
        _row(
            f.name, {p: getattr(f, p) for p in PARTS}, f.source, own=f, like=table[f.like]["name"] if f.like in table else f.like
        )
        for f in Food.objects.filter(kitchen=kitchen, name__icontains=words)
    ]  # fmt: skip


def table_rows(words: str = "") -> list[Row]:
    """Rows of the shipped table whose name or species holds ``words``."""
    return [
        _row(r["name"], r["parts"], r["source"], confidence=r["confidence"])
        for r in foods().values()
        if words.lower() in f"{r['name']} {r['species']}".lower()
    ]


def own_food(kitchen: Kitchen, chosen: str, kept: OwnFood | None) -> OwnFood | None:
    """The own food a plan's sentence names: the kitchen's, else the one its saved plan was made with."""
    if not chosen:
        return None
    found = Food.objects.filter(kitchen=kitchen, public_id=chosen.replace("\x00", "")).first()
    if found is not None:
        return found.as_own()
    return kept if kept is not None and kept.id == chosen else None


def food_choices(kitchen: Kitchen, table_food: str, kept: OwnFood | None) -> list[tuple[str, str]]:
    """What a sentence can say of its food: the table's, own foods of its species, and the one a saved plan was made with when it is no longer there."""
    table = foods()
    row = table.get(table_food, {"name": "its own", "species": None})
    species = row["species"]
    out = [("", row["name"])] + [
        (f.public_id, f.name)
        for f in Food.objects.filter(kitchen=kitchen)
        if species in {None, table.get(f.like, {}).get("species")}
    ]
    if kept is not None and kept.id not in dict(out):
        out.append((kept.id, kept.name))
    return out


def book_of(kitchen: Kitchen) -> Book:
    """The book of a kitchen: the shipped rows, and every version of its own."""
    own: dict[str, list[dict[str, Any]]] = {}
    for row in BookRow.objects.filter(kitchen=kitchen):
        own.setdefault(row.kind, []).append(row.as_row())
    return shipped().with_rows(**own) if own else shipped()


def house_document(kitchen: Kitchen) -> dict[str, Any] | None:
    """The house's own rules as a plan carries them; None while the kitchen has recorded none."""
    found = HouseRules.objects.filter(kitchen=kitchen).first()
    return None if found is None else found.document()
