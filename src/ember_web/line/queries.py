"""What Line shows: one state document; and the clock strip of every page."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from ember_web.kitchens.models import Kitchen
from ember_web.line.adapters import moment, state_of
from ember_web.line.learning import learned
from ember_web.line.models import Cook, Reading
from ember_web.ui.templatetags.ember import span

NUMBER_WIDE = 2.3  # %, of the strip's width at 1280 px
STRIP_S = 90 * 60
READINGS_SHOWN = 240


def running(kitchen: Kitchen) -> list[Cook]:
    """Cooks on the line, in their fixed order."""
    return list(Cook.objects.filter(kitchen=kitchen, finished=False).select_related("probe").prefetch_related("events"))


def readings_of(cook: Cook) -> list[Reading]:
    """Readings of the cook's probe since it started, in order of time."""
    if cook.probe_id is None:
        return []
    state = state_of(cook)
    rows = Reading.objects.filter(
        probe_id=cook.probe_id,
        kitchen_id=cook.kitchen_id,
        measured_at__gte=moment(state.started or cook.created_at.timestamp()),
    )
    if state.finished is not None:
        rows = rows.filter(measured_at__lte=moment(state.finished))
    return list(rows.order_by("measured_at", "id"))


def predicted(trace: list[list[float]], t_s: float) -> float | None:
    """Predicted core at ``t_s`` s from a trace of (s, °C) pairs."""
    if not trace or t_s < 0:
        return None
    before = trace[0]
    for point in trace:
        if point[0] >= t_s:
            width = point[0] - before[0]
            return before[1] if width <= 0 else before[1] + (point[1] - before[1]) * (t_s - before[0]) / width
        before = point
    return before[1]


def plan_time(cook: Cook, now_s: float) -> float:
    """Where the cook stands on the plan's own time axis: since the last move done, from that move's offset."""
    state = state_of(cook)
    done = [(m.done, m.offset_s) for m in state.moves if m.done is not None]
    if not done:
        return 0.0
    at, offset = max(done, key=lambda d: d[1])
    following = next((m for m in state.moves if m.done is None), None)
    elapsed = now_s - at
    if following is not None:
        elapsed = min(elapsed, following.offset_s - offset)  # a late move holds the plan where it is
    return offset + max(elapsed, 0.0)


def cook_state(cook: Cook, now: datetime) -> dict[str, Any]:
    """One cook as the page needs it; times in ms since the epoch."""
    state = state_of(cook)
    rows = readings_of(cook)
    step = max(1, -(-len(rows) // READINGS_SHOWN))
    shown = rows[::step] + (rows[-1:] if rows and (len(rows) - 1) % step else [])
    start = state.started or cook.created_at.timestamp()
    here = plan_time(cook, now.timestamp())
    document = cook.document
    return {
        "id": cook.public_id,
        "title": cook.title,
        "station": cook.station,
        "count": document["piece"].get("count", 1),
        "started": round(start * 1000),
        "finished": None if state.finished is None else round(state.finished * 1000),
        "probe": None if cook.probe is None else str(cook.probe),
        "next": state.next,
        "lastEvent": state.last_event,
        "target": document.get("target", {}).get("core_c"),
        "pullCore": (cook.result.get("coast") or {}).get("pull_core_c"),
        "predicted": predicted(cook.trace, here),
        "trace": cook.trace,
        "planNow": round(here, 1),
        "learned": learned(cook, state, rows, start),
        "readings": [[round(r.measured_at.timestamp() - start, 1), round(r.core_c, 2)] for r in shown],
        "lastReading": None
        if not rows
        else [round(rows[-1].measured_at.timestamp() * 1000), round(rows[-1].core_c, 2)],
        "moves": [
            {
                "id": m.id,
                "verb": raw["verb"],
                "cue": raw["cue"],
                "why": raw["why"],
                "caution": raw["caution"],
                "core": raw["core_c"],
                "offset": m.offset_s,
                "due": round(m.due * 1000),
                "done": None if m.done is None else round(m.done * 1000),
            }
            for m, raw in zip(state.moves, cook.moves, strict=True)
        ],
    }


def line_state(kitchen: Kitchen) -> dict[str, Any]:
    """The state document of Line."""
    now = kitchen.now()
    return {
        "now": round(now.timestamp() * 1000),
        "rate": kitchen.clock_rate,
        "zone": kitchen.zone,
        "cooks": [cook_state(c, now) for c in running(kitchen)],
    }


def strip_marks(kitchen: Kitchen, now: datetime) -> dict[str, Any]:
    """Marks of the clock strip: coming moves of every running cook within 90 minutes."""
    marks, earlier, later = [], 0, 0
    for cook in running(kitchen):
        state = state_of(cook)
        for move, raw in zip(state.moves, cook.moves, strict=True):
            if move.done is not None:
                continue
            ahead = move.due - now.timestamp()
            if ahead > STRIP_S:
                later += 1
                continue
            if ahead < 0:
                earlier += 1
            marks.append(
                {
                    "ahead": ahead,
                    "left": round(4 + 92 * max(ahead, 0) / STRIP_S, 2),
                    "verb": raw["verb"],
                    "cook": cook.title,
                    "id": cook.public_id,
                    "at": moment(move.due),
                    "in": span(ahead),
                    "station": cook.station,
                }
            )
    marks.sort(key=lambda m: m["ahead"])
    free = -1.0  # where the last word ends, in % of the width
    for i, mark in enumerate(marks):
        mark["named"] = i < 3 and mark["left"] >= free
        mark["until"] = mark["left"] + (2 + 0.75 * len(mark["verb"] + " 00:00") if mark["named"] else 0.4)
        if mark["named"]:
            free = mark["until"]
    hours = [{"left": round(4 + 92 * m / 90, 2), "label": f"{m}"} for m in (15, 30, 45, 60, 75, 90)]
    return {
        "marks": marks,
        "earlier": earlier,
        "later": later,
        # a number that a mark or its word would stand on is left out
        "hours": [
            h for h in hours if not any(m["left"] < h["left"] and m["until"] > h["left"] - NUMBER_WIDE for m in marks)
        ],
    }
