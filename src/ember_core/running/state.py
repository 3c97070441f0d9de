"""The state of a running piece: what it is now, what comes next, what to do about what went otherwise. ``open-ember.state/1``."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from ember_core.book.doneness import doneness_spans, read_names
from ember_core.book.foods import doneness_of, food_row
from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.heat.cook import Cook, run
from ember_core.heat.setup import setup
from ember_core.plan.finding import Finding, Level
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.planning.compute import Outcome, compute
from ember_core.planning.moves import Move, MoveKind, moves
from ember_core.running.belief import MEMBERS, Belief, believe
from ember_core.running.checks import MEAN, MEDIUM, THERMOMETER, body_of, checks_for, tells
from ember_core.running.eggs import eggs_otherwise
from ember_core.running.history import Running
from ember_core.running.judging import rule_now, said_after_serving
from ember_core.running.off_heat import After, after
from ember_core.running.overdue import ends_now, fell_due_s
from ember_core.wording.message import Message, say

FORMAT = "open-ember.state/1"
OVER_K, UNDER_K = 1.0, 1.5  # so far from its target a piece is another one
AHEAD_S = 3600.0  # so far is looked for when it is past its word
FALLEN_K = 0.3  # a core so far below its highest is past it
COLD_C = 4.0
OF_PLANNING = frozenset(
    {"pull-already-past", "what-would-work", "above-target", "below-target"}
)  # a running piece has its own words for these
HISTORY = "what was done to it, computed"


@dataclass(frozen=True)
class Verdict:
    """What a piece is now: its word and odds, s at this heat until it is past it, and the most useful check now."""

    word: str
    odds: float
    past_in_s: float | None
    ask: str | None


@dataclass(frozen=True, eq=False)
class State:
    """The state of a running piece.

    Attributes
    ----------
    running : Running
    outcome : Outcome
        Of its real history and what is to come.
    belief : Belief
    next : Move or None
        What comes, with its time in this cook, s; None: it is served.
    verdict : Verdict or None
        None where its food has no words.
    findings : tuple of Finding
        What went otherwise, and what to do.
    after : After or None
        Until when it is at its best and under control, off the heat for good; None: it is not.
    rule : dict or None
        The rule's statement on what is past and read; None without rules.
    """

    running: Running
    outcome: Outcome
    belief: Belief
    next: Move | None
    verdict: Verdict | None
    findings: tuple[Finding, ...]
    after: After | None = None
    rule: dict[str, Any] | None = None

    def as_dict(self) -> dict[str, Any]:
        """As the open format has it."""
        now, cook = self.running.now_s, self.outcome.cook
        t = min(now, float(cook.t[-1]))
        core = _now(self.belief, cook, t)
        peak = self.belief.band(self.belief.peak_c)
        current = self.running.current
        stage = None if current is None else self.running.index[current]
        v = self.verdict
        return {
            "format": FORMAT,
            "t_s": round(now, 3),
            "core_c": round(core, 4),
            "surface_c": round(float(np.interp(t, cook.t, cook.surface_a)), 4),
            "stage": None if stage is None or stage < 0 else stage,
            "next": None if self.next is None else _next(self.next, self.belief, self.running, cook),
            "peak": {"core_c": round(_peak(self.belief, cook, peak[1]), 4), "p5": round(peak[0], 4), "p95": round(peak[2], 4)},
            "verdict": None
            if v is None
            else {"word": v.word, "odds": round(v.odds, 4), "past_in_s": None if v.past_in_s is None else round(v.past_in_s, 1), "ask": v.ask},
            "rule": self.rule,
            "egg": self.outcome.result.get("egg"),
            "after": None if self.after is None else self.after.as_dict(),
            "findings": [f.as_dict() for f in self.findings],
            "samples": self.outcome.result["samples"],
        }  # fmt: skip


def _now(belief: Belief, cook: Cook, t: float) -> float:
    """The core now, °C: the history's, or what is believed where anything was read or checked."""
    return belief.band(belief.core_c)[1] if belief.told else float(np.interp(t, cook.t, cook.core))


def _peak(belief: Belief, cook: Cook, median: float) -> float:
    return median if belief.told else cook.peak_core_c


def _next(move: Move, belief: Belief, running: Running, cook: Cook) -> dict[str, Any]:
    at = move.offset_s
    band = [at, at, at]
    if belief.pull_s.size and move.kind == MoveKind.PULL:
        band = [max(x, running.now_s) for x in belief.band(belief.pull_s)]
        at = band[1] if belief.told else at
    return {
        "move": move.id, "kind": str(move.kind), "at_s": round(at, 3), "p5": round(band[0], 3), "p50": round(band[1], 3), "p95": round(band[2], 3),
        "fell_due_s": round(running.due_s, 3) if running.due_s is not None and running.due_s < running.now_s else None,
    }  # fmt: skip


