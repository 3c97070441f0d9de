"""Between database rows and the core's fold."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime

from ember_core.line.fold import CookState, fold
from ember_core.line.fold import Event as CoreEvent
from ember_web.line.models import Cook, Event


def core_event(row: Event) -> CoreEvent:
    """An event row as the fold reads it; times in s since the epoch."""
    p = row.payload
    return CoreEvent(
        id=str(row.id),
        kind=row.kind,
        at=row.occurred_at.timestamp(),
        move=str(p.get("move", "")),
        seconds=float(p.get("seconds", 0.0)),
        text=str(p.get("text", "")),
        supersedes=str(row.supersedes) if row.supersedes else "",
    )


def state_of(cook: Cook, events: Iterable[Event] | None = None) -> CookState:
    """The folded state of a cook."""
    return fold([core_event(e) for e in (events if events is not None else cook.events.all())], cook.moves)


def moment(seconds: float) -> datetime:
    """A time of the fold as a datetime."""
    return datetime.fromtimestamp(seconds, UTC)
