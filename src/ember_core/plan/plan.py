"""A checked plan."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from ember_core.plan.requirement import Requirement
from ember_core.plan.stages import StageSpec

CORE_WAITS = frozenset({"core_c", "peak_core_c"})

SHORTEST_S = 1e-3  # a stage that another cook passed over at once


@dataclass(frozen=True)
class Plan:
    """A checked plan. ``document`` is the file as it came; the rest is what the core computes with."""

    document: Mapping[str, Any]
    title: str
    food: str | None
    composition: Mapping[str, float] | None
    properties: Mapping[str, float] | None
    form: str
    required: Requirement  # the forms whose clauses must all be met, by species and state
    shape: Mapping[str, Any]
    start_c: float
    target_c: float | None
    stages: tuple[StageSpec, ...]
    altitude_m: float = 0.0
    air_c: float = 22.0
    rules: str | None = None
    guests: str = "general"
    report_at_s: tuple[float, ...] = ()
    forecast: Mapping[str, Any] | None = None
    serve_at: datetime | None = None
    house: Mapping[str, Any] | None = None  # the house's own rules, when the plan goes by them
    targets: Mapping[str, float] | None = None  # of a bird's parts, °C
    also: tuple[tuple[Plan, float], ...] = ()  # other pieces in a medium with a store, and when they are laid in, s

    def of_part(self, part: str) -> Plan:
        """The plan of one part of a bird: its shape and its target, which stages that wait for the bird's wait for too."""
        own = (self.targets or {}).get(part, self.target_c)
        stages = tuple(
            replace(s, until_value=own)
            if own is not None and s.until in CORE_WAITS and s.until_value == self.target_c
            else s
            for s in self.stages
        )
        return replace(self, shape={**self.shape, "part": part}, target_c=own, stages=stages)

    @property
    def core_goal_c(self) -> float | None:
        """What the core is to peak at, °C: the target, or more where another place stays colder than the core."""
        solved = next((s.until_value for s in self.stages if s.until == "peak_core_c"), None)
        return solved if solved is not None and (self.target_c is None or solved > self.target_c) else self.target_c

    def with_core_goal(self, core_c: float) -> Plan:
        """The plan with its pull solved for another peak of the core, °C."""
        stages = tuple(replace(s, until_value=core_c) if s.until == "peak_core_c" else s for s in self.stages)
        return replace(self, stages=stages)

    def by_clock(self, lengths: Sequence[float]) -> Plan:
        """The plan with every stage as long as in another cook: ``lengths`` in s, nothing is waited for."""
        stages = tuple(
            replace(s, minutes=max(length, SHORTEST_S) / 60.0, until=None)
            for s, length in zip(self.stages, lengths, strict=True)
        )
        return replace(self, stages=stages)

    @property
    def kept_by(self) -> str:
        """The profile whose numbers for cooling, holding and keeping hold: the house's are its base's."""
        if self.rules == "house" and self.house is not None:
            return str(self.house.get("base", ""))
        return self.rules or ""

    @property
    def cut_at(self) -> int | None:
        """The stage before which the piece is cut into portions; None when it stays whole."""
        return next((i for i, s in enumerate(self.stages) if s.portion is not None), None)

    @property
    def face_kinds(self) -> tuple[tuple[str, ...], ...]:
        """What faces a, b, the side and the edge meet in each stage: their kinds."""
        return tuple(tuple(f.kind for f in s.all_faces) for s in self.stages)


def unread_of(document: Mapping[str, Any]) -> tuple[str, ...]:
    """The words of a quick entry that nobody understood, as a plan carries them in ``x-unread``; whatever stands there is a word."""
    stated = document.get("x-unread")
    if stated is None or stated is False:
        return ()
    words = stated if isinstance(stated, (list, tuple)) else [stated]
    return tuple(str(w)[:80] for w in words if str(w).strip())


def pieces_kg(piece: Mapping[str, Any]) -> float | None:
    """What all pieces of a plan's ``piece`` weigh, kg; None when it does not say."""
    return piece["mass_g"] / 1000.0 * piece.get("count", 1) if "mass_g" in piece else None
