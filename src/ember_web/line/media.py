"""What a piece lies in, when it lay there, what the thermometer there read, and whether that is what its plan has."""

from __future__ import annotations

import bisect
from collections import deque
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from math import inf
from typing import Any

import numpy as np
from django.db.models import Max

from ember_core.errors import InputError
from ember_core.heat.arrays import Array
from ember_core.line.fold import PROBE, STAGE, CookState, Event
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.running.history import CORE, MEDIUM, OUT, RIGHT, is_out
from ember_core.running.intervals import faces_heated, heated_by
from ember_core.running.media import Off, away, off, planned, silent, skewed
from ember_core.wording.message import N_, Message, say
from ember_web.kitchens.models import GEAR_OF, Equipment
from ember_web.line.adapters import moment
from ember_web.line.courses import MAX_READINGS, course
from ember_web.line.models import Cook, MediumReading
from ember_web.tenancy.models import Kitchen

UNDER_WAY_S = 5.0  # a reading may be so long under way, real time
ARRIVALS = 6  # by so many of its last readings a hub's clock is judged
OF_MEDIUM = "medium"  # what is said of a thermometer is said of the one in the medium


class Track:
    """Readings of one thermometer, in order of time (s since 1970, °C)."""

    def __init__(self) -> None:
        self.times: list[float] = []
        self.values: list[float] = []

    @classmethod
    def of(cls, pairs: Sequence[tuple[float, float]]) -> Track:
        """Of readings in order of time."""
        track = cls()
        track.times, track.values = [at for at, _c in pairs], [c for _at, c in pairs]
        return track

    def add(self, at: float, value_c: float) -> None:
        """Put one in its place; readings may arrive late."""
        where = bisect.bisect_right(self.times, at)
        self.times.insert(where, at)
        self.values.insert(where, value_c)

    @property
    def last(self) -> tuple[float, float] | None:
        """The newest."""
        return (self.times[-1], self.values[-1]) if self.times else None

    def between(self, start: float, end: float) -> tuple[Array, Array]:
        """Those from one time to another."""
        a, b = bisect.bisect_left(self.times, start), bisect.bisect_right(self.times, end)
        return np.array(self.times[a:b]), np.array(self.values[a:b])


@dataclass(frozen=True)
class MediumUse:
    """A stage as it was lived: from when to when, s since 1970, what the plan has there, and the gear it was in, by key."""

    start: float
    end: float
    stage: Mapping[str, Any]
    gear: int | None
    course: tuple[tuple[float, float], ...] = ()

    @property
    def kind(self) -> str:
        """What it is cooked in."""
        return str(self.stage["kind"])


def gear_choices(kitchen: Kitchen, document: Mapping[str, Any]) -> dict[str, list[Equipment]]:
    """What a plan's piece could lie in, by kind: what its sentence names, else all that the kitchen has of the kind."""
    wanted = sorted({GEAR_OF[s["kind"]] for s in document["stages"] if s["kind"] in GEAR_OF})
    named = str((document.get("x-gear") or {}).get("name", ""))
    found = list(Equipment.objects.filter(kitchen=kitchen, kind__in=wanted))
    of_kind = {kind: [e for e in found if e.kind == kind] for kind in wanted}
    return {kind: [e for e in all_ if e.name == named] or all_ for kind, all_ in of_kind.items() if all_}


@dataclass(frozen=True)
class StartChoices:
    """What is chosen when a plan is started: of each kind of gear that the kitchen has several of, its name, theirs, and the one it was
    in last; and the station it was at last, empty before its first time."""

    gear: list[dict[str, Any]]
    station: str


def start_choices(kitchen: Kitchen, plan_id: int, document: Mapping[str, Any]) -> StartChoices:
    """What must be chosen at the start of a plan, as it was chosen the last time."""
    last = Cook.objects.filter(kitchen=kitchen, plan_id=plan_id).order_by("-id").only("gear", "station").first()
    used = {} if last is None else last.gear
    rows = [
        {
            "kind": all_[0].get_kind_display(),
            "names": [e.name for e in all_],
            "last": next((e.name for e in all_ if e.pk == used.get(kind)), ""),
        }
        for kind, all_ in gear_choices(kitchen, document).items()
        if len(all_) > 1
    ]
    return StartChoices(rows, "" if last is None else last.station)


