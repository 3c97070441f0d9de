"""What is really happening to a cook on the line: its history as the core replays it, worked out beside the requests."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Future
from dataclasses import replace
from typing import Any

from ember_core.errors import EmberError
from ember_core.line.fold import CHECK, EXTEND, FINISH, HAPPENED, MOVE, PROBE, STAGE, START, CookState
from ember_core.line.fold import Event as CoreEvent
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.running.history import FORMAT, Running, running
from ember_web.jobs.newest import NewestQueue
from ember_web.line.computing import replay_words
from ember_web.line.media import Around
from ember_web.line.workers import workers

READINGS = 200  # of a probe that are handed over, the last of them


def cook_document(
    document: Mapping[str, Any],
    state: CookState,
    now: float,
    times: Sequence[float] = (),
    cores: Sequence[float] = (),
    around: Around | None = None,
) -> dict[str, Any]:
    """A cook as ``open-ember.cook/1``: its plan, what happened and what was read in it and about it; times of the state in s since 1970.

    A move that lies behind one that was done later in the plan is left out, as the board leaves it.
    """
    start = state.started if state.started is not None else now
    events: list[dict[str, Any]] = [{"at_s": 0.0, "kind": START}]
    furthest = 0
    for e in state.live:
        at = max(e.at - start, 0.0)
        if e.kind == MOVE:
            index = int(e.move[1:]) if e.move[1:].isdigit() else 0
            if index <= furthest:
                continue
            furthest = index
            events.append({"at_s": at, "kind": MOVE, "move": f"m{index}"})
        elif e.kind == EXTEND:
            events.append({"at_s": at, "kind": EXTEND, "seconds": e.seconds})
        elif e.kind == FINISH:
            events.append({"at_s": at, "kind": FINISH})
        elif e.kind in {CHECK, PROBE} or e.kind in HAPPENED:
            events.append({"at_s": at, "kind": e.kind, **e.payload})
            stages, back = document["stages"], e.payload.get("stage")
            on = e.kind == STAGE and isinstance(back, Mapping) and back.get("kind") in HEAT_KINDS
            if on and furthest < len(stages) and stages[furthest]["kind"] not in HEAT_KINDS:
                furthest -= 1  # back on the heat: it is pulled once more
    now_s = max(now - start, *(e["at_s"] for e in events))
    read = [
        {"t_s": t - start, "core_c": c} for t, c in list(zip(times, cores, strict=True))[-READINGS:] if 0.0 <= t - start <= now_s
    ]  # fmt: skip
    told = {"format": FORMAT, "plan": dict(document), "now_s": now_s, "events": events, "readings": read}
    if around is None or not around.count:
        return told
    pairs = list(zip(*(column.tolist() for column in around.believed()), strict=True))[-READINGS:]
    return told | {
        "medium_readings": [
            {"t_s": t - start, "medium_c": min(max(c, -60.0), 450.0)} for t, c in pairs if 0.0 <= t - start <= now_s
        ]
    }


def as_done(
    document: Mapping[str, Any], state: CookState, moves: Sequence[Mapping[str, Any]]
) -> tuple[Mapping[str, Any], list[dict[str, Any]]]:
    """The plan of what really is done to a cook, and when each of its stages began, for who simulates its piece; s since 1970.

    It changes with what happens, not with the time: what is under way is parted where the last thing happened.

    Parameters
    ----------
    document : dict
        Its plan.
    state : CookState
    moves : sequence of dict
        Its planned moves, with the ``stage`` that each begins.
    """
    done = replace(state, live=[e for e in state.live if not e.payload.get("read")])  # to read a heat changes none
    start = state.started or 0.0
    if done.happened():
        try:
            found = running(cook_document(document, done, max(e.at for e in done.live)))
        except EmberError:
            found = None
        if found is not None:
            begun, at = [], start
            for i, stage in enumerate(found.plan.stages):
                entered = found.current is None or i <= found.current
                begun.append({"stage": i, "offset_s": at - start, "done": at if entered else None})
                at += 60.0 * stage.minutes
            out = [m for m in state.moves if m.done is not None and m.id == f"m{len(document['stages'])}"]
            begun.append({"stage": None, "offset_s": at - start, "done": out[0].done if out else None})
            return found.plan.document, begun
    return document, [
        {"stage": raw["stage"], "offset_s": m.offset_s, "done": m.done}
        for m, raw in zip(state.moves, moves, strict=True)
    ]


def usable(document: Mapping[str, Any], state: CookState, event: CoreEvent) -> Running:
    """Whether one more event can be part of a cook's history.

    Raises
    ------
    InputError
        What of it cannot be used, with its remedy.
    """
    state.live = sorted([*state.live, event], key=lambda e: (e.at, e.id))
    return running(cook_document(document, state, event.at))


class ReplayQueue(NewestQueue[tuple[dict[str, Any], float]]):
    """Replays cooks: each as of :func:`cook_document`, with its start, s since 1970."""

    def __init__(self) -> None:
        super().__init__("replay")

    def ask(
        self,
        cook_id: int,
        key: Any,
        document: Callable[[], tuple[dict[str, Any], float]] | None,
        told: Callable[[], None],
    ) -> dict[str, Any] | None:
        """The last answer about a cook, see :meth:`NewestQueue.ask_of`."""
        slot = self.ask_of(cook_id, key, document, told)
        return None if slot is None else slot.result

    def hand_over(self, asked: tuple[dict[str, Any], float]) -> Future[dict[str, Any] | None]:
        """To any worker: nothing is prepared for it."""
        document, start = asked
        return workers.submit(f"{start}", replay_words, document, start)


replay_queue = ReplayQueue()
