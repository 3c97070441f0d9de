"""Log: what was cooked, and how it stood."""

from __future__ import annotations

from django.contrib import messages
from django.core.paginator import Paginator
from django.db.models import FloatField
from django.db.models.fields.json import KT, KeyTransform
from django.db.models.functions import Cast
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_http_methods, require_safe

from ember_core.errors import InputError
from ember_web.logbook.actions.change_note import NoteChanged, change_note
from ember_web.logbook.models import Record
from ember_web.logbook.presenters import context_of
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current
from ember_web.ui.downloads import as_cell, csv_reply


@in_kitchen()
@require_safe
def listing(request: KitchenRequest) -> HttpResponse:
    """All records, newest first."""
    words = request.GET.get("q", "")[:100].replace("\x00", "")
    records = Record.objects.filter(kitchen=request.kitchen).defer("document")
    if words:
        records = records.filter(title__icontains=words)
    page = Paginator(records, 30).get_page(request.GET.get("page"))
    # of the documents, which may be large, only what a row shows, and only of the rows that are shown
    of_document = {
        "target_c": Cast(KT("document__plan__target__core_c"), FloatField()),
        "verdict": KeyTransform("verdict", "document"),
    }
    found = Record.objects.filter(pk__in=[r.pk for r in page]).order_by().values("pk", **of_document)
    shown = {row["pk"]: row for row in found}
    return render(request, "logbook/log.html", {"page": page, "rows": [(r, shown[r.pk]) for r in page], "q": words})


@in_kitchen()
@require_http_methods(["GET", "HEAD", "POST"])
def detail(request: KitchenRequest, record: str) -> HttpResponse:
    """One record; its note can be changed, nothing else."""
    found = get_object_or_404(Record, kitchen=request.kitchen, public_id=record)
    if request.method == "POST":
        note = request.POST.get("note", "").replace("\x00", "").replace("\r\n", "\n")
        try:
            change_note(Actor.of_request(request), found.public_id, note, request.POST.get("version"))
        except NoteChanged as error:
            found.refresh_from_db(fields=["note"])
            context = context_of(request, found, note) | {
                "theirs": error.stored,
                "note_error": current().say(error.message),
            }
            return render(request, "logbook/record.html", context, status=409)
        except InputError as error:
            context = context_of(request, found, note) | {"note_error": current().say(error.message)}
            return render(request, "logbook/record.html", context, status=422)
        messages.success(request, _("Note saved"))
        return redirect("record", kitchen=request.kitchen.public_id, record=found.public_id)
    return render(request, "logbook/record.html", context_of(request, found, found.note))


@in_kitchen()
@require_safe
def as_csv(request: KitchenRequest, record: str) -> HttpResponse:
    """The readings as a log file that ``./ember judge`` accepts."""
    found = get_object_or_404(Record, kitchen=request.kitchen, public_id=record)
    rows = [["t_s", "core_c", "note"]]
    notes = sorted((m["done_s"], m["verb"]) for m in found.document["moves"] if m["done_s"] is not None)
    for t, core in found.document["readings"]:
        said = []
        while notes and notes[0][0] <= t:
            said.append(notes.pop(0)[1])
        rows.append([f"{t:.3f}", f"{core:.3f}", as_cell(" · ".join(map(str, said)))])
    return csv_reply(f"log-{found.public_id}.csv", rows)


@in_kitchen()
@require_safe
def as_json(request: KitchenRequest, record: str) -> HttpResponse:
    """The whole record."""
    found = get_object_or_404(Record, kitchen=request.kitchen, public_id=record)
    reply = JsonResponse(found.document | {"note": found.note}, json_dumps_params={"indent": 1, "ensure_ascii": False})
    reply["Content-Disposition"] = f'attachment; filename="record-{found.public_id}.json"'
    return reply
