"""The book: cuts, ways, doneness names, rules and spreads, every row with id and version.

A :class:`Book` is a value: the shipped rows and a kitchen's own, put together by whoever knows the kitchen, and passed in.
A changed row is a new version; old versions stay, so that a plan made with one reads back as it for ever.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache
from types import MappingProxyType
from typing import Any, Self

from ember_core.book.doneness import doneness_at
from ember_core.book.foods import food_row, foods
from ember_core.data.loader import read_toml
from ember_core.errors import FormatError
from ember_core.wording.message import N_, Message, say

Row = Mapping[str, Any]  # with ``id`` and ``version``
Shelf = Mapping[str, tuple[Row, ...]]  # versions of each id, in rising order
WAYS = ("first", "pan", "oven", "bath", "water", "fire")  # the files of the shipped ways
SPREADS = "usual"  # the id of the one row of spreads
# the power by which a mass goes with a size, by shape; others: 1. Of a bird see data/birds.toml
DIRECTIONS = {"slab": 1, "cylinder": 2, "sphere": 3, "egg": 3, "bird": 1.0 / read_toml("birds.toml")["power"]}


def _shelf(rows: Iterable[Row], kind: str) -> Shelf:
    out: dict[str, list[Row]] = {}
    for row in rows:
        name, version = row.get("id"), row.get("version", 1)
        if not isinstance(name, str) or not name or not isinstance(version, int) or version < 1:
            raise FormatError(
                say(
                    "A {kind} needs an id and a version from 1 on; it has {name!r}, {version!r}.",
                    kind=kind,
                    name=name,
                    version=version,
                ),
                path=f"/{kind}",
            )
        versions = out.setdefault(name, [])
        if any(r["version"] == version for r in versions):
            raise FormatError(
                say(
                    "There are two of {kind} {name!r}, version {version}; a change is a new version.",
                    kind=kind,
                    name=name,
                    version=version,
                ),
                path=f"/{kind}/{name}",
                code="version",
            )
        versions.append(MappingProxyType({**row, "version": version}))
    return MappingProxyType({k: tuple(sorted(v, key=lambda r: r["version"])) for k, v in out.items()})


@dataclass(frozen=True)
class Book:
    """Rows of cuts, ways, doneness sets, rules and spreads, all versions.

    Attributes
    ----------
    shelves : mapping of str to mapping
        By kind (``cut``, ``way``, ``doneness``, ``rule``, ``spread``): the versions of each id.
    """

    shelves: Mapping[str, Shelf]

    @classmethod
    def of(cls, **rows: Iterable[Row]) -> Self:
        """A book of rows by kind.

        Raises
        ------
        FormatError
            A row without id or version, or two of the same.
        """
        return cls(MappingProxyType({kind: _shelf(of_kind, kind) for kind, of_kind in rows.items()}))

    def with_rows(self, **rows: Iterable[Row]) -> Book:
        """This book with more rows by kind; raises as :meth:`of`."""
        kinds = {**dict.fromkeys(self.shelves, ()), **rows}
        old = {k: [r for versions in s.values() for r in versions] for k, s in self.shelves.items()}
        return Book.of(**{kind: [*old.get(kind, ()), *more] for kind, more in kinds.items()})

    def _find(self, kind: str, name: str, version: int | None) -> Row | None:
        versions = self.shelves.get(kind, {}).get(name, ())
        if version is None:
            return versions[-1] if versions and not versions[-1].get("retired") else None
        return next((r for r in versions if r["version"] == version), None)

    def cut(self, name: str, version: int | None = None) -> Row | None:
        """A cut, None when there is none; ``version`` None: the newest."""
        return self._find("cut", name, version)

    def way(self, name: str, version: int | None = None) -> Row | None:
        """A way, None when there is none; ``version`` None: the newest."""
        return self._find("way", name, version)

    def newest(self, kind: str) -> dict[str, Row]:
        """The newest version of every row of a kind by id, in order; without those that are retired."""
        shelf = self.shelves.get(kind, {})
        return {name: versions[-1] for name, versions in shelf.items() if not versions[-1].get("retired")}

    def retired(self, kind: str) -> dict[str, Row]:
        """What is no longer offered: the newest version of each."""
        shelf = self.shelves.get(kind, {})
        return {name: versions[-1] for name, versions in shelf.items() if versions[-1].get("retired")}

    @cached_property
    def cuts(self) -> dict[str, Row]:
        """The newest version of every cut by id."""
        return self.newest("cut")

    @cached_property
    def ways(self) -> dict[str, Row]:
        """The newest version of every way by id."""
        return self.newest("way")

    def ways_for(self, cut: Row, size_mm: float | None = None, target_c: float | None = None) -> list[Row]:
        """The newest ways meant for a cut at a size, mm, and a target, °C: its usual one first, the others in the book's order."""
        found = [w for w in self.ways.values() if w["id"] == cut["way"] or suits(w, cut, size_mm, target_c)]
        return sorted(found, key=lambda w: w["id"] != cut["way"])

    def newer(self, kind: str, name: str, version: int) -> int | None:
        """The newest version of a row when it is newer than ``version``, else None."""
        found = self._find(kind, name, None)
        return int(found["version"]) if found is not None and found["version"] > version else None

    @cached_property
    def rules(self) -> dict[str, Row]:
        """The newest version of every rule profile by id."""
        return self.newest("rule")

    def spreads(self, version: int | None = None) -> dict[str, float]:
        """How much a careful cook leaves open, by name (see ``data/spreads.toml``); ``version`` None: the newest.

        Raises
        ------
        FormatError
            A version the book does not have.
        """
        row = self._find("spread", SPREADS, version)
        if row is None:
            raise FormatError(
                say("The book has no spreads of version {version}; leave x-spreads-version out.", version=version),
                path="/x-spreads-version",
                code="choice",
            )
        return {k: float(v) for k, v in row.items() if k not in {"id", "version"}}

    @property
    def spreads_version(self) -> int:
        """The newest version of the spreads."""
        row = self._find("spread", SPREADS, None)
        return 1 if row is None else int(row["version"])

    def doneness_names(self, food_id: str, cut: str = "") -> tuple[tuple[str, float], ...]:
        """Doneness names of a cut that has a set of its own, else of a food, with the core at its peak, °C, in rising order; empty for
        an unknown food."""
        row, named = food_row(food_id), (self.cut(cut) or {}).get("doneness")
        found = None if row is None else self._find("doneness", named or row["targets"], None)
        return () if found is None else tuple((n, float(c)) for n, c in found["names"])

    def usual_doneness(self, food_id: str) -> tuple[str, float]:
        """The doneness a plan starts from: its name and core, °C.

        Raises
        ------
        FormatError
            An unknown food.
        """
        row = food_row(food_id)
        found = None if row is None else self._find("doneness", row["targets"], None)
        if found is None:
            raise FormatError(
                say("Unknown food {food_id!r}; choose one of {choices}.", food_id=food_id, choices=", ".join(foods())),
                path="/piece/food",
                code="choice",
            )
        return next((n, c) for n, c in self.doneness_names(food_id) if n == found["usual"])

    def doneness_reached(self, food_id: str | None, core_c: float, cut: str = "") -> Message:
        """What a core at its peak (°C) is called, by the cut's own set or the food's."""
        return doneness_at(self.doneness_names(food_id or "beef-lean", cut), core_c)

    def piece_name(self, piece: Mapping[str, Any]) -> str:
        """What a cook calls a plan's piece: its cut, else the kitchen's own food, else the food of the table."""
        cut = self.cut(piece.get("cut", ""))
        if cut is not None:
            return str(cut["name"])
        own = piece.get("x-food")
        if isinstance(own, Mapping) and own.get("name"):
            return str(own["name"])
        row = food_row(piece.get("food", ""))
        return str(row["name"]) if row is not None else N_("own piece")

    def way_name(self, way: Mapping[str, Any]) -> str:
        """What a cook calls a plan's way, in the version it was made with; stages that follow none are the kitchen's own."""
        known = self.way(way.get("id", ""), way.get("version")) or self.way(way.get("id", ""))
        return str(known["name"]) if known is not None else N_("own stages")


