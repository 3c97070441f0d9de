"""What the API takes and answers, as types: the OpenAPI document is made of them, and ``docs/formats/openapi.json`` is that document."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from ninja import Field, Schema

from ember_web.line.actions.take_readings import BATCH


class ReadingIn(Schema):
    """One reading: ``probe`` and ``core_c`` of a piece, or ``device`` and ``medium_c`` of an oven, a bath and so on, as its
    own thermometer shows it. Times are the kitchen's (see ``now`` in every answer)."""

    probe: str | None = Field(None, max_length=40)
    device: str | None = Field(None, max_length=40, description="What the hub calls it, as the kitchen wrote it down.")
    boot: str = Field(min_length=1, max_length=40, description="Changes whenever the hub starts anew.")
    sequence: int = Field(ge=0, lt=2**62)
    at: datetime
    core_c: float | None = None
    medium_c: float | None = None


class ReadingsIn(Schema):
    """A batch."""

    readings: list[ReadingIn] = Field(max_length=BATCH)


class Answer(Schema):
    """What became of one reading: taken, known (sent before), later (keep it, send it again) or refused, with the reason."""

    boot: str
    sequence: int
    status: str
    message: str = ""


class Answers(Schema):
    """Answers in the order of the batch, and the kitchen's time."""

    answers: list[Answer]
    now: datetime
    rate: float


class Named(Schema):
    """A probe: the name that the hub gives it, and the kitchen's own."""

    name: str
    label: str


class Probes(Schema):
    """The kitchen's probes, and its time."""

    probes: list[Named]
    now: datetime
    rate: float


class NamedDevice(Named):
    """An oven, a bath and so on that the hub reads."""

    kind: str


class Devices(Schema):
    """What heats, and the kitchen's time."""

    devices: list[NamedDevice]
    now: datetime
    rate: float


class MoveDone(Schema):
    """A move: the stage that it begins (null: it ends the last), when it is due, s from the start, and when it was done, s since 1970."""

    stage: int | None
    offset_s: float
    done: float | None


class Second(Schema):
    """The second probe of a bird, and the part it is in."""

    probe: str
    part: str | None


class OnHeat(Schema):
    """A running cook: its plan as it is really done (``open-ember.plan/1``), its moves, the probes in it and the devices it goes into."""

    id: str
    probe: str | None
    plan: dict[str, Any]
    started: float
    moves: list[MoveDone]
    second: Second | None
    parts: dict[str, dict[str, Any]] = Field(description="Of a bird: each part as the plain shape that it cooks as.")
    devices: dict[str, str] = Field(description="Kind of device to its name.")


class Fault(Schema):
    """What is to go wrong in a simulated kitchen, and since when, s since 1970."""

    kind: str
    since: float


class DeviceNow(Schema):
    """A device with what it holds, how far its display is off, K, what it is turned to, °C, and what is to go wrong with it."""

    name: str
    kind: str
    litres: float | None
    watts: float | None
    mass_kg: float | None
    material: str | None
    off_k: float
    dial_c: float | None
    faults: list[Fault]


class ProbeNow(Schema):
    """A probe, and what is to go wrong with it."""

    name: str
    faults: list[Fault]


class LineNow(Schema):
    """What is on the line; ``now`` in s since 1970."""

    cooks: list[OnHeat]
    devices: list[DeviceNow]
    probes: list[ProbeNow]
    now: float
    rate: float


class Problem(Schema):
    """What is wrong: a code, a message that says what to do, and where in the body."""

    code: str
    message: str
    path: str = ""


class Refused(Schema):
    """The answer to a body that cannot be read."""

    error: Problem
