"""The state of a kitchen's line, kept in memory and shared by all its screens.

A state is built once for all who ask: after an event at once, after readings a quarter of a second
later. Readings are fetched by one query, and only those that are new. Answers of the learning are
shown as they come; none is waited for.
"""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from django.db.models import Max

from ember_core.heat.arrays import Array
from ember_core.line.fold import CHECK, EXTEND, HAPPENED, CookState, fold
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.planning.moves import MoveKind
from ember_core.running.history import CORE, SECOND
from ember_core.running.intervals import heated_by
from ember_core.running.media import Off
from ember_core.running.probes import Neighbour
from ember_core.safety.whole_plan import PART_NAMES
from ember_core.wording.message import say, spoken
from ember_web.line.adapters import core_event, moment
from ember_web.line.bus import bus
from ember_web.line.clock import kitchen_time
from ember_web.line.cook_state import cook_state
from ember_web.line.courses import MAX_READINGS, course
from ember_web.line.freshness import changed, marks
from ember_web.line.learning import LEAST_READINGS, LearningQueue, Question, desk, question, thermal_key
from ember_web.line.media import Around, Media, Medium, Track, begun_uses, said_of_probe, unheard
from ember_web.line.models import Cook, Event, Reading
from ember_web.line.replaying import ReplayQueue, teller
from ember_web.line.replaying import cook_document as history_of
from ember_web.line.second_probe import later, lead_part, second_key, second_part, second_state
from ember_web.line.watch import Watch
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import ENGLISH, Voice

OLDEST_S = 1.0  # so old may a state be, real time
FRESH_S = 0.25  # and so old when there is something new to see soon; a board asks no sooner after it was told
OTHERWISE_S, OTHERWISE = (
    5.0,
    0.02,
)  # so far from its time, s, and as a share of it, may a move be done and the plan still be what happens
OVERDUE_S = 30.0  # of kitchen time: so late a move is, and so often then, it is looked at what the piece really is
EACH_READINGS = 6  # a piece whose heat was changed is replayed anew with so many readings more


