"""A running cook in memory: what its events and readings amount to, worked out when they change."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.line.fold import CHECK, EXTEND, HAPPENED, CookState, fold
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.probe_places import PART_NAMES
from ember_core.planning.moves import MoveKind
from ember_core.running.history import CORE, SECOND
from ember_core.running.intervals import heated_by
from ember_core.running.media import Off
from ember_core.running.probes import Neighbour
from ember_core.wording.message import say
from ember_web.line.adapters import core_event
from ember_web.line.computing import Question
from ember_web.line.cook_state import cook_state
from ember_web.line.learning import LEAST_READINGS, question, thermal_key
from ember_web.line.media import Around, Medium, Track, begun_uses, said_of_probe, unheard
from ember_web.line.models import Cook
from ember_web.line.replaying import cook_document as history_of
from ember_web.line.second_probe import later, lead_part, second_key, second_part, second_state
from ember_web.line.watch import Watch

# so far from its time, s, and as a share of it, may a move be done and the plan still be what happens
OTHERWISE_S, OTHERWISE = 5.0, 0.02
OVERDUE_S = 30.0  # of kitchen time: so late a move is, and so often then, it is looked at what the piece really is
# a piece whose heat was changed is replayed anew with so many readings more, and with more the further its next move is
EACH_READINGS, FURTHER_S, SELDOM = 6, 300.0, 6
MARKS_KNOWN = 20  # of the last events a board is told that they are in what it sees


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
        each = EACH_READINGS * (1 + min(int(max((due or now) - now, 0.0) / FURTHER_S), SELDOM - 1))
        key = (
            self.events,
            (len(track.times) + self.around.count) // each if told else 0,
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
            doubt: dict[str, Any] = {
                "probeFault": of_first,
                "marks": [str(i) for i in (self.events or ())[-MARKS_KNOWN:]],
            }
            doubt |= self._of_medium(medium)
            pull = later(learned, of_second)
            doubt["second"] = second_state(self.cook, self.second, of_second, of_other)
            self.state_now = cook_state(self.cook, self.state, self.track, pull, real, altered=altered) | doubt

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
            return {"medium": None}
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


def _core_now(piece: Piece, now: float) -> float:
    """A piece's core as far as it is known without computing: read, else by its plan's course, °C."""
    if piece.track is not None and piece.track.values:
        return piece.track.values[-1]
    trace = np.array(piece.cook.trace)
    return float(np.interp(now - piece.begun, trace[:, 0], trace[:, 1])) if trace.size else 0.0
