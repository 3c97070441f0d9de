"""What the page of a record shows."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

import numpy as np
from django.db.models import Q

from ember_core.book.book import Book
from ember_core.line.fold import CHECK
from ember_core.plan.probe_places import PART_NAMES
from ember_core.planning.moves import MoveKind
from ember_core.running.checks import checks as kinds_of_check
from ember_core.wording.message import join_sentences, say
from ember_web.book.public import book_of
from ember_web.logbook.actions.change_note import note_version
from ember_web.logbook.models import Record
from ember_web.tenancy.access import KitchenRequest
from ember_web.tenancy.models import ClockChange
from ember_web.tenancy.voice import current
from ember_web.ui.compare import compare

KEPT_KINDS = {"hold", "chill"}  # after them a piece is kept by the hour or the day
KEPT_FOR = timedelta(days=31)


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
        "note_version": note_version(record.note),
        **clock_changes(record),
        "picture": compare(d),
        "pull": at_pull,
        "checks": checks_made(d),
        "gap": gap,
        "rule": (d["judged"] or {}).get("rule"),
        "model": (d["judged"] or {}).get("model", []),
        "findings": (d["judged"] or {}).get("findings", []),
    }


def checks_made(document: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The checks of doneness that were made: when (s), which, of which part, what it said, and by whom."""
    known = kinds_of_check()
    return [
        {
            "at_s": e["at_s"],
            "name": known[e["check"]].name,
            "part": PART_NAMES.get(e.get("part", "")),
            "said": current().units.shown("temp", e["core_c"], 1) if "core_c" in e else current().say(say(e["answer"])),
            "by": e.get("by", ""),
        }
        for e in document.get("happened", ())
        if e["kind"] == CHECK and e.get("check") in known
    ]


def clock_changes(record: Record) -> dict[str, list[ClockChange]]:
    """When the kitchen's clock was set while it cooked, and since then where it was kept: what counts time across it is off."""
    begun, done = record.started_at, record.finished_at
    changes = ClockChange.objects.filter(kitchen=record.kitchen_id)
    while_cooking = changes.filter(Q(before__range=(begun, done)) | Q(after__range=(begun, done)))
    kept = any(s.get("kind") in KEPT_KINDS for s in record.document["plan"].get("stages", ()))
    since = changes.filter(before__gt=done, before__lt=done + KEPT_FOR) if kept else changes.none()
    return {"clock_changed": list(while_cooking), "clock_changed_since": list(since)}


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
        in_shell = shape["kind"] == "egg" and not shape.get("opened")
        mass = shape["mass_g"]
        words.append(say("{mass:mass} in the shell", mass=mass) if in_shell else say("{mass:mass}", mass=mass))
    words.append(say("from {start:temp}", start=piece["start_c"]))
    target = plan.get("target", {}).get("core_c")
    if target is not None:
        words.append(say("to {target:temp}", target=target))
    way = plan.get("way", {})
    words.append(say("by {way}", way=say(book.way_name(way))) if way.get("id") else say("by its own stages"))
    return current().say(join_sentences(words, ", "))
