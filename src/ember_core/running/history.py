"""From a plan and what happened to it, to a plan of what really was and what is still to come.

What is past has fixed minutes; what is under way is parted at this moment, its rest as the plan has it; what follows is the plan's.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from copy import deepcopy
from dataclasses import dataclass, replace
from typing import Any

from ember_core.data.loader import read_toml
from ember_core.errors import FormatError, InputError, ValueRangeError
from ember_core.formats.plan import check, parse
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.plan.plan import Plan
from ember_core.plan.probe_places import other_parts
from ember_core.running.checks import THERMOMETER
from ember_core.running.intervals import (
    Interval,
    carried,
    in_turns,
    past,
    set_heat,
    set_medium,
    turn_over,
    waits,
    with_doors,
)
from ember_core.wording.message import say

FORMAT = "open-ember.cook/1"
START, MOVE, MEDIUM, HEAT, OFF, TURN, BASTE, DOOR, STAGE = (
    "start",
    "move",
    "medium",
    "heat",
    "off",
    "turn",
    "baste",
    "door",
    "stage",
)
EXTEND, CHECK, NOTE, FINISH, PROBE = "extend", "check", "note", "finish", "probe"
OUT, RIGHT, BACK = "out", "right", "back"
CORE, SECOND = "core", "second"  # which probe was spoken of, besides that of the medium
# what each kind of event takes beside at_s and kind; the first names are needed
TAKES = {
    START: ((), ()), MOVE: (("move",), ()), MEDIUM: (("medium_c",), ("face", "read")), HEAT: ((), ("power_w", "set_c")), OFF: ((), ()), TURN: ((), ()),
    BASTE: (("seconds",), ("medium_c",)), DOOR: (("seconds",), ()), STAGE: (("stage",), ("then",)), EXTEND: (("seconds",), ()),
    CHECK: (("check",), ("answer", "core_c", "width", "grey", "part")), NOTE: ((), ("text",)), FINISH: ((), ()), PROBE: (("is",), ("of",)),
}  # fmt: skip
SHORTEST_S = 0.05  # what is shorter never was
BASTE_C = 150.0  # of the fat on a spoon, unless it is said; common practice, no published source
LEAST_REST_S = 0.5  # what is still to come of a stage that is over its time: it ends now


@dataclass(frozen=True)
class Checked:
    """A check of doneness: when, s; which; its answer, or what was read, °C; how sure, a word or K; of a cut face the share from its outside
    to its middle that is grey; the part or piece it was made in, where that is not the one that the plan follows."""

    at_s: float
    check: str
    answer: str = ""
    core_c: float | None = None
    width: str | float = "untrained"
    grey: float | None = None
    part: str = ""


@dataclass(frozen=True, eq=False)
class Running:
    """A cook as it stands.

    Attributes
    ----------
    plan : Plan
        Of what really was, and what is still to come.
    planned : Plan
        As it was planned.
    now_s : float
    index : tuple of int
        Of each of its stages the index in what was planned; -1: it has none.
    current : int or None
        Its stage under way, from now on; None: it is served.
    following : int or None
        The move of the plan that comes next, by index.
    due_s : float or None
        When a stage that goes by the clock, or is over its limit, ends by the plan and what was put off, s; also where that is past.
    checks : tuple of Checked
    part_checks : tuple of Checked
        What a thermometer read in other parts of a bird, or in the thickest piece: of their rule, not of this core.
    readings, medium : tuple of (s, °C)
        In order of time, none later than now, nor than it was served.
    read_after : tuple of (s, °C)
        What a probe read after that: of something else.
    """

    plan: Plan
    planned: Plan
    now_s: float
    index: tuple[int, ...]
    current: int | None
    following: int | None
    due_s: float | None
    checks: tuple[Checked, ...]
    readings: tuple[tuple[float, float], ...]
    medium: tuple[tuple[float, float], ...]
    read_after: tuple[tuple[float, float], ...] = ()
    part_checks: tuple[Checked, ...] = ()

    def read_in(self, part: str = "") -> list[tuple[float, float]]:
        """What a thermometer read by hand, (s, °C): of the part that the plan follows, or of another one."""
        made = self.part_checks if part else self.checks
        return [
            (c.at_s, float(c.core_c))
            for c in made
            if c.core_c is not None and c.check == THERMOMETER and c.part == part
        ]


def loads(text: str) -> Running:
    """Read a cook from JSON text.

    Raises
    ------
    FormatError, InputError
        What is no cook, with the path of what is wrong.
    """
    try:
        document = json.loads(text)
    except json.JSONDecodeError as error:
        raise FormatError(
            say("Not JSON: {value} in line {line}.", value=error.msg, line=error.lineno), code="json"
        ) from None
    return running(document)


def running(document: Any) -> Running:
    """Check a cook's document and build its history; raises as :func:`loads`."""
    check(document, "cook-1")
    planned = _planned(document["plan"])
    now = float(document["now_s"])
    events = sorted(enumerate(document["events"]), key=lambda e: (e[1]["at_s"], e[0]))
    _check_events(events, now)
    told = _Told(planned, dict(planned.document))
    for i, event in events:
        told.take(event, f"/events/{i}")
    return told.running(now, document)