def gear_of(kitchen: Kitchen, document: Mapping[str, Any], chosen: Sequence[str] = ()) -> dict[str, int]:
    """What a plan's piece will lie in, by kind: what is chosen by name, else the only one that it could be.

    Raises
    ------
    InputError
        A name that is none of the kitchen's.
    """
    out: dict[str, int] = {}
    known = set()
    for kind, found in gear_choices(kitchen, document).items():
        known |= {e.name for e in found}
        mine = [e for e in found if e.name in chosen] or (found if len(found) == 1 else [])
        if mine:
            out[kind] = mine[0].pk
    missing = [name for name in chosen if name and name not in known]
    if missing:
        raise InputError(say("gear: this plan has no use for {name!r} here; choose one from the list.", name=missing[0]), path="gear", code="missing")  # fmt: skip
    return out


def begun_uses(document: Mapping[str, Any], result: Mapping[str, Any], moves: Sequence[Mapping[str, Any]], state: CookState, gear: Mapping[str, int]) -> list[MediumUse]:  # fmt: skip
    """The stages that were begun, with what was put between them."""
    begun: list[tuple[float, Mapping[str, Any] | None, tuple[tuple[float, float], ...]]] = []
    for m, raw in zip(state.moves, moves, strict=True):
        if m.done is None:
            continue
        index = raw["stage"]
        told = index is not None and index < len(document["stages"])
        begun.append((m.done, document["stages"][index] if told else None, _course(result, index) if told else ()))
    begun += [(e.at, e.payload["stage"], ()) for e in state.live if e.kind == STAGE]
    begun.sort(key=lambda b: b[0])
    ends = [b[0] for b in begun[1:]] + [state.finished or inf]
    return [
        MediumUse(at, end, stage, gear.get(GEAR_OF.get(stage["kind"], "")), course)
        for (at, stage, course), end in zip(begun, ends, strict=True)
        if stage is not None and end > at
    ]


def _course(result: Mapping[str, Any], index: int) -> tuple[tuple[float, float], ...]:
    stage = result["stages"][index]
    return tuple((t - stage["start_s"], c) for t, c in stage.get("medium", ()))


def thought(stay: MediumUse, state: CookState, *, read: bool = True) -> Callable[[float], float] | None:
    """What its medium is thought to be by time, s since 1970 → °C: as planned, or as was last said of it; None: no medium.

    ``read`` False leaves out what was read there and not set: what somebody turned it to.
    """
    first = planned(stay.stage, stay.course)
    if first is None:
        return None
    said = [
        (e.at, float(e.payload["medium_c"])) for e in _of_its_heat(stay, state) if read or not e.payload.get("read")
    ]

    def at(moment: float) -> float:
        last = [c for when, c in said if when <= moment]
        return last[-1] if last else first(moment - stay.start)

    return at


def _of_its_heat(stay: MediumUse, state: CookState) -> list[Event]:
    """What was said of what heats in a stage while it lasted; what was said of another face is not."""
    own = set(faces_heated(stay.stage))
    return [
        e
        for e in state.live
        if e.kind == MEDIUM and stay.start <= e.at < stay.end and ("face" not in e.payload or e.payload["face"] in own)
    ]


def dialled(stay: MediumUse, state: CookState) -> float | None:
    """What somebody turned its medium to, °C: the plan's, or what was set since; None: it has none."""
    at = heated_by(stay.stage).get("medium_c")
    for e in _of_its_heat(stay, state):
        if not e.payload.get("read"):
            at = e.payload["medium_c"]
    return None if at is None else float(at)


def turned_to(cooks: Iterable[tuple[Cook, CookState]]) -> dict[int, float]:
    """What each piece of gear is turned to by what lies in it now, by its key, °C: whoever went in last has the say."""
    found: list[tuple[float, int, float]] = []
    for cook, state in cooks:
        last = begun_uses(cook.document, cook.result, cook.moves, state, cook.gear)[-1:]
        at = dialled(last[0], state) if last and last[0].end == inf else None
        if at is not None and last[0].gear is not None:
            found.append((last[0].start, last[0].gear, at))
    return {gear: at for _, gear, at in sorted(found)}


