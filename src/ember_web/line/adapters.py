"""Between database rows and the core's fold."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime
from typing import Any
from uuid import UUID

from ember_core.line.fold import CookState, fold
from ember_core.line.fold import Event as CoreEvent
from ember_web.line.models import Cook, Event


def core_event(
    event_id: UUID, kind: str, payload: Mapping[str, Any], supersedes: UUID | None, occurred_at: datetime
) -> CoreEvent:
    """The columns of an event as the fold reads them; times in s since the epoch."""
    return CoreEvent(
        id=str(event_id),
        kind=kind,
        at=occurred_at.timestamp(),
        move=str(payload.get("move", "")),
        seconds=float(payload.get("seconds", 0.0)),
        text=str(payload.get("text", "")),
        supersedes=str(supersedes) if supersedes else "",
        payload=payload,
    )


def state_of(cook: Cook, events: Iterable[Event] | None = None) -> CookState:
    """The folded state of a cook."""
    rows = events if events is not None else cook.events.all()
    return fold([core_event(e.id, e.kind, e.payload, e.supersedes, e.occurred_at) for e in rows], cook.moves)


def moment(seconds: float) -> datetime:
    """A time of the fold as a datetime."""
    return datetime.fromtimestamp(seconds, UTC)