def _planned(raw: Any) -> Plan:
    try:
        return parse(raw)
    except InputError as error:
        error.path = f"/plan{error.path}"
        raise


def _check_events(events: Sequence[tuple[int, Mapping[str, Any]]], now: float) -> None:
    for i, event in events:
        needed, allowed = TAKES[event["kind"]]
        missing = [k for k in needed if k not in event]
        if missing:
            raise FormatError(say("{kind} lacks {choices}; add it.", kind=event["kind"], choices=", ".join(missing)), path=f"/events/{i}/{missing[0]}", code="missing")  # fmt: skip
        known = {"at_s", "kind", *needed, *allowed}
        other = [k for k in event if k not in known and not k.startswith("x-")]
        if other:
            raise FormatError(
                say("{kind} takes no {name}; leave it out.", kind=event["kind"], name=other[0]), path=f"/events/{i}/{other[0]}", code="unknown-key"
            )  # fmt: skip
        if event["at_s"] > now:
            raise ValueRangeError(say("It lies after now_s; give what has happened."), path=f"/events/{i}/at_s")
    starts = [i for i, e in events if e["kind"] == START]
    if len(starts) != 1 or events[0][1]["kind"] != START:
        where = starts[1] if len(starts) > 1 else 0
        raise FormatError(say("A cook has one start, before all else."), path=f"/events/{where}", code="start")


