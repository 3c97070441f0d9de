"""Asking a plan: what would meet the rule, what if it were thicker or hotter, how thick it may be, when a rule of thumb is true."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse
from django.shortcuts import render
from django.utils.text import capfirst
from django.utils.translation import gettext
from django.utils.translation import gettext as _
from django.views.decorators.http import require_safe

from ember_core.book.foods import food_row, foods
from ember_core.entry.sentence import Sentence
from ember_core.errors import EmberError
from ember_core.planning.routes import changes
from ember_core.planning.thumb import Answer, solve
from ember_core.planning.what_if import Cell, grid, thickest
from ember_core.wording.message import N_
from ember_web.book.public import book_of
from ember_web.jobs.waiting import Busy, solver
from ember_web.plans.comparing import asked
from ember_web.plans.forms import FIELDS, heat_shown_of, initial, serve_moment
from ember_web.plans.forms import sentence_of as sentence_from
from ember_web.plans.written import TIMES
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.voice import current
from ember_web.ui.drawing import slab_picture

PARTS = (("size_mm", N_("size")), ("start_c", N_("start")), ("heat_c", N_("heat")), ("target_c", N_("target")))
EXAMPLES = ("4 min a side to medium", "63.3 °C, 35 min", "20 min per kg plus 20")
DRAWN = 720.0  # of the drawing's breadth


def _state(sentence: Sentence, request: KitchenRequest) -> str:
    values = initial(sentence, request.kitchen)
    return urlencode({k: values.get(k, "") for k in (*FIELDS, "title")})


@in_kitchen()
@require_safe
def to_meet(request: KitchenRequest) -> HttpResponse:
    """The smallest changes that meet the rule, each one tap; asked for after the page is there."""
    plan, form, base, book = asked(request)
    found = []
    if form.is_valid():
        try:
            sentence = sentence_from(form, request.kitchen, base, book)
            found = [(c, _state(c.sentence, request)) for c in solver.run(changes, sentence, book)]
        except EmberError:
            found = []
    return render(request, "plans/_changes.html", {"changes": found, "plan": plan})


@in_kitchen()
@require_safe
def what_if(request: KitchenRequest) -> HttpResponse:
    """Three by three neighbours of the sentence, and how thick it may be to be ready at its time."""
    kitchen = request.kitchen
    plan, form, base, book = asked(request)
    names = dict(PARTS)
    across, down = request.GET.get("across", "size_mm"), request.GET.get("down", "start_c")
    if across not in names or down not in names or across == down:
        across, down = "size_mm", "start_c"
    context: dict[str, Any] = {
        "plan": plan,
        "form": form,
        "parts": [(k, gettext(v)) for k, v in PARTS],
        "across": across,
        "down": down,
    }
    status = 200
    if form.is_valid():
        sentence = sentence_from(form, kitchen, base, book)
        heat = sentence.heat_c if sentence.heat_c is not None else heat_shown_of(form)
        if heat is None and "heat_c" in {across, down}:
            across, down = "size_mm", "start_c"
            context |= {
                "across": across,
                "down": down,
                "told": _("This way's heat is not set by a number; size and start are shown."),
            }
        try:
            rows = solver.run(grid, sentence, across, down, heat)
            context |= {
                "rows": [[_cell(c, sentence, request) for c in row] for row in rows],
                "across_values": [c.across for c in rows[0]],
                "back": _state(sentence, request),
                "state": [(k, form[k].value() or "") for k in (*FIELDS, "title")],
            }
            context |= _how_thick(request, sentence)
        except EmberError as error:
            context["error"] = current().say(error.message)
            status = 503 if isinstance(error, Busy) else 200
    return render(request, "plans/what_if.html", context, status=status)


def _cell(cell: Cell, sentence: Sentence, request: KitchenRequest) -> dict[str, Any]:
    cut = sentence.book.cuts.get(sentence.cut)
    row = food_row(cut["food"]) if cut else None
    ramp = "shell-egg" if cut and cut["shape"] == "egg" else (row or {}).get("ramp", "meat")
    return {
        "cell": cell,
        "state": _state(cell.sentence, request),
        "image": None if cell.cook is None else slab_picture(cell.cook, ramp),
        "pull_s": None if cell.cook is None else cell.cook.pull_s,
        "pull_core": None if cell.cook is None or cell.cook.pull_stage is None else cell.cook.stages[cell.cook.pull_stage].core_c,
        "now": cell.sentence.size_mm == sentence.size_mm and cell.sentence.start_c == sentence.start_c
        and cell.sentence.target_c == sentence.target_c and cell.sentence.heat_c == sentence.heat_c,
    }  # fmt: skip


def _how_thick(request: KitchenRequest, sentence: Sentence) -> dict[str, Any]:
    """The largest size that is ready by a time of day, from now."""
    text = request.GET.get("by", "")[:20]
    kitchen, now = request.kitchen, request.kitchen.now()
    moment = None
    for form in TIMES:
        try:
            moment = serve_moment(kitchen, _time_of(text, form), now)
            break
        except ValueError:
            continue
    if text and moment is None:
        return {"by": text, "by_error": _("Write a time such as 19:30.")}
    if moment is None:
        return {"by": ""}
    within = (moment - now) / timedelta(seconds=1)
    size = solver.run(thickest, sentence, within) if within > 0 else None
    state = "" if size is None else _state(replace_size(sentence, size), request)
    return {"by": text, "by_at": moment, "thick": size, "thick_state": state, "by_asked": True}


def replace_size(sentence: Sentence, size: float) -> Sentence:
    """The same of another size."""
    return replace(sentence, size_mm=size, mass_g=None, sizes_mm=())


def _time_of(text: str, form: str) -> Any:
    return datetime.strptime(text.strip().lower(), form).time()


@in_kitchen()
@require_safe
def thumb(request: KitchenRequest) -> HttpResponse:
    """A rule of thumb: for which size, start and heat it is true, what it leaves out, and how it stands at its ends."""
    kitchen = request.kitchen
    text = request.GET.get("text", "")[:200].replace("\x00", "").strip()
    food = request.GET.get("food", "beef-lean")[:80]
    context: dict[str, Any] = {
        "text": text,
        "food": food,
        "foods": sorted(((k, capfirst(gettext(r["name"]))) for k, r in foods().items()), key=lambda c: c[1]),
        "examples": EXAMPLES,
    }
    status = 200
    if text:
        try:
            answer = solver.run(_thumb, text, food, kitchen.altitude_m)
            context |= {"answer": answer, "bars": _bars(answer), "names": book_of(kitchen).doneness_names(food)}
        except EmberError as error:
            context["error"] = current().say(error.message)
            status = 503 if isinstance(error, Busy) else 200
    return render(request, "plans/thumb.html", context, status=status)


def _thumb(text: str, food: str, altitude_m: float) -> Answer:
    return solve(text, food, altitude_m=altitude_m)


def _bars(answer: Answer) -> list[dict[str, Any]]:
    """Each region as bars from thin to thick, in the drawing's units."""

    most = 1.4 * max((b for r in answer.regions for _a, b in r.sizes_mm), default=100.0)

    def x(mm: float) -> float:
        return DRAWN * min(mm / most, 1.0)

    return [
        {"region": r, "spans": [{"x": x(a), "w": max(x(b) - x(a), 2.0), "from": a, "to": b} for a, b in r.sizes_mm]}
        for r in answer.regions
    ]
