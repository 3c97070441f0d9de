"""The state of a kitchen's line, kept in memory and shared by all its screens.

A state is built once for all who ask: after an event at once, after readings at most once a
second. Readings are fetched by one query, and only those that are new. Answers of the learning are
shown as they come; none is waited for.
"""

from __future__ import annotations

import bisect
import json
import threading
import time
from collections.abc import Callable
from datetime import datetime
from typing import Any

import numpy as np

from ember_core.line.fold import CookState
from ember_web.kitchens.models import Kitchen
from ember_web.line.adapters import moment, state_of
from ember_web.line.freshness import changed, marks
from ember_web.line.learning import Desk, desk, question
from ember_web.line.models import Cook, Reading
from ember_web.line.services import kitchen_time

OLDEST_S = 1.0  # so old may a state be, real time
READINGS_SHOWN = 240


class Track:
    """Readings of one cook's probe since it started, in order of time (s since 1970, °C)."""

    def __init__(self) -> None:
        self.times: list[float] = []
        self.cores: list[float] = []

    def add(self, at: float, core_c: float) -> None:
        """Put one in its place; readings may arrive late."""
        where = bisect.bisect_right(self.times, at)
        self.times.insert(where, at)
        self.cores.insert(where, core_c)


class Board:
    """One kitchen's line in this process."""

    def __init__(self, kitchen_id: int, desk: Desk = desk, clock: Callable[[], float] = time.monotonic) -> None:
        self.kitchen_id = kitchen_id
        self.desk, self.clock = desk, clock
        self.lock = threading.Lock()
        self.tracks: dict[int, Track] = {}
        self.probes: dict[int, int | None] = {}
        self.last_id: int | None = None
        self.built = -1e9
        self.marks = (-1, -1)
        self.clock_key: tuple[Any, ...] = ()
        self.cooks = "[]"

    def text(self, kitchen: Kitchen) -> str:
        """The state document as JSON; its clock is of this moment."""
        with self.lock:
            now = kitchen_time(kitchen)
            found = marks(kitchen.public_id)
            age = self.clock() - self.built
            clock_key = (kitchen.clock_real, kitchen.clock_kitchen, kitchen.clock_rate)
            stale = age > OLDEST_S or found[0] != self.marks[0] or clock_key != self.clock_key
            if stale:
                begun = self.clock()
                self.cooks = json.dumps(self._cooks(kitchen, now), separators=(",", ":"))
                self.built, self.marks, self.clock_key = begun, found, clock_key
            head = json.dumps({"now": round(now.timestamp() * 1000), "rate": kitchen.clock_rate, "zone": kitchen.zone})
            return f'{head[:-1]}, "cooks": {self.cooks}}}'

    def _cooks(self, kitchen: Kitchen, now: datetime) -> list[dict[str, Any]]:
        rows = list(
            Cook.objects.filter(kitchen=kitchen, finished=False).select_related("probe").prefetch_related("events")
        )
        states = {cook.id: state_of(cook) for cook in rows}
        self._read(kitchen, rows, states)
        public = kitchen.public_id
        return [
            cook_state(
                c,
                states[c.id],
                self.tracks[c.id],
                now,
                lambda q, i=c.id: self.desk.ask(i, q, lambda: changed(public, soon=True)),
            )
            for c in rows
        ]

    def _read(self, kitchen: Kitchen, rows: list[Cook], states: dict[int, CookState]) -> None:
        """Bring the tracks up to date."""
        gone = set(self.tracks) - {c.id for c in rows}
        gone |= {c.id for c in rows if c.id in self.tracks and self.probes[c.id] != c.probe_id}
        for cook_id in gone:
            del self.tracks[cook_id], self.probes[cook_id]
        self.desk.forget(gone)
        new = Reading.objects.filter(kitchen=kitchen)
        if self.last_id is None:
            self.last_id = new.order_by("-id").values_list("id", flat=True).first() or 0
        by_probe = {self.probes[i]: self.tracks[i] for i in self.tracks}
        since = {c.probe_id: _begin(c, states[c.id]) for c in rows}
        # ids of a kitchen's readings are given in the order of their commits (see the API)
        fresh = new.filter(id__gt=self.last_id).order_by("id").values_list("id", "probe_id", "measured_at", "core_c")
        for row_id, probe, at, core in fresh:
            self.last_id = row_id
            if probe in by_probe and at.timestamp() >= since[probe]:
                by_probe[probe].add(at.timestamp(), core)
        for cook in rows:
            if cook.id in self.tracks:
                continue
            track = self.tracks[cook.id] = Track()
            self.probes[cook.id] = cook.probe_id
            if cook.probe_id is not None:
                old = new.filter(
                    probe_id=cook.probe_id, measured_at__gte=moment(since[cook.probe_id]), id__lte=self.last_id
                ).order_by("measured_at", "id")
                for at, core in old.values_list("measured_at", "core_c"):
                    track.add(at.timestamp(), core)