class _Told:
    """A history as it is told, event by event."""

    def __init__(self, planned: Plan, document: dict[str, Any]) -> None:
        self.planned, self.document = planned, document
        self.stages: list[dict[str, Any]] = document["stages"]
        self.done: list[tuple[Interval, float]] = []
        self.now: Interval | None = None
        self.ended: float | None = None
        self.extra = 0.0
        self.begun: set[int] = set()
        self.checks: list[Checked] = []
        self.probes: dict[str, list[tuple[float, str]]] = {CORE: [], MEDIUM: [], SECOND: []}

    def take(self, event: Mapping[str, Any], path: str) -> None:
        """Take one event."""
        kind, at = event["kind"], float(event["at_s"])
        if self.ended is not None and kind not in {NOTE, CHECK, FINISH, PROBE}:
            raise InputError(say("It was served before; nothing happens to it any more."), path=path, code="finished")
        if kind == START:
            self._begin(0, at)
        elif kind == MOVE:
            self._move(int(event["move"][1:]), at, path)
        elif kind == STAGE:
            self._other(event, at, path)
        elif kind == EXTEND:
            self.extra += float(event["seconds"])
        elif kind == CHECK:
            self.checks.append(_checked(event, path, self.planned))
        elif kind == FINISH:
            self._close(at)
            self.ended = at if self.ended is None else self.ended
        elif kind == PROBE:
            of = event.get("of", CORE)
            if of == SECOND and self.planned.shape["kind"] != "bird" and "part" not in self.planned.shape:
                raise InputError(say("Only a bird has a second probe."), path=f"{path}/of", code="no-bird")
            self.probes[of].append((at, event["is"]))
        elif kind != NOTE:
            self._changed(kind, event, at, path)

    def _begin(self, index: int, at: float) -> None:
        self._close(at)
        self.begun.add(index)
        self.extra = 0.0
        self.now = Interval(at, deepcopy(self.stages[index]), index, at)

    def _move(self, index: int, at: float, path: str) -> None:
        if index > len(self.stages):
            raise ValueRangeError(
                say("The plan has {n} stages; m{n} ends it.", n=len(self.stages)), path=f"{path}/move"
            )
        if index in self.begun:
            raise InputError(
                say("m{n} was done before; what goes back is a stage of its own: use kind stage.", n=index), path=f"{path}/move", code="twice"
            )  # fmt: skip
        if index == len(self.stages):
            self._close(at)
            self.ended = at
            return
        self._begin(index, at)

    def _other(self, event: Mapping[str, Any], at: float, path: str) -> None:
        stage = deepcopy(event["stage"])
        was = self.now
        assert was is not None  # a start came before
        planned = was.planned
        if "then" in event:
            then = int(event["then"][1:])
            if then > len(self.stages):
                raise ValueRangeError(
                    say("The plan has {n} stages; m{n} ends it.", n=len(self.stages)), path=f"{path}/then"
                )
        else:
            again = stage.get("kind") in HEAT_KINDS and self.stages[planned]["kind"] not in HEAT_KINDS
            then = planned if again else planned + 1
        self._close(at)
        self.extra = 0.0
        self.begun = {i for i in self.begun if i < then}  # what follows it may be done once more
        self.now = Interval(at, stage, -1, at, then)
        self._check_stage(stage, f"{path}/stage")
        self.now.planned = -1
        if planned >= 0:
            self.last = planned

    last = 0  # the planned stage that was left for one the plan does not have

    def _check_stage(self, stage: Mapping[str, Any], path: str) -> None:
        """Whether it could be a stage of this plan; errors name its place among the events."""
        document = {k: v for k, v in self.document.items() if k not in {"target", "serve_at", "report_at_s"}}
        try:
            parse({**document, "stages": [stage]})
        except InputError as error:
            error.path = (
                path + error.path.removeprefix("/stages/0")
                if error.path.startswith("/stages/0")
                else f"/plan{error.path}"
            )
            raise

    def _close(self, at: float) -> None:
        if self.now is not None:
            self.done.append((self.now, at))
            self.now = None

    def _changed(self, kind: str, event: Mapping[str, Any], at: float, path: str) -> None:
        """Something about the stage under way is other from now on."""
        was = self.now
        assert was is not None  # a start came before
        if kind == DOOR:
            self._door(was, event, at, path)
            return
        fresh = carried(was, at)
        if kind == MEDIUM:
            set_medium(fresh, event, path)
        elif kind in {HEAT, OFF}:
            set_heat(fresh, {"power_w": 0.0} if kind == OFF else event, path)
        elif kind == TURN:
            turn_over(fresh, path)
        self._close(at)
        self.now = Interval(at, fresh, was.planned, was.first_s, was.then)
        if kind == BASTE:
            self._baste(event, at, path)
        self._check_stage(self.now.stage, path)

    def _door(self, was: Interval, event: Mapping[str, Any], at: float, path: str) -> None:
        store = was.stage.get("store")
        if store is None or store["kind"] not in {"oven", "cabinet"}:
            raise InputError(
                say("A door is felt by an oven or a cabinet with a store; give the stage one, or say what its air fell to with kind medium."),
                path=path, code="door",
            )  # fmt: skip
        seconds = float(event["seconds"])
        if seconds < 1.0:
            raise ValueRangeError(say("A door is open for at least 1 s."), path=f"{path}/seconds")
        was.doors.append((at - was.start_s, seconds))

    def _baste(self, event: Mapping[str, Any], at: float, path: str) -> None:
        """Fat over face a for so long, then as before."""
        assert self.now is not None  # as the caller has set it
        seconds = float(event["seconds"])
        if seconds <= 0.0:
            raise ValueRangeError(say("Give how long it was basted."), path=f"{path}/seconds")
        was = self.now
        face = {"kind": "baste", "medium_c": float(event.get("medium_c", BASTE_C))}
        basted = deepcopy(was.stage)
        faces = basted.setdefault("faces", {})
        if not faces:
            faces["b"] = {}
        faces["a"] = face
        self.now = Interval(at, basted, was.planned, was.first_s, was.then)
        self._check_stage(basted, path)
        self._close(at + seconds)
        self.now = Interval(at + seconds, was.stage, was.planned, was.first_s, was.then)

    def running(self, now: float, document: Mapping[str, Any]) -> Running:
        """The cook as it stands at ``now``."""
        stages: list[dict[str, Any]] = []
        index: list[int] = []
        for was, end in self.done:
            if min(end, now) - was.start_s > SHORTEST_S:
                stages.append(past(was, min(end, now) - was.start_s))
                index.append(was.planned)
        current = following = due = None
        under_way = self.now
        if under_way is not None:
            elapsed = now - under_way.start_s
            parted = elapsed > SHORTEST_S and not in_turns(under_way)
            if parted:
                stages.append(past(under_way, elapsed))
                index.append(under_way.planned)
            rest = carried(under_way, now if parted else under_way.start_s)
            longest = 60.0 * rest["minutes"] - (now - under_way.first_s) + self.extra
            if longest < 0.0 or not waits(rest):
                due = now + longest
            rest["minutes"] = (max(longest, LEAST_REST_S) + (0.0 if parted else elapsed)) / 60.0
            if not parted:
                rest = with_doors(rest, under_way)
            current = len(stages)
            stages.append(rest)
            index.append(under_way.planned)
            following = under_way.planned + 1 if under_way.then is None else under_way.then
            for i in range(following, len(self.stages)):
                stages.append(deepcopy(self.stages[i]))
                index.append(i)
        made = {
            k: v for k, v in self.document.items() if k not in {"serve_at", "stages", "report_at_s", "forecast", "way"}
        }
        begun = self.done[0][0].start_s if self.done else (under_way.start_s if under_way else 0.0)
        stages = _one_solved(stages, current)
        made |= {
            "stages": stages,
            "report_at_s": [min(max(now - begun, 0.0), sum(60.0 * s["minutes"] for s in stages))],
        }
        spreads = (self.document.get("forecast") or {}).get("spreads")
        if spreads:
            made["forecast"] = {"spreads": spreads}
        plan = made_of(made)
        if under_way is not None and current is not None and in_turns(under_way) and waits(stages[current]):
            plan = self._as_a_whole(plan, made, current, now - begun, now - under_way.start_s)
        read = sorted(
            (float(r["t_s"]) - begun, float(r["core_c"]))
            for r in document.get("readings", ())
            if r["t_s"] <= now and not is_out(self.probes[CORE], r["t_s"])
        )
        eaten = float("inf") if self.ended is None else self.ended - begun
        readings = [r for r in read if r[0] <= eaten]
        medium = sorted(
            (float(r["t_s"]) - begun, float(r["medium_c"]))
            for r in document.get("medium_readings", ())
            if r["t_s"] <= now and not is_out(self.probes[MEDIUM], r["t_s"])
        )
        since = [replace(c, at_s=c.at_s - begun) for c in self.checks]
        checks, part_checks = tuple(c for c in since if not c.part), tuple(c for c in since if c.part)
        return Running(
            plan, self.planned, now - begun, tuple(index), current, following, None if due is None else due - begun, checks, tuple(readings), tuple(medium),
            tuple(r for r in read if r[0] > eaten), part_checks,
        )  # fmt: skip

    def _as_a_whole(self, plan: Plan, made: dict[str, Any], current: int, now_s: float, elapsed: float) -> Plan:
        """The plan, or where the stage under way would be over by itself, the plan in which it lies there still."""
        if _ended(plan, current) >= now_s:
            return plan
        stages = list(made["stages"])
        stages[current] = {k: v for k, v in stages[current].items() if k != "until"} | {
            "minutes": (elapsed + LEAST_REST_S) / 60.0
        }
        return made_of(made | {"stages": stages})


