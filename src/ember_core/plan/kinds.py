"""Kinds of stages: one row each (``data/stage_kinds.toml``), complete or refused by name. What a stage does is asked here, not by its name."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Set
from dataclasses import dataclass, fields
from functools import lru_cache
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.errors import InputError
from ember_core.wording.message import say

ROLES = frozenset({"heat", "cool", "wait", "prepare"})
AIRS = frozenset({"dry", "wet", "bag", ""})


@dataclass(frozen=True)
class StageKind:
    """What a stage of a kind is.

    Attributes
    ----------
    name : str
    role : str
        ``heat``, ``cool`` (takes heat out), ``wait`` (after heat) or ``prepare``.
    browns : bool
        A first heat that wants a dry surface, and leaves a dry one.
    sears : bool
        Heat for colour before or after the oven or bath.
    colours : bool
        Gives the colour that a clause calls seared.
    turns : bool
        A piece is turned in it.
    contact : bool
        What a piece leaves in the medium gets on the next.
    air : str
        How moist what heats it is: ``dry``, ``wet``, ``bag`` (no air at it), or empty.
    default : str
        The variant of ``surroundings.toml`` without another one.
    gear : str
        The kitchen's own kind of gear that it lies in; empty: none is kept.
    hands : float
        Share of its time in which somebody must be at it, 0 to 1.
    keys, covers : tuple of str
        What may be stated of it, and what may lie between a face and its surroundings.
    instead : str
        The remedy where something else is stated.
    load, water : tuple of str
        Keys of its load; variants that are water.
    needs_medium, at_boiling, liquid, lid : bool
        Its medium must be stated; is at the local boiling point; is water, which cannot be above it; may be closed by a lid.
    """

    name: str
    role: str
    browns: bool
    sears: bool
    colours: bool
    turns: bool
    contact: bool
    air: str
    default: str
    gear: str
    hands: float
    keys: tuple[str, ...]
    covers: tuple[str, ...]
    instead: str
    load: tuple[str, ...] = ()
    water: tuple[str, ...] = ()
    needs_medium: bool = False
    at_boiling: bool = False
    liquid: bool = False
    lid: bool = False


OPTIONAL = frozenset({"load", "water", "needs_medium", "at_boiling", "liquid", "lid"})


def _incomplete(name: str, why: str) -> InputError:
    return InputError(
        say("The stage kind {name} is not complete: {why}. See docs/how-to/stage-kind.md.", name=name, why=why),
        path=f"/{name}",
    )


@lru_cache(maxsize=1)
def stage_kinds() -> dict[str, StageKind]:
    """Every kind by its name.

    Raises
    ------
    InputError
        A row that lacks a field or has one that is none; a kind without surroundings, words of its move, or the choices it names.
    """
    known = {f.name for f in fields(StageKind)} - {"name"}
    out = {}
    for name, row in read_toml("stage_kinds.toml").items():
        missing = sorted(known - OPTIONAL - row.keys())
        unknown = sorted(row.keys() - known)
        if missing or unknown:
            raise _incomplete(
                name, ", ".join([*(f"{m} is missing" for m in missing), *(f"{u} is no field" for u in unknown)])
            )
        values: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in row.items()}
        made = StageKind(name, **values)
        if made.role not in ROLES or made.air not in AIRS:
            raise _incomplete(name, f"role is one of {sorted(ROLES)}, air one of {sorted(AIRS)}")
        if made.default not in read_toml("surroundings.toml").get(name, {}):
            raise _incomplete(name, f"surroundings.toml has no {name}.{made.default}")
        if name not in read_toml("spreads.toml")["medium_c"]:
            raise _incomplete(name, f"spreads.toml has no medium_c.{name}")
        if name not in read_toml("moves.toml")["start"]:
            raise _incomplete(name, f"moves.toml has no start.{name}")
        out[name] = made
    return out


def stage_kind(name: str) -> StageKind:
    """The kind of that name.

    Raises
    ------
    KeyError
        For a name that is no kind.
    """
    return stage_kinds()[name]


class KindSet(Set[str]):
    """The names of the kinds of which something is true; asked of the table each time."""

    def __init__(self, holds: Callable[[StageKind], bool]) -> None:
        self._holds = holds

    @classmethod
    def _from_iterable(cls, it: Iterable[str]) -> frozenset[str]:  # type: ignore[override]  # what is joined with it is a plain set
        return frozenset(it)

    def __contains__(self, name: object) -> bool:
        found = stage_kinds().get(name) if isinstance(name, str) else None
        return found is not None and self._holds(found)

    def __iter__(self) -> Iterator[str]:
        return (k.name for k in stage_kinds().values() if self._holds(k))

    def __len__(self) -> int:
        return sum(1 for _ in self)


HEAT_KINDS = KindSet(lambda k: k.role == "heat")
COOLING_KINDS = KindSet(lambda k: k.role == "cool")
"""Stages that take heat out; held to the rules for cooling when heat came before."""
WAITING_KINDS = KindSet(lambda k: k.role == "wait")
BROWNING_KINDS = KindSet(lambda k: k.browns)
SEARING_KINDS = KindSet(lambda k: k.sears)
COLOURING_KINDS = KindSet(lambda k: k.colours)
TURNED_KINDS = KindSet(lambda k: k.turns)
CONTACT_KINDS = KindSet(lambda k: k.contact)
DRY_AIR_KINDS = KindSet(lambda k: k.air == "dry")
WET_KINDS = KindSet(lambda k: k.air == "wet")
BAGGED_KINDS = KindSet(lambda k: k.air == "bag")
