"""The clock strip above every page: the coming moves of all running cooks."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from ember_web.line.adapters import moment, state_of
from ember_web.line.live import dues_of
from ember_web.line.queries import with_events
from ember_web.tenancy.models import Kitchen
from ember_web.ui.templatetags.ember import span

NUMBER_WIDE = 2.3  # %, of the strip's width at 1280 px
MARK_WIDE = 2.3  # %: marks closer than this are one, of 24 px and more at the narrowest the strip is drawn (1060 px)
STRIP_S = 90 * 60
NAMED = 3


def strip_marks(kitchen: Kitchen, now: datetime) -> dict[str, Any]:
    """Marks of the clock strip: coming moves of every running cook within 90 minutes; those of one moment are one mark."""
    moves: list[dict[str, Any]] = []
    earlier = later = 0
    dues = dues_of(kitchen)  # the strip and the board give one time
    for cook in with_events(kitchen).defer("document", "result", "trace"):
        state = state_of(cook)
        for move, raw in zip(state.moves, cook.moves, strict=True):
            if move.done is not None:
                continue
            due = dues.get(cook.public_id, {}).get(move.id, round(1000.0 * move.due)) / 1000.0
            ahead = due - now.timestamp()
            if ahead > STRIP_S:
                later += 1
                continue
            if ahead < 0:
                earlier += 1
            moves.append(
                {
                    "ahead": ahead,
                    "left": round(4 + 92 * max(ahead, 0) / STRIP_S, 2),
                    "verb": raw["verb"],
                    "cook": cook.title,
                    "id": cook.public_id,
                    "at": moment(due),
                    "in": span(ahead),
                    "station": cook.station,
                }
            )
    marks = merged(sorted(moves, key=lambda m: m["ahead"]))
    free = -1.0  # where the last word ends, in % of the width
    for i, mark in enumerate(marks):
        mark["named"] = i < NAMED and mark["left"] >= free
        more = 3 if mark["moves"][1:] else 0
        mark["until"] = mark["left"] + (2 + 0.75 * (len(mark["verb"] + " 00:00") + more) if mark["named"] else 0.4)
        if mark["named"]:
            free = mark["until"]
    hours: list[dict[str, Any]] = [
        {"left": round(4 + 92 * m / 90, 2), "label": f"{m}"} for m in (15, 30, 45, 60, 75, 90)
    ]
    return {
        "marks": marks,
        "earlier": earlier,
        "later": later,
        # a number that a mark or its word would stand on is left out
        "hours": [
            h for h in hours if not any(m["left"] < h["left"] and m["until"] > h["left"] - NUMBER_WIDE for m in marks)
        ],
    }


def merged(moves: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """One mark for moves that lie closer than a finger is wide: that of the first, with all ``moves`` and how many ``more``."""
    marks: list[dict[str, Any]] = []
    for move in moves:
        if marks and move["left"] - marks[-1]["left"] < MARK_WIDE:
            marks[-1]["moves"].append(move)
        else:
            marks.append(dict(move) | {"moves": [move]})
    return [m | {"more": len(m["moves"]) - 1} for m in marks]