def replay(running: Running, *, members: int = MEMBERS, threads: int = 2, budget_s: float | None = None) -> State:
    """Compute the state of a running piece anew from its whole history.

    Parameters
    ----------
    running : Running
    members, threads
        As of :func:`ember_core.running.belief.believe`.
    budget_s : float, optional
        What its nominal cook may cost.

    Raises
    ------
    InputError, ComputationError
    """
    plan = running.plan
    limited = {} if budget_s is None else {"budget_s": budget_s}
    outcome = compute(plan, with_forecast=False, advice=False, **limited)  # type: ignore[arg-type]
    due = fell_due_s(running, outcome.cook) if running.due_s is None else None
    if due is not None:
        running = ends_now(running, due)
        plan = running.plan
        outcome = compute(plan, with_forecast=False, advice=False, **limited)  # type: ignore[arg-type]
    cook = outcome.cook
    belief = believe(running, cook, members=members, threads=threads, spreads=(plan.forecast or {}).get("spreads"))
    following = _following(running, plan, cook)
    said = [Finding("probe-doubted", Level.CARE, m, "readings and checks against its history") for m in belief.findings]
    egg = outcome.result.get("egg")
    if egg is None:
        said += _otherwise(running, cook, belief)
    elif running.current is not None:
        said += eggs_otherwise(running, egg["yolk"]["word"], cook.stages[running.current].end_s - running.now_s)
    of_it = tuple(f for f in outcome.findings if f.code not in OF_PLANNING)
    faces = (outcome.result.get("outside") or {}).get("faces", ())
    lies = after(running, max((f["crust_mm"] for f in faces), default=0.0))
    said += said_after_serving(running.read_after)
    rule = rule_now(running, outcome, belief)
    return State(running, outcome, belief, following, _verdict(running, cook, belief), (*said, *of_it), lies, rule)


def _following(running: Running, plan: Plan, cook: Cook) -> Move | None:
    """The next move, under its name in what was planned."""
    if running.current is None:
        return None
    at = running.current + 1
    found = moves(plan, cook)[at]
    return replace(found, id=f"m{running.following}")


def words_of(plan: Plan) -> list[tuple[Message, float, float]]:
    """What a core of a plan is called, with the core from which and below which it is that, °C: by the set that the plan carries
    (``x-doneness``, the kitchen's own when it was started), else by its food's."""
    if plan.food is None or plan.shape["kind"] == "egg":
        return []
    names = read_names(plan.document.get("x-doneness")) or tuple(doneness_of(food_row(plan.food)).items())
    return doneness_spans(names)


def _verdict(running: Running, cook: Cook, belief: Belief) -> Verdict | None:
    """What it is now, by the hottest its core has been."""
    words = words_of(running.plan)
    if not words:
        return None
    t = min(running.now_s, float(cook.t[-1]))
    so_far = cook.core[cook.t <= t + 1e-9]
    fallen = so_far.size > 0 and float(so_far.max()) > float(np.interp(t, cook.t, cook.core)) + FALLEN_K
    own = belief if not fallen else replace(belief, core_c=belief.peak_c)
    found = [(own.odds(a, b), n, b) for n, a, b in words]
    odds, word, until = max(found)
    past = None
    if (
        not fallen
        and running.current is not None
        and np.isfinite(until)
        and running.plan.stages[running.current].kind in HEAT_KINDS
    ):
        past = _past_in(running, belief, until)
    return Verdict(word, odds, past, _ask(running, belief))


def _past_in(running: Running, belief: Belief, until_c: float) -> float | None:
    """How long at this heat until its core is past a temperature, s."""
    assert running.current is not None  # as the caller has seen
    document = dict(running.plan.document)
    stages = [dict(s) for s in document["stages"][: running.current + 1]]
    stages[-1] = {k: v for k, v in stages[-1].items() if k != "until"} | {"minutes": AHEAD_S / 60.0}
    plan = parse({**{k: v for k, v in document.items() if k not in {"report_at_s", "target"}}, "stages": stages})
    cook = run(plan, setup(plan))
    now = running.now_s
    ahead = cook.t >= now
    core = cook.core[ahead] + belief.band(belief.core_c)[1] - float(np.interp(now, cook.t, cook.core))
    past = np.flatnonzero(core > until_c)
    if not past.size or past[0] == 0:
        return 0.0 if past.size else None
    i = int(past[0])
    t = cook.t[ahead]
    part = (until_c - core[i - 1]) / (core[i] - core[i - 1])
    return float(t[i - 1] + part * (t[i] - t[i - 1]) - now)


def _ask(running: Running, belief: Belief) -> str | None:
    """The check that most useful check now of the pull, else of the core: one that is not a thermometer where a probe is read already."""
    row = food_row(running.plan.food) if running.plan.food is not None else None
    asked = belief.pull_s if belief.pull_s.size else belief.peak_c
    stage = None if running.current is None else running.plan.stages[running.current].kind
    worth = {
        k: tells(c, belief.medium_c if c.of == MEDIUM else belief.core_c, belief.weights, asked, "trained")
        for k, c in checks_for(None if row is None else row["targets"], stage, body_of(running.plan.shape)).items()
        if c.of != MEAN and (k != THERMOMETER or not running.readings)
    }
    best = max(worth, key=lambda k: worth[k], default=None)
    mean = belief.weights @ asked
    total = float(belief.weights @ (asked - mean) ** 2)
    return best if best is not None and worth[best] > 0.05 * total else None


