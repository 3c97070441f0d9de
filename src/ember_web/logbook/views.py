"""Log: what was cooked, and how it stood."""

from __future__ import annotations

import csv
from typing import Any

import numpy as np
from django.contrib import messages
from django.core.paginator import Paginator
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_GET, require_http_methods

from ember_core.book.book import Book
from ember_core.errors import InputError
from ember_core.planning.moves import MoveKind
from ember_core.wording.message import joined, say
from ember_web.book.queries import book_of
from ember_web.logbook.actions.change_note import change_note
from ember_web.logbook.models import Record
from ember_web.tenancy.access import RANK, KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current
from ember_web.ui.compare import compare


@in_kitchen()
@require_GET
def listing(request: KitchenRequest) -> HttpResponse:
    """All records, newest first."""
    words = request.GET.get("q", "")[:100].replace("\x00", "")
    records = Record.objects.filter(kitchen=request.kitchen, title__icontains=words)
    return render(
        request, "logbook/log.html", {"page": Paginator(records, 30).get_page(request.GET.get("page")), "q": words}
    )


@in_kitchen()
@require_http_methods(["GET", "POST"])
def detail(request: KitchenRequest, record: str) -> HttpResponse:
    """One record; its note can be changed, nothing else."""
    found = get_object_or_404(Record, kitchen=request.kitchen, public_id=record)
    if request.method == "POST":
        note = request.POST.get("note", "").replace("\x00", "")
        try:
            change_note(Actor.of_request(request), found.public_id, note)
        except InputError as error:
            messages.error(request, current().say(error.message))
            return render(request, "logbook/record.html", _context(request, found, note), status=422)
        messages.success(request, _("Note saved"))
        return redirect("record", kitchen=request.kitchen.public_id, record=found.public_id)
    return render(request, "logbook/record.html", _context(request, found, found.note))


def _context(request: KitchenRequest, record: Record, note: str) -> dict[str, Any]:
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
        "picture": compare(d, current().units),
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


@in_kitchen()
@require_GET
def as_csv(request: KitchenRequest, record: str) -> HttpResponse:
    """The readings as a log file that ``./ember judge`` accepts."""
    found = get_object_or_404(Record, kitchen=request.kitchen, public_id=record)
    reply = HttpResponse(content_type="text/csv; charset=utf-8")
    reply["Content-Disposition"] = f'attachment; filename="log-{found.public_id}.csv"'
    writer = csv.writer(reply, lineterminator="\n")
    writer.writerow(["t_s", "core_c", "note"])
    notes = sorted((m["done_s"], m["verb"]) for m in found.document["moves"] if m["done_s"] is not None)
    for t, core in found.document["readings"]:
        said = []
        while notes and notes[0][0] <= t:
            said.append(notes.pop(0)[1])
        writer.writerow([f"{t:.3f}", f"{core:.3f}", " · ".join(said)])
    return reply


@in_kitchen()
@require_GET
def as_json(request: KitchenRequest, record: str) -> HttpResponse:
    """The whole record."""
    found = get_object_or_404(Record, kitchen=request.kitchen, public_id=record)
    reply = JsonResponse(found.document | {"note": found.note}, json_dumps_params={"indent": 1, "ensure_ascii": False})
    reply["Content-Disposition"] = f'attachment; filename="record-{found.public_id}.json"'
    return reply