def said_of_it(found: Sequence[MediumUse], state: CookState) -> list[tuple[float, str]]:
    """What was said of the thermometer in the medium: s since 1970, and ``out``, ``back`` or ``right``.

    One that is wrong was so all along: since the piece went in, or since it was last said to be right.
    """
    out: list[tuple[float, str]] = []
    for e in state.live:
        if e.kind != PROBE or e.payload.get("of") != OF_MEDIUM:
            continue
        entered = max((stay.start for stay in found if stay.start <= e.at), default=e.at)
        right = max((at for at, what in out if what != OUT), default=entered)
        what = str(e.payload.get("is"))
        out.append((max(entered, right) if what == OUT else e.at, what))
    return out


def said_of_probe(state: CookState, of: str = CORE) -> list[tuple[Event, str]]:
    """What was said of the probe in the piece, or of its second one, by its event: ``out``, ``back`` or ``right``."""
    return [(e, str(e.payload.get("is"))) for e in state.live if e.kind == PROBE and e.payload.get("of", CORE) == of]


class Medium:
    """A piece of gear with a thermometer: its name, what it really is less what it shows, K, and what it read."""

    def __init__(self, gear: Equipment) -> None:
        self.name, self.offset_k = gear.name, gear.true_offset_c
        self.track = Track()
        self.arrivals: deque[tuple[float, float]] = deque(maxlen=ARRIVALS)  # when it came, and when it says it was read
        self.rate = 1.0

    def arrived(self, at: float, stamped: float, rate: float) -> None:
        """Note when a reading came, kitchen time: its hub's clock is judged by the last few."""
        self.arrivals.append((at, stamped))
        self.rate = rate

    def clock(self) -> Message | None:
        """What is said of a hub whose clock is off the kitchen's."""
        if not self.arrivals:
            return None
        came, stamped = (np.array(column) for column in zip(*self.arrivals, strict=True))
        off_s = skewed(came, stamped, self.rate)
        if off_s is None:
            return None
        words = N_("{gear}: its hub's clock is {apart:.0f} s slow; set it.") if off_s < 0 else N_("{gear}: its hub's clock is {apart:.0f} s fast; set it.")  # fmt: skip
        return say(words, gear=self.name, apart=abs(off_s))


class Media:
    """What thermometers in a kitchen's gear read, kept up to date by what is new."""

    def __init__(self) -> None:
        self.by_key: dict[int, Medium] = {}
        self.last_id: int | None = None

    def read(self, kitchen: Kitchen, wanted: set[int], since: float) -> None:
        """Take what was read of the gear that is wanted, by key; of gear that was not wanted before, all since then (s since 1970)."""
        for key in set(self.by_key) - wanted:
            del self.by_key[key]
        if not wanted:
            return
        rows = MediumReading.objects.filter(kitchen=kitchen)
        if self.last_id is None:
            self.last_id = rows.order_by("-id").values_list("id", flat=True).first() or 0
        columns = ("id", "equipment_id", "measured_at", "medium_c")
        newer = rows.filter(id__gt=self.last_id).order_by("id")
        fresh = list(newer.values_list(*columns)[: MAX_READINGS + 1])
        if len(fresh) > MAX_READINGS:  # nobody looked for long: begin anew, in bounded amounts
            self.by_key, self.last_id, fresh = {}, rows.aggregate(last=Max("id"))["last"] or 0, []
        last, now = self.last_id, kitchen.now().timestamp()
        for row_id, key, at, value in fresh:
            self.last_id = row_id
            if key in self.by_key:
                self.by_key[key].track.add(at.timestamp(), value)
                self.by_key[key].arrived(now, at.timestamp(), kitchen.clock_rate)
        new = wanted - set(self.by_key)
        if not new:
            return
        for gear in Equipment.objects.filter(kitchen=kitchen, pk__in=new).exclude(hub_name=""):
            self.by_key[gear.pk] = Medium(gear)
        old = rows.filter(measured_at__gte=moment(since), id__lte=max(last, self.last_id))
        for key in new & set(self.by_key):
            self.by_key[key].track = Track.of(course(old.filter(equipment_id=key), "medium_c"))


