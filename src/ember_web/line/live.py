"""The state of a kitchen's line, kept in memory and shared by all its screens.

A state is built once for all who ask: after an event at once, after readings a quarter of a second
later. Readings are fetched by one query, and only those that are new. Answers of the learning are
shown as they come; none is waited for.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import Any

from django.db.models import Count, Max

from ember_web.line.adapters import moment
from ember_web.line.bus import bus
from ember_web.line.clock import kitchen_time
from ember_web.line.computing import Question
from ember_web.line.courses import MAX_READINGS, course
from ember_web.line.freshness import changed, marks
from ember_web.line.learning import LearningQueue, pull_queue
from ember_web.line.media import Media, Track
from ember_web.line.models import Cook, Event, Reading
from ember_web.line.piece import Piece
from ember_web.line.replaying import ReplayQueue, replay_queue
from ember_web.line.snapshot import Snapshot
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import ENGLISH, Voice

OLDEST_S = 1.0  # so old may a state be, real time
FRESH_S = 0.25  # and so old when there is something new to see soon


class Board:
    """One kitchen's line in this process."""

    def __init__(
        self,
        pulls: LearningQueue = pull_queue,
        clock: Callable[[], float] = time.monotonic,
        replays: ReplayQueue = replay_queue,
    ) -> None:
        self.pulls, self.clock, self.replays = pulls, clock, replays
        self.lock = threading.Lock()
        self.pieces: dict[int, Piece] = {}
        self.last_id: int | None = None
        self.media = Media()
        self.built = -1e9
        self.marks = (-1, -1)
        self.clock_key: tuple[Any, ...] = ()
        self.on_line: list[Piece] = []
        self.snapshot = Snapshot()

    def renew(self, kitchen: Kitchen) -> bool:
        """Bring it up to date if something happened or was read. While another does, what was shown last will do, unless somebody
        has marked something since. Whether there is something new to tell."""
        if not self.lock.acquire(blocking=self.built < 0.0 or self.marks[0] != marks(kitchen.public_id)[0]):
            return False
        try:
            found = marks(kitchen.public_id)
            clock_key = kitchen.clock_key
            old = self.clock() - self.built > (OLDEST_S if found[1] == self.marks[1] else min(FRESH_S, OLDEST_S))
            if not old and found[0] == self.marks[0] and clock_key == self.clock_key:
                return False
            begun = self.clock()
            kitchen_time(kitchen)
            self.on_line = self._cooks(kitchen)
            new = self.snapshot.take([p.state_now for p in self.on_line]) or clock_key != self.clock_key
            self.built, self.marks, self.clock_key = begun, found, clock_key
            return new
        finally:
            self.lock.release()

    def changes_since(self, kitchen: Kitchen, voice: Voice, since: str = "") -> tuple[str, str]:
        """What is shown: its revision, and it as JSON, see :meth:`Snapshot.document`; its clock is of this moment."""
        clock = {"now": round(kitchen.now().timestamp() * 1000), "rate": kitchen.clock_rate, "zone": kitchen.zone}
        return self.snapshot.document(clock, voice, since)

    def _cooks(self, kitchen: Kitchen) -> list[Piece]:
        running = list(Cook.objects.filter(kitchen=kitchen, finished=False).values_list("id", "probe_id"))
        known = {i for i, probe in running if i in self.pieces and self.pieces[i].cook.probe_id == probe}
        gone = set(self.pieces) - known
        for cook_id in gone:
            del self.pieces[cook_id]
        self.pulls.forget(gone | {-i for i in gone})
        self.replays.forget(gone)
        new = [i for i, _ in running if i not in known]
        if new:
            for cook in Cook.objects.filter(pk__in=new).select_related("probe", "second_probe"):
                self.pieces[cook.pk] = Piece(cook)
        pieces = [self.pieces[i] for i, _ in running if i in self.pieces]
        self._happened(pieces)
        self._read(kitchen, pieces)

        def changed_since() -> None:
            changed(kitchen.public_id, soon=True)
            bus.wake(kitchen.public_id)

        now = kitchen.now().timestamp()
        self.media.read(
            kitchen, {g for p in pieces for g in p.cook.gear.values()}, min((p.begun for p in pieces), default=now)
        )
        for p in pieces:
            p.doubted(pieces)
            p.lies(self.media.by_key, now, kitchen.clock_rate)

            def truth(asked: Any, i: int = p.cook.pk) -> dict[str, Any] | None:
                key, document = asked or (None, None)
                return self.replays.ask(i, key, document, changed_since)

            def learnt(asked: Question | None, of_second: bool, i: int = p.cook.pk) -> dict[str, Any] | None:
                # a second probe's question has the negative key
                return self.pulls.ask(-i if of_second else i, asked, changed_since)

            p.renew(learnt, truth, now, p.lies_in(self.media.by_key))
        return pieces

    def _happened(self, pieces: list[Piece]) -> None:
        """Bring the events up to date: of a piece that has as many as before, none is fetched, for they are only ever added to."""
        counts = Event.objects.filter(cook__in=[p.cook.pk for p in pieces]).order_by().values_list("cook_id")
        many: dict[int, int] = dict(counts.annotate(many=Count("id")))
        behind = {p.cook.pk: p for p in pieces if len(p.events or ()) != many.get(p.cook.pk, 0) or p.events is None}
        if not behind:
            return
        events: dict[int, list[tuple[Any, ...]]] = {i: [] for i in behind}
        wanted = ("cook_id", "id", "kind", "payload", "supersedes", "occurred_at")
        for cook_id, *rest in (
            Event.objects.filter(cook_id__in=list(behind)).order_by("occurred_at", "id").values_list(*wanted)
        ):
            events[cook_id].append(tuple(rest))
        for cook_id, piece in behind.items():
            piece.happened(events[cook_id])

    def _read(self, kitchen: Kitchen, pieces: list[Piece]) -> None:
        """Bring the tracks up to date."""
        rows = Reading.objects.filter(kitchen=kitchen)
        if self.last_id is None:
            self.last_id = rows.order_by("-id").values_list("id", flat=True).first() or 0
        known = [p for p in pieces if p.track is not None]
        by_probe = {p.cook.probe_id: (p, p.track) for p in known}
        by_probe |= {p.cook.second_probe_id: (p, p.second) for p in known if p.cook.second_probe_id is not None}
        # ids of a kitchen's readings are given in the order of their commits (see the API)
        columns = ("id", "probe_id", "measured_at", "core_c")
        newer = rows.filter(id__gt=self.last_id).order_by("id")
        fresh = list(newer.values_list(*columns)[: MAX_READINGS + 1])
        if len(fresh) > MAX_READINGS:  # nobody looked for long: begin anew, in bounded amounts
            self.last_id, fresh = rows.aggregate(last=Max("id"))["last"] or 0, []
            for unseen in known:
                unseen.track = None
        for row_id, probe, at, core in fresh:
            self.last_id = row_id
            piece, track = by_probe.get(probe, (None, None))
            if piece is not None and track is not None and at.timestamp() >= piece.begun:
                track.add(at.timestamp(), core)
        for piece in pieces:
            if piece.track is not None:
                continue
            old = rows.filter(measured_at__gte=moment(piece.begun), id__lte=self.last_id)
            piece.track, piece.second = (
                Track() if own is None else Track.of(course(old.filter(probe_id=own), "core_c"))
                for own in (piece.cook.probe_id, piece.cook.second_probe_id)
            )


_boards: dict[int, Board] = {}
_boards_lock = threading.Lock()


def board_of(kitchen: Kitchen) -> Board:
    """The board that all screens of a kitchen share in this process."""
    with _boards_lock:
        return _boards.setdefault(kitchen.pk, Board())


def dues_of(kitchen: Kitchen) -> dict[str, dict[str, int]]:
    """When moves are due as the kitchen's boards were told last, ms since 1970, by cook and move; empty where nobody looked yet."""
    with _boards_lock:
        board = _boards.get(kitchen.pk)
    states = [] if board is None else [p.state_now for p in board.on_line]
    return {s["id"]: {m["id"]: m["due"] for m in s["moves"]} for s in states if s}


def forget_boards() -> None:
    """Begin anew, as a new process does; for tests."""
    with _boards_lock:
        _boards.clear()


def line_text(kitchen: Kitchen, voice: Voice = ENGLISH, since: str = "") -> str:
    """The state document of Line, as JSON: the whole, or what changed since a revision; words as a voice says them, numbers in SI."""
    board = board_of(kitchen)
    board.renew(kitchen)
    return board.changes_since(kitchen, voice, since)[1]
