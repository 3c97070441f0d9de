"""The second probe of a bird, in the part that its first is not in: breast and leg are done each by itself, the bird by the later."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ember_core.heat.geometry.bird import part_shape
from ember_core.plan.probe_places import PART_NAMES
from ember_core.wording.message import Message, say
from ember_web.line.media import Track
from ember_web.line.models import Cook

PARTS = ("breast", "leg")  # a stuffing is checked when the others are done


def second_part(result: Mapping[str, Any]) -> str | None:
    """The part of a plan's bird that a second probe goes into; None of what is no bird."""
    parts = result.get("parts") or {}
    return next((p for p in PARTS if p in parts and not parts[p]["leads"]), None)


def lead_part(result: Mapping[str, Any]) -> str:
    """The part of a plan's bird that leads: its first probe is in it."""
    return next(str(p) for p, of in result["parts"].items() if of["leads"])


def parts_as_cooked(cook: Cook) -> dict[str, dict[str, Any]]:
    """The parts of a bird as the plain shapes that they cook as, with the one that leads first; empty of what is no bird."""
    shape = cook.document["piece"]["shape"]
    parts = cook.result.get("parts") or {}
    order = sorted(parts, key=lambda p: not parts[p]["leads"])
    return {p: part_shape({**shape, "part": p}) for p in order}


def second_key(thermal: str, part: str) -> str:
    """What the temperatures of the second part depend on: the plan's, and which part."""
    return f'{thermal[:-1]}, "{part}"]'


def second_state(
    cook: Cook, track: Track, learned: Mapping[str, Any] | None, asked: Message | None
) -> dict[str, Any] | None:
    """What a board shows of the second probe, and what is asked of it; None: there is none."""
    part = second_part(cook.result)
    if cook.second_probe is None or part is None:
        return None
    last = track.last
    return {
        "part": say(PART_NAMES[part]),
        "probe": str(cook.second_probe),
        "read": None if last is None else [round(last[0] * 1000), round(last[1], 2)],
        "target": cook.result["parts"][part]["target_c"],
        "learned": None if learned is None else dict(learned),
        "ask": asked if asked is None else say("In {part}: {question}", part=say(PART_NAMES[part]), question=asked),
    }


def later(first: Mapping[str, Any] | None, second: Mapping[str, Any] | None) -> dict[str, Any] | None:
    """The pull of a bird by both of its probes: when the later part may come out; one that says nothing yet is left out."""
    known = [x for x in (first, second) if x is not None]
    if len(known) < 2:
        return dict(known[0]) if known else None
    ends = {k: max(x[k] for x in known) for k in ("from", "likely", "to")}
    last = max(known, key=lambda x: x["likely"])
    return {**last, **ends, "used": sum(x["used"] for x in known)}
