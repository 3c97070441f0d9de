"""What the page of a record shows."""

from __future__ import annotations

from typing import Any

import numpy as np

from ember_core.book.book import Book
from ember_core.planning.moves import MoveKind
from ember_core.wording.message import joined, say
from ember_web.book.queries import book_of
from ember_web.logbook.models import Record
from ember_web.tenancy.access import RANK, KitchenRequest
from ember_web.tenancy.voice import current
from ember_web.ui.compare import compare


def context_of(request: KitchenRequest, record: Record, note: str) -> dict[str, Any]:
    """A record's page for its reader; ``note`` as it stands in the form."""
    d = record.document
    at_pull = next((m for m in d["moves"] if m["kind"] == MoveKind.PULL), None)
    gap = None
    if d["readings"]:
        core = np.array(d["readings"])[:, 1]
        planned = np.array(d["trace"]).T
        gap = float(np.max(core)) - float(np.max(planned[1]))
    return {
        "record": record,
        "planned": planned_words(d["plan"], book_of(request.kitchen)),
        "d": d,
        "note": note,
        "picture": compare(d),
        "pull": at_pull,
        "gap": gap,
        "can_write": RANK[request.role] >= RANK["cook"],
        "rule": (d["judged"] or {}).get("rule"),
        "model": (d["judged"] or {}).get("model", []),
        "findings": (d["judged"] or {}).get("findings", []),
    }


def planned_words(plan: dict[str, Any], book: Book) -> str:
    """The plan as it was, in one line."""
    piece = plan["piece"]
    shape = piece["shape"]
    name = say(book.piece_name(piece))
    words = [say("{count} × {name}", count=piece.get("count", 1), name=name)]
    size = shape.get("thickness_mm", shape.get("diameter_mm"))
    if size is not None:
        words.append(say("{size:length}", size=size))
    elif "mass_g" in shape:
        words.append(say("{mass:mass} in the shell", mass=shape["mass_g"]))
    words.append(say("from {start:temp}", start=piece["start_c"]))
    target = plan.get("target", {}).get("core_c")
    if target is not None:
        words.append(say("to {target:temp}", target=target))
    way = plan.get("way", {})
    words.append(say("by {way}", way=say(book.way_name(way))) if way.get("id") else say("by its own stages"))
    return current().say(joined(words, ", "))