class Piece:
    """A running cook in memory. Its plan never changes; what its events and readings amount to is worked out when they do."""

    def __init__(self, cook: Cook) -> None:
        self.cook = cook
        self.thermal = thermal_key(cook.document)
        self.events: tuple[Any, ...] | None = None
        self.state = CookState(None, [])
        self.track: Track | None = None
        self.second = Track()
        self.question: Question | None = None
        self.second_question: Question | None = None
        self.asked: tuple[Any, ...] = ()
        self.shown: tuple[Any, ...] = ()
        self.state_now: dict[str, Any] = {}
        self.texts: dict[Voice, str] = {}
        self.fell_due: tuple[tuple[Any, ...], int] | None = (
            None  # what was done when, and when its next move fell due, ms
        )
        self.around = Around((), (), ())
        self.doubt: Off | None = None
        self.silent = False
        self.watch, self.second_watch = Watch(), Watch()

    @property
    def begun(self) -> float:
        """When it started, s since 1970."""
        return self.state.started or self.cook.created_at.timestamp()

    def happened(self, rows: list[tuple[Any, ...]]) -> None:
        """Take its events: id, kind, payload, superseded id, time; they are only ever added to."""
        ids = tuple(r[0] for r in rows)
        if ids == self.events:
            return
        self.events = ids
        self.state = fold([core_event(*r) for r in rows], self.cook.moves)

    def said_of_probe(self, of: str) -> list[tuple[float, str]]:
        """What was said of its probe, or of its second one: s since it began, and ``out``, ``back`` or ``right``."""
        return [(e.at - self.begun, what) for e, what in said_of_probe(self.state, of)]

    def lies(self, tracks: Mapping[int, Medium], now: float, rate: float) -> None:
        """Bring up to date what it lies in: what is read there, and whether that must be asked about."""
        if not self.cook.gear:
            return
        found = begun_uses(self.cook.document, self.cook.result, self.cook.moves, self.state, self.cook.gear)
        self.around = Around.of(found, self.state, tracks)
        self.doubt = self.around.doubt(self.state)
        self.silent = self.around.silent(now, rate)

    def lies_in(self, tracks: Mapping[int, Medium]) -> Medium | None:
        """The gear it lies in now, if that has a thermometer."""
        last = self.around.stays[-1] if self.around.stays else None
        return None if last is None or last.gear is None else tracks.get(last.gear)

    def heat_c(self) -> float | None:
        """What heats it now by its plan, °C; None: nothing does."""
        done = [raw["stage"] for m, raw in zip(self.state.moves, self.cook.moves, strict=True) if m.done is not None]
        stages = self.cook.document["stages"]
        if not done or done[-1] is None or done[-1] >= len(stages) or stages[done[-1]]["kind"] not in HEAT_KINDS:
            return None
        stage = stages[done[-1]]
        heat = heated_by(stage).get("medium_c")
        return None if heat is None else float(heat)

    def doubted(self, others: list[Piece]) -> None:
        """Look whether its probes jumped."""
        assert self.track is not None
        air = float(self.cook.document.get("kitchen", {}).get("air_c", 22.0))
        common: dict[str, Any] = {"over": self.state.next is None, "air_c": air, "heat_c": self.heat_c()}
        first, other = self.said_of_probe(CORE), second_part(self.cook.result)
        self.watch.look(
            self.track, first, self.begun, **common,
            near=lambda now: self._near(others, now) | self._beside(other, self.second, now),
        )  # fmt: skip
        if other is None or self.cook.second_probe_id is None:
            return
        track, lead = self.track, lead_part(self.cook.result)
        self.second_watch.look(
            self.second, self.said_of_probe(SECOND), self.begun, **common,
            near=lambda now: self._near(others, now) | self._beside(lead, track, now),
        )  # fmt: skip

    def _near(self, others: list[Piece], now: float) -> dict[str, Neighbour]:
        """The other pieces on the line, ``now`` in s since this one began."""
        return {
            str(p.cook.pk): Neighbour(
                p.cook.title, _core_now(p, self.begun + now), np.array(p.track.times) - self.begun, np.array(p.track.values)
            )
            for p in others
            if p is not self and p.track is not None
        }  # fmt: skip

    def _beside(self, part: str | None, track: Track, now: float) -> dict[str, Neighbour]:
        """Another part of a bird, by the probe in it: the two may be swapped; ``now`` in s since it began."""
        if part is None or not track.times:
            return {}
        times, values = np.array(track.times) - self.begun, np.array(track.values)
        return {part: Neighbour(say(PART_NAMES[part]), float(np.interp(now, times, values)), times, values)}

    def believed(self) -> tuple[Array, Array]:
        """The readings of its probe that are believed."""
        assert self.track is not None
        return self.watch.believed(self.track, self.said_of_probe(CORE), self.begun)

    def otherwise(self, now: float) -> bool:
        """Whether what happened is not what was planned: a move early, late or left out, time added, another heat, a check.

        A pull that waits for its core is late only by the core; every other move by the clock.
        """
        state = self.state
        if state.started is None:
            return False
        if any(e.kind in {CHECK, EXTEND} or e.kind in HAPPENED for e in state.live):
            return True
        done = [i for i, m in enumerate(state.moves) if m.done is not None]
        for i, (move, raw) in enumerate(zip(state.moves, self.cook.moves, strict=True)):
            slack = max(OTHERWISE_S, OTHERWISE * move.offset_s)
            if move.done is None:
                left_out = bool(done) and i < done[-1]
                late = i == state.next and raw["kind"] != MoveKind.PULL and now > move.due + slack
                if left_out or late:
                    return True
            elif abs(move.done - state.started - move.offset_s) > slack:
                return True
        return False

    def replayed(self, now: float) -> tuple[Any, Callable[[], tuple[dict[str, Any], float]]] | None:
        """Whether its history must be replayed: a key that changes when it must be anew, and what makes its document.

        A piece that goes as planned is not; one that was pulled, checked, changed, that differs from its plan, or whose move is
        overdue is.
        """
        assert self.track is not None
        state, track = self.state, self.track
        if state.started is None:
            return None
        told = self.otherwise(now)
        pulled = any(
            m.done is not None and raw["kind"] == MoveKind.PULL
            for m, raw in zip(state.moves, self.cook.moves, strict=True)
        )
        due = None if state.next is None else state.moves[state.next].due
        late = due is not None and now > due + OVERDUE_S
        if not (told or pulled or late):
            return None
        key = (
            self.events,
            (len(track.times) + self.around.count) // EACH_READINGS if told else 0,
            int((now - due) / OVERDUE_S) if late and due is not None else 0,
        )
        times, cores = self.believed()
        return key, lambda: (
            history_of(self.cook.document, state, now, times.tolist(), cores.tolist(), self.around), self.begun
        )  # fmt: skip

    def renew(
        self,
        ask: Callable[[Question | None, bool], dict[str, Any] | None],
        truth: Callable[[Any], dict[str, Any] | None] | None = None,
        now: float = 0.0,
        medium: Medium | None = None,
    ) -> None:
        """Bring what is shown of it up to date."""
        assert self.track is not None
        read = (len(self.track.times), len(self.second.times), self.around.count)
        faults = (self.watch.fault, self.second_watch.fault)
        asked = (self.events, read, faults, self.doubt, self.silent)
        if asked != self.asked:
            self.asked = asked
            around, part = self.around.believed(), second_part(self.cook.result)
            self.question = question(self.cook, self.thermal, self.state, self.believed(), around, self.begun)
            if self.cook.second_probe_id is not None and part is not None:
                other = self.second_watch.believed(self.second, self.said_of_probe(SECOND), self.begun)
                thermal = second_key(self.thermal, part)
                self.second_question = question(self.cook, thermal, self.state, other, around, self.begun)
        altered = self.otherwise(now)
        learned = ask(None if altered else self.question, False)  # what was prepared is of the plan as it was
        of_second = ask(None if altered else self.second_question, True)
        real = self._overdue(None if truth is None else truth(self.replayed(now)), now)
        if altered:
            learned = self._pull_of(real)
        shown = (*asked, *(None if x is None else tuple(x.items()) for x in (learned, of_second)), repr(real))
        if shown != self.shown:
            self.shown = shown
            of_first, of_other = (None if f is None else f.question() for f in faults)
            doubt = {"probeFault": of_first} | self._of_medium(medium)
            pull = later(learned, of_second)
            doubt["second"] = second_state(self.cook, self.second, of_second, of_other)
            self.state_now = cook_state(self.cook, self.state, self.track, pull, real, altered=altered) | doubt
            self.texts = {}

    def _pull_of(self, real: dict[str, Any] | None) -> dict[str, Any] | None:
        """The pull by a replay with what its probe read, as the learning would say it; None without one, or without readings."""
        assert self.track is not None
        coming = None if real is None else real["next"]
        if coming is None or coming["kind"] != MoveKind.PULL or len(self.track.times) < LEAST_READINGS:
            return None
        return {
            "from": coming["from"],
            "likely": coming["at"],
            "to": coming["to"],
            "used": len(self.track.times),
            "note": "",
        }

    def _overdue(self, real: dict[str, Any] | None, now: float) -> dict[str, Any] | None:
        """What was replayed, with its next move due when it first fell due: a replay only ever says *now* of what is late."""
        if real is None or real["next"] is None:
            return real
        key, at = (self.events, real["next"]["move"]), int(real["next"]["at"])
        if self.fell_due is not None and self.fell_due[0] == key:
            at = min(at, self.fell_due[1])
        if at <= 1000.0 * now:
            self.fell_due = (key, at)
        return {**real, "next": {**real["next"], "at": at}}

    def _of_medium(self, medium: Medium | None) -> dict[str, Any]:
        """What a board shows and asks of the gear it lies in."""
        if medium is None:
            return {}
        last = medium.track.last
        doubt = self.doubt
        return {
            "medium": {
                "name": medium.name,
                "read": None if last is None else [round(last[0] * 1000), round(last[1] + medium.offset_k, 1)],
                "ask": None if doubt is None else doubt.question(medium.name),
                "reads": None if doubt is None else round(doubt.reads_c, 1),
                "since": None if doubt is None else round(doubt.since_s * 1000),
                "silent": unheard(medium.name) if self.silent else None,
                "clock": medium.clock(),
            }
        }

    def json(self, voice: Voice) -> str:
        """This cook in the state document, said by a voice; the words are made once for all who share it."""
        text = self.texts.get(voice)
        if text is None:
            said = spoken(self.state_now, voice.speaker)
            text = self.texts[voice] = json.dumps(said, separators=(",", ":"))
        return text