_boards: dict[int, Board] = {}
_boards_lock = threading.Lock()


def board_of(kitchen: Kitchen) -> Board:
    """The board that all screens of a kitchen share in this process."""
    with _boards_lock:
        return _boards.setdefault(kitchen.pk, Board(kitchen.pk))


def forget_boards() -> None:
    """Begin anew, as a new process does; for tests."""
    with _boards_lock:
        _boards.clear()


def _begin(cook: Cook, state: CookState) -> float:
    return state.started or cook.created_at.timestamp()


def predicted(trace: list[list[float]], t_s: float) -> float | None:
    """Predicted core at ``t_s`` s from a trace of (s, °C) pairs."""
    if not trace or t_s < 0:
        return None
    before = trace[0]
    for point in trace:
        if point[0] >= t_s:
            width = point[0] - before[0]
            return before[1] if width <= 0 else before[1] + (point[1] - before[1]) * (t_s - before[0]) / width
        before = point
    return before[1]


def plan_time(state: CookState, now_s: float) -> float:
    """Where the cook stands on the plan's own time axis: since the last move done, from that move's offset."""
    done = [(m.done, m.offset_s) for m in state.moves if m.done is not None]
    if not done:
        return 0.0
    at, offset = max(done, key=lambda d: d[1])
    following = next((m for m in state.moves if m.done is None), None)
    elapsed = now_s - at
    if following is not None:
        elapsed = min(elapsed, following.offset_s - offset)  # a late move holds the plan where it is
    return offset + max(elapsed, 0.0)


def cook_state(
    cook: Cook, state: CookState, track: Track, now: datetime, ask: Callable[[Any], dict[str, Any] | None]
) -> dict[str, Any]:
    """One cook as the page needs it; times in ms since the epoch."""
    times, cores = track.times, track.cores
    step = max(1, -(-len(times) // READINGS_SHOWN))
    shown = [*range(0, len(times), step)]
    if times and shown[-1] != len(times) - 1:
        shown.append(len(times) - 1)
    start = _begin(cook, state)
    here = plan_time(state, now.timestamp())
    document = cook.document
    return {
        "id": cook.public_id,
        "title": cook.title,
        "station": cook.station,
        "count": document["piece"].get("count", 1),
        "started": round(start * 1000),
        "finished": None if state.finished is None else round(state.finished * 1000),
        "probe": None if cook.probe is None else str(cook.probe),
        "next": state.next,
        "lastEvent": state.last_event,
        "target": document.get("target", {}).get("core_c"),
        "pullCore": (cook.result.get("coast") or {}).get("pull_core_c"),
        "predicted": predicted(cook.trace, here),
        "trace": cook.trace,
        "planNow": round(here, 1),
        "learned": ask(question(cook, state, np.array(times), np.array(cores), start)),
        "readings": [[round(times[i] - start, 1), round(cores[i], 2)] for i in shown],
        "lastReading": None if not times else [round(times[-1] * 1000), round(cores[-1], 2)],
        "moves": [
            {
                "id": m.id,
                "verb": raw["verb"],
                "cue": raw["cue"],
                "why": raw["why"],
                "caution": raw["caution"],
                "core": raw["core_c"],
                "offset": m.offset_s,
                "due": round(m.due * 1000),
                "done": None if m.done is None else round(m.done * 1000),
            }
            for m, raw in zip(state.moves, cook.moves, strict=True)
        ],
    }


def line_text(kitchen: Kitchen) -> str:
    """The state document of Line, as JSON."""
    return board_of(kitchen).text(kitchen)
