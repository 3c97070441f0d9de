"""Schools side by side: the same piece by two or three ways, to choose one."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.utils.translation import gettext
from django.views.decorators.http import require_safe

from ember_core.book.book import Book
from ember_core.errors import EmberError
from ember_core.planning.schools import School, contrast, school
from ember_web.book.public import book_of
from ember_web.jobs.waiting import Busy, solver
from ember_web.plans.forms import FIELDS, SentenceForm, form_of, sentence_of
from ember_web.plans.models import Plan
from ember_web.plans.presenters import View, build
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current


def asked(request: KitchenRequest) -> tuple[Plan | None, SentenceForm, dict[str, Any], Book]:
    """The sentence of the address: the saved plan it changes, its form, its document, the kitchen's book."""
    plan = None
    if request.GET.get("plan"):
        plan = get_object_or_404(Plan, kitchen=request.kitchen, public_id=request.GET["plan"].replace("\x00", ""))
    book = book_of(request.kitchen)
    form, base = form_of(book, request.kitchen, plan, request.GET)
    return plan, form, base, book


def _column(found: School, kitchen: Kitchen, book: Book, state: dict[str, Any]) -> dict[str, Any]:
    """What a column shows of one way."""
    view: View | None = None
    if found.outcome is not None:
        view = build(found.outcome, kitchen, book, kitchen.now(), found.total_s)
    changed = {"way": found.way["id"], "heat_c": "", "minutes": "", "start_c": f"{found.sentence.start_c:g}"}
    changed["gear"] = str((found.sentence.gear or {}).get("name", ""))  # a pan does not go along to the oven
    food = found.outcome.plan.required.species if found.outcome else None
    return {
        "school": found,
        "view": view,
        "state": urlencode(state | changed),
        "yields": food not in {None, "plant", "egg", "fish", "shellfish"},
        "error": current().say(found.error) if found.error else "",
    }


@in_kitchen()
@require_safe
def side_by_side(request: KitchenRequest) -> HttpResponse:
    """Two or three ways for the piece in the address; ``ways`` says which."""
    kitchen = request.kitchen
    plan, form, base, book = asked(request)
    context: dict[str, Any] = {"plan": plan, "form": form}
    status = 200
    if form.is_valid():
        state = {k: form[k].value() or "" for k in (*FIELDS, "title")}
        try:
            sentence = sentence_of(form, kitchen, base, book)
            ways = contrast(sentence, book, request.GET.getlist("ways"))
            found = solver.each(school, [(sentence, way, book) for way in ways])
            cut = book.cut(sentence.cut)
            fits = [] if cut is None else book.ways_for(cut, sentence.size_mm, sentence.target_c)
            context |= {
                "columns": [_column(s, kitchen, book, state) for s in found],
                "fits": [(w["id"], gettext(w["name"])) for w in fits],
                "fields": [(k, v) for k, v in state.items() if k not in {"ways"}],
                "sentence": sentence,
                "piece": "" if cut is None else cut["name"],
                "back": urlencode(state),
            }
        except EmberError as error:
            context["error"] = current().say(error.message)
            status = 503 if isinstance(error, Busy) else 200
    return render(request, "plans/schools.html", context, status=status)


@in_kitchen()
@require_safe
def doubt(request: KitchenRequest) -> HttpResponse:
    """How sure the pull of one way is, computed after the columns are there."""
    _, form, base, book = asked(request)
    spread = None
    if form.is_valid():
        try:
            sentence = sentence_of(form, request.kitchen, base, book)
            way = book.way(sentence.way)
            found = None if way is None else solver.run(school, sentence, way, book, with_forecast=True)
            pull = found.outcome.result["forecast"]["pull_s"] if found and found.outcome else None
            spread = None if pull is None else pull["p95"] - pull["p5"]
        except EmberError:
            spread = None
    return render(request, "plans/_doubt.html", {"spread": spread})