def is_out(said: Sequence[tuple[float, str]], at_s: float) -> bool:
    """Whether a probe was out of its piece at a time, by what was said of it (s, and ``out``, ``back`` or ``right``, in order of time)."""
    last = [what for at, what in said if at <= at_s]
    return bool(last) and last[-1] == OUT


def made_of(document: dict[str, Any]) -> Plan:
    """The plan of a history; what cannot be computed of it is a fault of the plan with what happened."""
    try:
        return parse(document)
    except InputError as error:
        error.path = f"/plan{error.path}"
        raise


def _ended(plan: Plan, stage: int) -> float:
    """When a stage would end by itself, s."""
    from ember_core.heat.cook import run  # only here is the solver needed: files are refused without it
    from ember_core.heat.setup import setup

    return run(plan, setup(plan)).stages[stage].end_s


def _one_solved(stages: list[dict[str, Any]], current: int | None) -> list[dict[str, Any]]:
    """Only one stage may be solved for a peak: the one under way, else the last."""
    peaks = [i for i, s in enumerate(stages) if "peak_core_c" in s.get("until", {})]
    for i in peaks:
        if len(peaks) > 1 and i != (current if current in peaks else peaks[-1]):
            stages[i] = {k: v for k, v in stages[i].items() if k != "until"}
    return stages