@dataclass(frozen=True)
class Around:
    """What thermometers in the media of one cook read, believed or not; s since 1970, °C as it really was."""

    stays: tuple[MediumUse, ...]
    read: tuple[tuple[Array, Array], ...]  # by stay
    said: tuple[tuple[float, str], ...]

    @classmethod
    def of(cls, found: Sequence[MediumUse], state: CookState, media: Mapping[int, Medium]) -> Around:
        """Of a cook's stays, each with the readings of its gear."""
        read = []
        for stay in found:
            medium = None if stay.gear is None else media.get(stay.gear)
            times, values = (np.empty(0), np.empty(0)) if medium is None else medium.track.between(stay.start, stay.end)
            read.append((times, values if medium is None else values + medium.offset_k))
        return cls(tuple(found), tuple(read), tuple(said_of_it(found, state)))

    @property
    def count(self) -> int:
        """How many there are."""
        return sum(t.size for t, _ in self.read)

    def believed(self) -> tuple[Array, Array]:
        """Those not said to be wrong, of all stays."""
        times = np.concatenate([t for t, _ in self.read] or [np.empty(0)])
        values = np.concatenate([c for _, c in self.read] or [np.empty(0)])
        good = np.array([not is_out(self.said, t) for t in times], dtype=bool)
        return times[good], values[good]

    def doubt(self, state: CookState) -> Off | None:
        """What is asked of the medium it lies in now; times in s since 1970."""
        if not self.stays or self.stays[-1].end < inf or self.stays[-1].kind not in HEAT_KINDS:
            return None
        stay, (times, values) = self.stays[-1], self.read[-1]
        course = thought(stay, state)
        if course is None or not times.size or is_out(self.said, float(times[-1])):
            return None
        told = [e.at for e in state.live if e.kind == MEDIUM and e.at >= stay.start] + [
            at for at, what in self.said if what == RIGHT
        ]
        return off(times, values, course, stay.kind, max([stay.start, *told]))

    def silent(self, now: float, rate: float = 1.0) -> bool:
        """Whether the thermometer of what it lies in now has stopped reporting; readings are under way for a few real seconds at any ``rate``."""
        if not self.stays or self.stays[-1].end < inf:
            return False
        times = self.read[-1][0]
        late = UNDER_WAY_S * max(rate - 1.0, 0.0)
        return silent(float(times[-1]) if times.size else None, now - late, self.stays[-1].start)

    def away_s(self, state: CookState) -> float:
        """How long any medium was further below what it was thought to be than it may be, s; what was said to be wrong left out."""
        total = 0.0
        for stay, (times, values) in zip(self.stays, self.read, strict=True):
            course = thought(stay, state)
            if course is None or stay.kind not in HEAT_KINDS:
                continue
            good = np.array([not is_out(self.said, t) for t in times], dtype=bool)
            total += away(times[good], values[good], course, stay.kind)
        return total


def around_of(cook: Cook, state: CookState) -> Around:
    """What thermometers in the media of a cook read, from the database; of a cook without gear nothing."""
    media = Media()
    if cook.gear:
        media.read(cook.kitchen, set(cook.gear.values()), state.started or cook.created_at.timestamp())
    return Around.of(begun_uses(cook.document, cook.result, cook.moves, state, cook.gear), state, media.by_key)


def around_named(cook: Cook, around: Around) -> list[tuple[str, tuple[Array, Array]]]:
    """Those readings by the name of the gear, without gear that read nothing."""
    names = dict(Equipment.objects.filter(kitchen=cook.kitchen, pk__in=cook.gear.values()).values_list("pk", "name"))
    read = [
        (s.gear, pairs)
        for s, pairs in zip(around.stays, around.read, strict=True)
        if s.gear is not None and pairs[0].size
    ]
    return [(names.get(gear, ""), pairs) for gear, pairs in read]


def unheard(name: str) -> Message:
    """What is said of a thermometer that fell silent."""
    return say("{gear}: its thermometer has stopped reporting; look at it.", gear=name)
