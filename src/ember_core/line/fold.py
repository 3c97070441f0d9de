"""The state of a running cook, folded from its events.

Events are append-only; an undo is an event that names the one it takes back. The fold does not
depend on the order of arrival: events are ordered by when they occurred, then by their id.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ember_core.plan.kinds import HEAT_KINDS

START, MOVE, EXTEND, NOTE, UNDO, FINISH = "start", "move", "extend", "note", "undo", "finish"
CHECK = "check"
PROBE = "probe"  # what the cook says of it: out, back, right
# what happened to a piece besides its moves: see :mod:`ember_core.running.history`
STAGE = "stage"
HAPPENED = ("medium", "heat", "off", "turn", "baste", "door", STAGE)
KINDS = (START, MOVE, EXTEND, NOTE, UNDO, FINISH, CHECK, PROBE, *HAPPENED)


@dataclass(frozen=True)
class Event:
    """One thing that happened: ``at`` in s (kitchen time, any epoch), ``supersedes`` the id it takes back."""

    id: str
    kind: str
    at: float
    move: str = ""
    seconds: float = 0.0
    text: str = ""
    supersedes: str = ""
    payload: Mapping[str, Any] = field(default_factory=dict)


@dataclass
class MoveState:
    """A move with the time it is due and the time it was done."""

    id: str
    offset_s: float
    due: float
    done: float | None = None
    event: str = ""


@dataclass
class CookState:
    """What the events amount to."""

    started: float | None
    moves: list[MoveState]
    finished: float | None = None
    notes: list[str] = field(default_factory=list)
    next: int | None = None
    last_event: str = ""
    live: list[Event] = field(default_factory=list)

    def happened(self) -> list[Event]:
        """What happened besides its moves, in order of time."""
        return [e for e in self.live if e.kind in HAPPENED]

    def timeline(self) -> list[tuple[int, float]]:
        """Moves done so far: (index, time), in order of index."""
        return [(i, m.done) for i, m in enumerate(self.moves) if m.done is not None]


def _heats(event: Event) -> bool:
    """Whether a stage that the plan does not have is one of heat."""
    stage = event.payload.get("stage")
    return isinstance(stage, Mapping) and stage.get("kind") in HEAT_KINDS


def fold(events: Iterable[Event], moves: Sequence[Mapping[str, Any]]) -> CookState:
    """Fold events over the planned moves (each with ``id`` and ``offset_s``).

    A move counts from the first event that marks it; a later one for the same move changes nothing.
    What is still to come is due as long after the last move done as it was planned, plus what was
    added with *extend* since then.
    """
    unique: dict[str, Event] = {}
    for event in events:
        unique.setdefault(event.id, event)
    ordered = sorted(unique.values(), key=lambda e: (e.at, e.id))
    undone: set[str] = set()
    for event in reversed(ordered):  # an undone undo stands again
        if event.kind == UNDO and event.id not in undone:
            undone.add(event.supersedes)
    live = [e for e in ordered if e.kind != UNDO and e.id not in undone]
    started = next((e.at for e in live if e.kind == START), None)
    state = CookState(started, [MoveState(m["id"], float(m["offset_s"]), 0.0) for m in moves])
    by_id = {m.id: m for m in state.moves}
    anchor = started if started is not None else 0.0
    base = 0.0
    extra = 0.0
    for event in live:
        if event.kind == START and state.moves and state.moves[0].done is None:
            state.moves[0].done, state.moves[0].event = event.at, event.id
        elif event.kind == MOVE and event.move in by_id and by_id[event.move].done is None:
            move = by_id[event.move]
            move.done, move.event = event.at, event.id
            anchor, base, extra = event.at, move.offset_s, 0.0
        elif event.kind == EXTEND:
            extra += event.seconds
        elif event.kind == STAGE and _heats(event):
            pulled = next(
                (i for i, m in enumerate(state.moves) if m.done is not None and moves[i].get("kind") == "pull"), None
            )
            if pulled is not None:  # back on the heat: it is pulled once more, and what came after is still to come
                for m in state.moves[pulled:]:
                    m.done, m.event = None, ""
                longest = 60.0 * float(event.payload["stage"].get("minutes", 0.0))
                anchor, base, extra = event.at, state.moves[pulled].offset_s - longest, 0.0
        elif event.kind == NOTE:
            state.notes.append(event.text)
        elif event.kind == FINISH and state.finished is None:
            state.finished = event.at
    for move in state.moves:
        move.due = move.done if move.done is not None else anchor + (move.offset_s - base) + extra
    state.next = next((i for i, m in enumerate(state.moves) if m.done is None), None)
    state.live = live
    state.last_event = next((e.id for e in reversed(live) if e.kind in {MOVE, EXTEND, CHECK, PROBE, *HAPPENED}), "")
    return state
