"""The stages of a plan: what each face meets, and what ends it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

SHORT_DIP_S = 1800.0  # a shorter chill stops the cooking, a longer one keeps the food; our reading

SETTLE_MINUTES = 3.0  # default time constant of a settling medium


@dataclass(frozen=True)
class FaceSpec:
    """What one face meets, as the plan states it."""

    kind: str
    medium_c: float | None = None
    surface: Mapping[str, Any] | None = None
    cover: str | None = None
    variant: str | None = None
    medium_from_c: float | None = None
    settle_minutes: float = SETTLE_MINUTES
    humidity: float | None = None
    support: str | None = None  # what lies under the face in an oven; None: nothing that matters


@dataclass(frozen=True)
class StageSpec:
    """One stage: a kind, its longest duration, its faces and what may end it earlier."""

    kind: str
    minutes: float
    face_a: FaceSpec
    face_b: FaceSpec
    face_side: FaceSpec
    face_edge: FaceSpec  # one of a box's two long narrow sides; otherwise the same as the side
    until: str | None = None
    until_value: float = 0.0
    organism: str = "salmonella"
    load: Mapping[str, float] | None = None
    vent: str = "open"  # of an oven
    said: str | Mapping[str, str] | None = (
        None  # what its move says: a name in ``data/moves.toml``, or texts of the house
    )
    store: Mapping[str, Any] | None = None  # of heat, that its medium has; None: it keeps its temperature
    word: str = ""  # of the yolk that it waits for
    portion: Mapping[str, Any] | None = None  # the shape that the piece is cut into before this stage

    @property
    def seconds(self) -> float:
        """Longest duration, s."""
        return self.minutes * 60.0

    @property
    def all_faces(self) -> tuple[FaceSpec, FaceSpec, FaceSpec, FaceSpec]:
        """Faces a and b, the side, and the edge."""
        return self.face_a, self.face_b, self.face_side, self.face_edge