def suits(way: Row, cut: Row, size_mm: float | None = None, target_c: float | None = None) -> bool:
    """Whether a way is meant for a cut at a size, mm (default its usual one): by shape, kind, size, skin and, if given, target, °C."""
    low, high = way.get("size_mm", (0.0, float("inf")))
    cold, hot = way.get("target_c", (0.0, float("inf"))) if target_c is not None else (0.0, float("inf"))
    return (
        cold <= (target_c or 0.0) <= hot
        and cut["shape"] in way["shapes"]
        and cut.get("kind") in way.get("kinds", (cut.get("kind"),))
        and low <= (cut["size_mm"] if size_mm is None else size_mm) <= high
        and (bool(cut.get("skin")) or not way.get("skin"))
    )


def usual_size(cut: Row, mass_g: float) -> float:
    """The size, mm, that goes with a mass of a cut, g: the other way round of :func:`usual_mass`."""
    times: float = (mass_g / float(cut["mass_g"])) ** (1.0 / DIRECTIONS.get(cut["shape"], 1))
    return round(float(cut["size_mm"]) * times, 1)


def usual_mass(cut: Row, size_mm: float) -> float:
    """The mass, g, that goes with a size of a cut, mm: its usual piece, thicker or thinner in the directions a size stands for."""
    times: float = (size_mm / float(cut["size_mm"])) ** DIRECTIONS.get(cut["shape"], 1)
    return round(float(cut["mass_g"]) * times, 1)


@lru_cache(maxsize=1)
def shipped() -> Book:
    """The book as it comes; no kitchen can change it."""
    doneness, cuts = read_toml("doneness.toml"), read_toml("cuts.toml")
    return Book.of(
        cut=[{**cuts["kind"][row["kind"]], "skin": row["id"] in cuts["skin"]["cuts"], **row} for row in cuts["cut"]],
        way=[row for name in WAYS for row in read_toml(f"ways_{name}.toml")["way"]],
        doneness=[{"id": name, **row} for name, row in doneness.items() if "names" in row],
        rule=read_toml("rules.toml")["profile"],
        spread=[{"id": SPREADS, **read_toml("spreads.toml")["default"]}],
    )