def _document(kitchen: Kitchen, cooks: str) -> str:
    """The state document of this moment."""
    clock = {"now": round(kitchen.now().timestamp() * 1000), "rate": kitchen.clock_rate, "zone": kitchen.zone}
    return f'{json.dumps(clock)[:-1]}, "cooks": [{cooks}]}}'


class Board:
    """One kitchen's line in this process."""

    def __init__(
        self, desk: LearningQueue = desk, clock: Callable[[], float] = time.monotonic, teller: ReplayQueue = teller
    ) -> None:
        self.desk, self.clock, self.teller = desk, clock, teller
        self.lock = threading.Lock()
        self.pieces: dict[int, Piece] = {}
        self.last_id: int | None = None
        self.media = Media()
        self.built = -1e9
        self.marks = (-1, -1)
        self.clock_key: tuple[Any, ...] = ()
        self.on_line: list[Piece] = []
        self.cooks: dict[Voice, str] = {}
        self.told: dict[Voice, tuple[int, str]] = {}  # marks that were known, and what each reader was told last

    def text(self, kitchen: Kitchen, voice: Voice) -> str:
        """The state document as JSON, said by a voice; its clock is of this moment."""
        told = self.told.get(voice)
        # while it is being brought up to date, what was told last will do; not when somebody has marked something since
        if not self.lock.acquire(blocking=told is None or told[0] != marks(kitchen.public_id)[0]):
            return _document(kitchen, told[1] if told else "")
        try:
            found = marks(kitchen.public_id)
            clock_key = (kitchen.clock_real, kitchen.clock_kitchen, kitchen.clock_rate)
            old = self.clock() - self.built > (OLDEST_S if found[1] == self.marks[1] else min(FRESH_S, OLDEST_S))
            if old or found[0] != self.marks[0] or clock_key != self.clock_key:
                begun = self.clock()
                kitchen_time(kitchen)
                self.on_line = self._cooks(kitchen)
                self.cooks = {}
                self.built, self.marks, self.clock_key = begun, found, clock_key
            if voice not in self.cooks:
                self.cooks[voice] = ",".join(p.json(voice) for p in self.on_line)
            self.told[voice] = (self.marks[0], self.cooks[voice])
            return _document(kitchen, self.cooks[voice])
        finally:
            self.lock.release()

    def _cooks(self, kitchen: Kitchen) -> list[Piece]:
        running = list(Cook.objects.filter(kitchen=kitchen, finished=False).values_list("id", "probe_id"))
        known = {i for i, probe in running if i in self.pieces and self.pieces[i].cook.probe_id == probe}
        gone = set(self.pieces) - known
        for cook_id in gone:
            del self.pieces[cook_id]
        self.desk.forget(gone | {-i for i in gone})
        self.teller.forget(gone)
        new = [i for i, _ in running if i not in known]
        if new:
            for cook in Cook.objects.filter(pk__in=new).select_related("probe", "second_probe"):
                self.pieces[cook.pk] = Piece(cook)
        events: dict[int, list[tuple[Any, ...]]] = {i: [] for i, _ in running}
        wanted = ("cook_id", "id", "kind", "payload", "supersedes", "occurred_at")
        for cook_id, *rest in (
            Event.objects.filter(cook_id__in=list(events)).order_by("occurred_at", "id").values_list(*wanted)
        ):
            events[cook_id].append(tuple(rest))
        pieces = [self.pieces[i] for i, _ in running if i in self.pieces]
        for piece in pieces:
            piece.happened(events[piece.cook.pk])
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
                return self.teller.ask(i, key, document, changed_since)

            def learnt(asked: Question | None, of_second: bool, i: int = p.cook.pk) -> dict[str, Any] | None:
                return self.desk.ask(
                    -i if of_second else i, asked, changed_since
                )  # a second probe's question has the negative key

            p.renew(learnt, truth, now, p.lies_in(self.media.by_key))
        return pieces

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


def told_dues(kitchen: Kitchen) -> dict[str, dict[str, int]]:
    """When moves are due as the kitchen's boards were told last, ms since 1970, by cook and move; empty where nobody looked yet."""
    with _boards_lock:
        board = _boards.get(kitchen.pk)
    states = [] if board is None else [p.state_now for p in board.on_line]
    return {s["id"]: {m["id"]: m["due"] for m in s["moves"]} for s in states if s}


def forget_boards() -> None:
    """Begin anew, as a new process does; for tests."""
    with _boards_lock:
        _boards.clear()


def _core_now(piece: Piece, now: float) -> float:
    """A piece's core as far as it is known without computing: read, else by its plan's course, °C."""
    if piece.track is not None and piece.track.values:
        return piece.track.values[-1]
    trace = np.array(piece.cook.trace)
    return float(np.interp(now - piece.begun, trace[:, 0], trace[:, 1])) if trace.size else 0.0


def line_text(kitchen: Kitchen, voice: Voice = ENGLISH) -> str:
    """The state document of Line, as JSON; words as a voice says them, numbers in SI."""
    return board_of(kitchen).text(kitchen, voice)
