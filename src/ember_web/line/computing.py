"""What is computed of running cooks, in processes beside the web: it loads without it, and takes and gives plain values."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Any

import numpy as np

from ember_core.book.doneness import STILL_UNDER
from ember_core.formats.plan import parse
from ember_core.heat.arrays import Array
from ember_core.heat.cook import run
from ember_core.heat.ensemble.coarse import coarse_setup
from ember_core.heat.ensemble.learning import Learner
from ember_core.heat.setup import setup
from ember_core.plan.finding import Level
from ember_core.plan.plan import Plan
from ember_core.planning.warm_up import compile_all
from ember_core.running.checks import checks
from ember_core.running.history import running
from ember_core.running.state import State, replay, words_of
from ember_core.wording.message import N_, Message, join_sentences, say

MEMBERS = 96
PREPARED = 128  # ensembles kept, about half a megabyte each
SURE = 0.96
SHOWN = frozenset({"past-target", "short-of-target", "colder-rest", "as-it-is", "back-on", "probe-doubted"})


def load() -> None:
    """In a new process: compile, or load what was compiled."""
    compile_all()


@dataclass(frozen=True)
class Question:
    """What the pull is asked of: a cook's thermal plan, where its last move stands, and its readings in plan time."""

    thermal: str
    anchor_s: float  # when the last move was done, s since 1970
    offset_s: float  # and where that move stands in the plan, s
    plan_s: Array
    core_c: Array
    medium_s: Array = field(default_factory=lambda: np.empty(0))  # and those of the thermometers in what heats it
    medium_c: Array = field(default_factory=lambda: np.empty(0))

    @cached_property
    def key(self) -> tuple[str, float, float, int, float]:
        """Changes with every new reading and every move."""
        read = self.plan_s.size + self.medium_s.size
        return self.thermal, self.anchor_s, self.offset_s, read, float(self.core_c.sum() + self.medium_c.sum())


@lru_cache(PREPARED)
def prepare(thermal: str) -> Learner:
    """The ensemble of a thermal plan, or of a part of its bird, shared by all cooks that are alike; a few tenths of a second on one processor."""
    kept, house, spreads, *part = json.loads(thermal)
    kept.pop("house", None)
    plan = parse(kept | ({"x-house": house} if house else {}))
    plan = plan.of_part(part[0]) if part else plan
    cook = run(plan, setup(plan))
    cells = coarse_setup(plan)
    return Learner.prepare(cells, plan.face_kinds, cook, members=MEMBERS, spreads=spreads, threads=1)


def learn(asked: Question) -> dict[str, Any] | None:
    """The pull by the probe, in ms since 1970: ``from``, ``likely``, ``to``, and a ``note`` when it is doubtful."""
    posterior = prepare(asked.thermal).update(asked.plan_s, asked.core_c, asked.medium_s, asked.medium_c)
    if posterior.used == 0 and not posterior.findings:
        return None
    low, middle, high = (
        round(1000 * (asked.anchor_s + float(p) - asked.offset_s))
        for p in np.quantile(posterior.pull_s, [0.05, 0.5, 0.95])
    )
    return {
        "from": low,
        "likely": middle,
        "to": high,
        "used": posterior.used,
        "note": join_sentences(posterior.findings),
    }


def replay_words(document: Mapping[str, Any], start: float) -> dict[str, Any] | None:
    """What a board shows of a cook's history, replayed; ``start`` in s since 1970."""
    return state_words(replay(running(document), members=MEMBERS, threads=1), start)


def state_words(state: State, start: float) -> dict[str, Any]:
    """What a board shows of a state; times in ms since 1970."""
    found = state.as_dict()
    nxt, verdict = found["next"], found["verdict"]

    def at(seconds: float) -> int:
        return round(1000.0 * (start + seconds))

    ask = None if verdict is None or verdict["ask"] is None else checks()[verdict["ask"]]
    return {
        "core": round(found["core_c"], 1),
        "peak": found["peak"],
        "next": None
        if nxt is None
        else {"move": nxt["move"], "kind": nxt["kind"], "at": at(nxt["at_s"] if nxt["fell_due_s"] is None else nxt["fell_due_s"]), "from": at(nxt["p5"]), "to": at(nxt["p95"])},
        "word": None if state.verdict is None else words_of_odds(state.verdict.word, state.verdict.odds),
        "then": None if state.verdict is None else first_of(state.verdict.word, state.running.planned),
        "past": None if verdict is None or verdict["past_in_s"] is None else at(found["t_s"] + verdict["past_in_s"]),
        "after": None if state.after is None else {
            name: None if one is None else {"at": at(one.at_s), "why": one.why}
            for name, one in (("best", state.after.best), ("control", state.after.control))
        },
        "ask": None if ask is None else {"id": ask.id, "name": say(ask.name)},
        "said": [f.message for f in state.findings if f.level != Level.NOTE and f.code in SHOWN],
    }  # fmt: skip


def first_of(word: str, plan: Plan) -> Message | None:
    """What a piece that is nothing yet becomes first; None of one that is something."""
    names = words_of(plan)
    return say(names[1][0]) if len(names) > 1 and word == names[0][0] else None


def words_of_odds(word: str, odds: float) -> Message:
    """A verdict with its odds as a cook says them: *medium rare now, 4 in 5*."""
    named = word if isinstance(word, Message) else say(word)
    if odds >= SURE and named.template == STILL_UNDER:
        return named
    if odds >= SURE:
        return say("{word} now, almost certain", word=named)
    n, d = min(((n, d) for d in (2, 3, 4, 5, 10) for n in range(1, d)), key=lambda f: (abs(f[0] / f[1] - odds) > 0.04, f[1], abs(f[0] / f[1] - odds)))  # fmt: skip
    words = N_("{word}, {n} in {d}") if named.template == STILL_UNDER else N_("{word} now, {n} in {d}")
    return say(words, word=named, n=n, d=d)