def _checked(event: Mapping[str, Any], path: str, planned: Plan) -> Checked:
    if "grey" in event and event["check"] != "cut":
        raise InputError(say("Only a cut face shows how much is grey; leave it out."), path=f"{path}/grey", code="grey")
    if event["check"] == "thermometer":
        if "core_c" not in event:
            raise FormatError(say("A thermometer reads core_c; add it."), path=f"{path}/core_c", code="missing")
    elif "part" in event:
        words = say("Only a thermometer can be read in another part; leave part out.")
        raise InputError(words, path=f"{path}/part", code="part")
    elif "answer" not in event:
        raise FormatError(
            say("{name} lacks answer; add it.", name=event["check"]), path=f"{path}/answer", code="missing"
        )
    elif event["answer"] not in (known := read_toml("checks.toml")[event["check"]]["answers"]):
        raise FormatError(
            say("{name} has no answer {answer!r}; choose one of {choices}.", name=event["check"], answer=event["answer"], choices=", ".join(known)),
            path=f"{path}/answer", code="choice",
        )  # fmt: skip
    return Checked(
        float(event["at_s"]),
        event["check"],
        event.get("answer", ""),
        event.get("core_c"),
        event.get("width", "untrained"),
        event.get("grey"),
        _part(event, path, planned),
    )


def _part(event: Mapping[str, Any], path: str, planned: Plan) -> str:
    """The part that a check was made in; "" of the one that the plan follows."""
    if "part" not in event or event["part"] == planned.shape.get("part"):
        return ""
    known = [planned.shape["part"], *other_parts(planned)] if "part" in planned.shape else other_parts(planned)
    if event["part"] not in known:
        words = (
            say("part: this plan has {choices}.", choices=", ".join(known))
            if known
            else say("This plan has one piece without parts; leave part out.")
        )
        raise InputError(words, path=f"{path}/part", code="part")
    return str(event["part"])
