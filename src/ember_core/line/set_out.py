"""What must be there before anything goes on heat: a short list from the plan, that whoever cooks ticks off or overrides with a reason."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.wording.message import Message, say

TARGET = "target"  # what an item needs a plan to have; the other one needs a plan that goes by the clock


@dataclass(frozen=True)
class Item:
    """One thing: its id, its words, why; and of what heats its kind and temperature, °C, so that a thermometer in it can tell."""

    id: str
    words: Message
    why: Message
    kind: str = ""
    medium_c: float | None = None


def items(document: Mapping[str, Any]) -> tuple[Item, ...]:
    """What a plan needs set out, in the order in which it is needed.

    Parameters
    ----------
    document : dict
        A plan that was checked.
    """
    parts = [(i, one) for i, stage in enumerate(document["stages"]) for one in _parts(stage)]
    found: list[tuple[int, int, Item]] = []
    for order, (key, row) in enumerate(read_toml("set_out.toml").items()):
        family = _family(document)
        if family in row.get("not_for", ()) or ("only_for" in row and family not in row["only_for"]):
            continue
        where = _where(row, document, parts)
        if where is None:
            continue
        stage, one = where
        medium = one.get("medium_from_c", one.get("medium_c"))
        if "{medium" in row["words"] and medium is None:
            continue
        words = say(row["words"], medium=medium, check=_check(document))
        heats = str(one.get("kind", "")) if "{medium" in row["words"] else ""
        found.append((stage, order, Item(key, words, say(row["why"]), heats, medium if heats else None)))
    return tuple(item for _, _, item in sorted(found, key=lambda f: f[:2]))


def _parts(stage: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    """A stage as each of its faces has it."""
    return [{**stage, **face} for face in stage.get("faces", {}).values()] or [stage]


def _where(
    row: Mapping[str, Any], document: Mapping[str, Any], parts: list[tuple[int, Mapping[str, Any]]]
) -> tuple[int, Mapping[str, Any]] | None:
    """The first stage that asks for an item, with its number; what the piece itself asks for comes before all."""
    piece = document["piece"]
    bird = piece["shape"]["kind"] == "bird"
    if "forms" in row:
        return (-1, {}) if piece.get("form") in row["forms"] else None
    if "shapes" in row:
        return (-1, {}) if piece["shape"]["kind"] in row["shapes"] else None
    if "needs" in row:
        solved = any("until" in s for s in document["stages"])
        if row["needs"] == TARGET:
            return (-1, {}) if "target" in document and not bird else None
        return (-1, {}) if not solved or piece["shape"]["kind"] == "egg" else None
    for i, one in parts:
        if one.get("variant") in row.get("not_variants", ()):
            continue
        asked = (("kinds", "kind"), ("variants", "variant"), ("covers", "cover"))
        if any(one.get(key) in row.get(name, ()) for name, key in asked):
            return i, one
    return None


def _family(document: Mapping[str, Any]) -> str:
    """What kind of food it is by how its doneness is named."""
    if document["piece"]["shape"]["kind"] == "egg":
        return "egg"
    food = document["piece"].get("food")
    return str((food_row(food) or {}).get("targets", "")) if food else ""


def _check(document: Mapping[str, Any]) -> Message:
    """How a piece that goes by the clock is checked."""
    if document["piece"]["shape"]["kind"] == "egg":
        return say("open one")
    return say("thermometer in the middle, or a cut")