def _otherwise(running: Running, cook: Cook, belief: Belief) -> list[Finding]:
    """Where it will end otherwise than it was planned, and what to do."""
    target = running.planned.core_goal_c
    if target is None or running.current is None:
        return []
    stage = running.plan.stages[running.current]
    _low, middle, _high = belief.band(belief.peak_c) if belief.told else (cook.peak_core_c,) * 3
    word = _word(running.plan, middle)
    if stage.kind in HEAT_KINDS:
        left = cook.stages[running.current].end_s - running.now_s
        if cook.pull_stage == running.current and left <= 1.0 and middle > target + OVER_K:
            return [_care("past-target", say("Off now: it will reach {peak:temp1}, {word}.", peak=middle, word=word))]
        return []
    if any(running.plan.stages[i].kind in HEAT_KINDS for i in range(running.current + 1, len(running.plan.stages))):
        return []
    if middle > target + OVER_K:
        out = [
            _care(
                "past-target",
                say("It will reach {peak:temp1}, {word}, not {target:temp1}.", peak=middle, word=word, target=target),
            )
        ]
        return out + _colder(running, cook, middle)
    if middle < target - UNDER_K:
        out = [
            _care(
                "short-of-target",
                say(
                    "It will reach only {peak:temp1}, {word}, not {target:temp1}.",
                    peak=middle,
                    word=word,
                    target=target,
                ),
            )
        ]
        back = back_on(running, target)
        if back is not None:
            seconds, kind, promise = back
            words = say(
                "Back into the {kind} for {minutes:.1f} min, then as planned: ready {later:.0f} min later.",
                kind=say(kind), minutes=seconds / 60.0, later=promise / 60.0,
            )  # fmt: skip
            out.append(_care("back-on", words))
        return out
    return []


def _care(code: str, words: Message) -> Finding:
    return Finding(code, Level.CARE, words, HISTORY)


def _word(plan: Plan, core_c: float) -> Message:
    found = next((n for n, a, b in words_of(plan) if a <= core_c < b), "")
    return say(found) if found else say("another doneness")


def _colder(running: Running, cook: Cook, peak_c: float) -> list[Finding]:
    """What would keep a resting piece lower: the cold, or cutting now."""
    assert running.current is not None  # as the caller has seen
    now_c = float(np.interp(running.now_s, cook.t, cook.core))
    colder = _with_rest(
        running,
        {"kind": "chill", "medium_c": COLD_C, "minutes": max(running.plan.stages[running.current].minutes, 5.0)},
    )
    if colder is None:
        return []
    gained = peak_c - cook.peak_core_c
    cold = colder.peak_core_c + gained
    if cold < peak_c - 0.5:
        words = say(
            "Bare in the cold it stops at {cold:temp1}; sliced now it stays about {now:temp1}. Or serve it as {word}.",
            cold=cold, now=now_c + gained, word=_word(running.plan, peak_c),
        )  # fmt: skip
        return [_care("colder-rest", words)]
    return [
        _care("as-it-is", say("Serve it as {word}: it can't be stopped any more.", word=_word(running.plan, peak_c)))
    ]


def _with_rest(running: Running, stage: dict[str, Any]) -> Cook | None:
    """The cook with another stage in place of the one under way, to its end."""
    document = dict(running.plan.document)
    stages = [*document["stages"][: running.current], stage]
    try:
        plan = parse({**{k: v for k, v in document.items() if k not in {"report_at_s", "target"}}, "stages": stages})
        return run(plan, setup(plan))
    except EmberError:
        return None


def back_on(running: Running, target_c: float) -> tuple[float, str, float] | None:
    """Putting a piece that is short of its target back on the heat it came from: s there, the kind of heat, and how much later it is ready, s.

    None: there is no such heat, or it does not get there.
    """
    assert running.current is not None  # asked of a piece that is not served
    document = dict(running.plan.document)
    heats = [i for i in range(running.current) if running.plan.stages[i].kind in HEAT_KINDS]
    if not heats:
        return None
    heat = {k: v for k, v in document["stages"][heats[-1]].items() if k not in {"until", "portion"}}
    heat |= {"minutes": AHEAD_S / 60.0, "until": {"peak_core_c": target_c}}
    rest = [{k: v for k, v in s.items() if k != "until"} for s in document["stages"][running.current :]]
    before = [{k: v for k, v in s.items() if k != "until"} for s in document["stages"][: running.current]]
    made = {k: v for k, v in document.items() if k not in {"report_at_s"}} | {"stages": [*before, heat, *rest]}
    try:
        plan = parse(made)
        cook = run(plan, setup(plan))
    except EmberError:
        return None
    done = cook.stages[running.current]
    seconds = done.end_s - done.start_s
    if done.ended_by != "peak_core_c" or seconds <= 0.0:
        return None
    return seconds, running.plan.stages[heats[-1]].kind, seconds
