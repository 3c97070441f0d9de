"""Parts of a history: what is over, what goes on from a moment, and what about it is other from then on."""

from __future__ import annotations

from collections.abc import Mapping
from copy import deepcopy
from dataclasses import dataclass, field
from math import exp
from typing import Any

from ember_core.errors import FormatError, InputError
from ember_core.heat.physics.stores import kinds as stores
from ember_core.plan.kinds import TURNED_KINDS
from ember_core.plan.stages import SETTLE_MINUTES
from ember_core.wording.message import say

STORED_BY = {of: kind for kind, row in stores().items() for of in row["of"]}


@dataclass
class Interval:
    """Part of a history: when it began, what it is, of which planned stage, and what was done to its doors."""

    start_s: float
    stage: dict[str, Any]
    planned: int
    first_s: float  # when that stage began at all
    then: int | None = None
    doors: list[tuple[float, float]] = field(default_factory=list)


def with_doors(stage: dict[str, Any], was: Interval) -> dict[str, Any]:
    """A stage with the doors that were opened besides those it had."""
    doors = sorted([*_doors(stage), *({"at_s": a, "open_s": o} for a, o in was.doors)], key=lambda d: d["at_s"])
    return stage | {"store": stage["store"] | {"doors": doors}} if doors else stage


def waits(stage: Mapping[str, Any]) -> bool:
    """Whether a stage ends by something else than the clock."""
    return bool(stage.get("until"))


def past(was: Interval, seconds: float) -> dict[str, Any]:
    """A stretch that is over: by its clock, with the doors that were opened."""
    out = {k: v for k, v in was.stage.items() if k != "until"} | {"minutes": seconds / 60.0}
    doors = [d for d in [*_doors(out), *({"at_s": a, "open_s": o} for a, o in was.doors)] if d["at_s"] < seconds]
    if "store" in out:
        own = {k: v for k, v in out["store"].items() if k != "doors"}
        out["store"] = own | ({"doors": sorted(doors, key=lambda d: d["at_s"])} if doors else {})
    return out


def _doors(stage: Mapping[str, Any]) -> list[dict[str, Any]]:
    return list(stage.get("store", {}).get("doors", ()))


def carried(was: Interval, at: float) -> dict[str, Any]:
    """The same stage from a moment on: what settles has settled so far, doors come so much sooner, it is not cut again."""
    elapsed = at - was.start_s
    out = deepcopy(was.stage)
    out.pop("portion", None)
    for one in (out, *out.get("faces", {}).values()):
        if "medium_from_c" in one:
            minutes = one.get("settle_minutes", SETTLE_MINUTES)
            to = one.get("medium_c", out.get("medium_c", one["medium_from_c"]))
            one["medium_from_c"] = to + (one["medium_from_c"] - to) * exp(-elapsed / (60.0 * minutes))
    if "store" in out:
        left = [{"at_s": d["at_s"] - elapsed, "open_s": d["open_s"]} for d in _doors(out) if d["at_s"] >= elapsed]
        out["store"] = {k: v for k, v in out["store"].items() if k != "doors"} | ({"doors": left} if left else {})
    return out


def faces_heated(stage: Mapping[str, Any]) -> list[str]:
    """The faces of a stage that meet its own kind of medium, where faces are described."""
    return [name for name, f in stage.get("faces", {}).items() if f.get("kind", stage["kind"]) == stage["kind"]]


def heated_by(stage: Mapping[str, Any]) -> dict[str, Any]:
    """What heats in a stage, as it stands there: the stage with its first face of its own kind laid over it."""
    return {**stage, **next((stage["faces"][n] for n in faces_heated(stage)), {})}


def set_medium(stage: dict[str, Any], event: Mapping[str, Any], path: str) -> None:
    """The medium is at a temperature from now on, at one face or wherever it was."""
    stage.pop("store", None)
    stage.pop("load", None)
    names = [event["face"]] if "face" in event else faces_heated(stage)
    if "face" in event and "faces" in stage and event["face"] not in stage["faces"]:
        raise InputError(say("This stage says nothing of that face; choose one of {choices}.", choices=", ".join(stage["faces"])), path=f"{path}/face", code="face")  # fmt: skip
    if "face" in event and "faces" not in stage:
        stage["faces"] = {event["face"]: {}}
    for one in [stage["faces"][n] for n in names] or [stage]:
        for key in ("medium_from_c", "settle_minutes"):
            one.pop(key, None)
        one["medium_c"] = float(event["medium_c"])
    if names and "medium_from_c" in stage:
        stage.pop("medium_from_c"), stage.pop("settle_minutes", None)


def set_heat(stage: dict[str, Any], event: Mapping[str, Any], path: str) -> None:
    """The heater gives more or less from now on; a medium that had no store gets a usual one."""
    if not {"power_w", "set_c"} & set(event):
        raise FormatError(say("heat lacks power_w or set_c; add one."), path=f"{path}/power_w", code="missing")
    if "store" not in stage:
        kind = STORED_BY.get(stage["kind"])
        if kind is None:
            raise InputError(say("{kind} has no heater of its own; say what its medium is now with kind medium.", kind=stage["kind"]), path=path, code="heat")  # fmt: skip
        stage["store"] = {"kind": kind}
        stage.pop("load", None)
        for one in (stage, *stage.get("faces", {}).values()):
            one.pop("medium_from_c", None), one.pop("settle_minutes", None)
    store = {k: v for k, v in stage["store"].items() if k not in {"power_w", "set_c"}}
    stage["store"] = store | {k: float(event[k]) for k in ("power_w", "set_c") if k in event}


def turn_over(stage: dict[str, Any], path: str) -> None:
    """What lay below lies above."""
    faces = stage.get("faces")
    if not faces or stage["kind"] not in TURNED_KINDS:
        raise InputError(
            say("Turning changes nothing where both faces meet the same; leave it out."), path=path, code="turn"
        )
    stage["faces"] = {{"a": "b", "b": "a"}.get(name, name): f for name, f in faces.items()}


def in_turns(was: Interval) -> bool:
    """Whether a stretch's medium has doors or other pieces by the clock: it is computed as a whole, and not parted."""
    store = was.stage.get("store", {})
    return bool(was.doors) or bool({"doors", "lay_in_every_s"} & set(store)) or "also" in was.stage
