"""Plan: one piece, its moves, the inside, the coast, safety."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from datetime import timedelta
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.translation import gettext as _
from django.views.decorators.http import require_POST, require_safe

from ember_core.book.book import Book
from ember_core.doneness.eggs import YOLKS
from ember_core.entry.entry_text import Reading
from ember_core.entry.quick import FRIDGE_C, FROZEN_C, ROOM_C
from ember_core.entry.quick import parse as parse_quick
from ember_core.entry.reading import sentence_of as sentence_from
from ember_core.entry.sentence import Sentence
from ember_core.errors import EmberError
from ember_core.formats.plan import parse as parse_plan
from ember_core.plan.shapes import BY_MASS
from ember_core.planning.compute import compute
from ember_core.wording.message import say
from ember_web.book.public import book_of
from ember_web.jobs.waiting import Busy, solver
from ember_web.kitchens.models import ServiceTime, Station
from ember_web.plans.actions.keep_draft import KeepDraft, keep_draft
from ember_web.plans.actions.save_plan import ChangedMeanwhile, SavePlan, newest_of, save_plan
from ember_web.plans.drafting import can_undo, draft_of, undoable
from ember_web.plans.forms import FIELDS, SentenceForm, choices_for, form_of, initial, sentence_of
from ember_web.plans.models import Plan
from ember_web.plans.presenters import (
    View,
    build,
    drawing_together,
    findings_of,
    pans_for_the_oven,
    parts_of,
    ring_of,
    shifts,
    sizes_of,
    turns_of,
)
from ember_web.plans.recent import Recent
from ember_web.plans.shared_pieces import also_in_it, offered
from ember_web.plans.summaries import summary_of
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, tell
from ember_web.ui.registry import FREE_PROBES, START_CHOICES, ask

USUAL_TIMES = (0.8, 1.0, 1.25)  # of a cut's usual size: those offered by touch
TEMPERS = (10, 20, 30)  # minutes out of the cold that kitchens give; common practice, no source
FORM_OF_PATH = {
    "/piece/shape/thickness_mm": "size_mm",
    "/piece/shape/diameter_mm": "size_mm",
    "/piece/start_c": "start_c",
    "/piece/mass_g": "mass_g",
    "/target/core_c": "target_c",
    "/way": "way",
    "/piece/count": "count",
    "/piece/shape/kind": "cut",
    "/piece/composition": "food",
    "/x-heat-c": "heat_c",
}


_recent = Recent()


def _compute(
    form: SentenceForm,
    kitchen: Kitchen,
    book: Book,
    base: dict[str, Any],
    *,
    forecast: bool = False,
    live: bool = False,
) -> Any:
    """The outcome, or None with the errors put beside their parts; while a part is dragged pieces go in at once, and no advice is given."""
    if not form.is_valid():
        return None
    try:
        sentence = sentence_of(form, kitchen, base, book)
        document = (replace(sentence, apart_s=0.0) if live else sentence).document()
        key = json.dumps(document, sort_keys=True)
        if forecast:
            document["forecast"] = {"members": 64, "seed": 7}
        outcome = solver.run(compute, parse_plan(document), book=book, nominal=_recent.get(key), advice=not live)
        if not forecast:
            _recent.keep(key, outcome.cook)
        return outcome
    except EmberError as error:
        form.add_error(FORM_OF_PATH.get(error.path), current().say(error.message))
        form.busy = isinstance(error, Busy)
        return None


def _cursor(request: HttpRequest) -> float | None:
    try:
        value = float(request.GET.get("at", ""))
    except ValueError:
        return None
    return value if 0 <= value < 1e8 else None


def _page(
    request: KitchenRequest,
    plan: Plan | None,
    data: Any,
    *,
    status: int = 200,
    quick: dict[str, Any] | None = None,
    told: dict[str, str] | None = None,
) -> HttpResponse:
    kitchen = request.kitchen
    book = book_of(kitchen)
    form, base = form_of(book, kitchen, plan, data)
    outcome = _compute(form, kitchen, book, base, live="live" in data)
    view = None if outcome is None else build(outcome, kitchen, book, kitchen.now(), _cursor(request))
    htmx = getattr(request, "htmx", None)
    sketch = None
    if view is None and quick is None and not htmx and not form.busy:
        sketch = _sketch(form, kitchen, book, plan, data)
    cut = book.cuts.get(str(form["cut"].value()))
    target = base.get("target", {})
    wanted = YOLKS.get(target.get("yolk", ""), "") if "core_c" not in target else ""
    food = cut["food"] if cut else str(base.get("piece", {}).get("food", ""))
    said = {k: form[k].value() or "" for k in (*FIELDS, "title")}
    state = urlencode(said)
    stated = quick is not None or any(k in data for k in FIELDS)
    changed = plan is not None and view is not None and view.outcome.plan.document != plan.document
    asked = {"plan": plan.public_id} if plan else {}
    query = urlencode(said | asked)
    at = {"at": f"{view.picture.cursor['t']:.0f}"} if view is not None else {}
    several = sizes_of(outcome, kitchen) if outcome is not None else None
    likely = f"{reverse('plan-forecast', args=[kitchen.public_id])}?{query}&{urlencode(at)}"
    context = {
        "form": form,
        "plan": plan,
        "view": view or sketch,
        "sketch": sketch is not None,
        "quick": quick,
        "names": [] if wanted else choices_for(book, food),
        "state": state,
        "query": query,
        "likely": likely,
        "to_meet": f"{reverse('plan-to-meet', args=[kitchen.public_id])}?{query}",
        "save_words": _("Save plan") if plan is None else _("Save changes") if changed else _("Save"),
        "here": reverse("plan-saved", args=[kitchen.public_id, plan.public_id])
        if plan
        else reverse("plan", args=[kitchen.public_id]),
        "changed": changed,
        "usual_sizes": " ".join(
            current().units.number("length", round(times * cut["size_mm"])) for times in USUAL_TIMES
        )
        if cut and cut["shape"] not in BY_MASS
        else "",
        "usual_mass": current().units.number("mass", cut["mass_g"]) if cut and cut.get("mass_g") else "",
        "fridge_c": FRIDGE_C,
        "room_c": ROOM_C,
        "frozen_c": FROZEN_C,
        "live": "live" in data,  # while a part is dragged: what is slow waits for its end
        "heated": bool(form["heat_c"].value()) or bool(form.heat_shown),
        "several": several,
        "parts": [] if view is None else parts_of(view.outcome),
        "ring": ring_of(view.outcome, book, kitchen) if view is not None else None,
        "told": told,
        "seen": newest_of(plan) if plan else 0,
        "undo": undoable(request, plan.public_id) if plan else "",
        "draft": None if stated or htmx else draft_of(request, plan),
        "keeps": _kept_of(form, view, book) if stated and view is not None and request.method == "GET" else "",
        "tempers": [
            ("", _("from the cold")),
            (str(TEMPERS[0]), tell("out {minutes} min", minutes=TEMPERS[0])),
            *((str(m), str(m)) for m in TEMPERS[1:]),
        ],
        "turns": turns_of(view),
        "beside": []
        if view is None
        else offered(kitchen, plan, view.outcome.plan.document, str(form["beside"].value() or "")),
        "also": [] if view is None else also_in_it(view.outcome, view.start_at),
        "wanted_yolk": wanted,
        "unread": _unread(str(form["unread"].value() or "")),
        "round": bool(cut and cut["shape"] != "slab"),
        "own_foods": len(form.fields["food"].choices) > 1,  # type: ignore[attr-defined]
        "egg": bool(cut and cut["shape"] == "egg"),
        "by_mass": bool(cut and cut["shape"] in BY_MASS),
        "probes": ask(FREE_PROBES, kitchen, otherwise=()),
        "two_probes": plan is not None and plan.document["piece"]["shape"]["kind"] == "bird",
        "start_choices": ask(START_CHOICES, kitchen, plan.pk, plan.document, otherwise=None) if plan else None,
        "services": ServiceTime.coming(kitchen),
        "stations": Station.objects.filter(kitchen=kitchen),
        "findings": findings_of(view, pans_for_the_oven(view.outcome, kitchen, book) if view is not None else ()),
    }
    template = "plans/_plan.html" if htmx and not htmx.boosted else "plans/plan.html"
    reply = render(request, template, context, status=503 if form.busy else status)
    if form.busy:
        reply["Retry-After"] = "2"
    if view is None and template == "plans/_plan.html" and quick is None:
        # only the sentence is replaced: the picture of the last plan that made sense stays
        reply["HX-Retarget"] = reply["HX-Reselect"] = "#sentence"
        reply["HX-Reswap"] = "outerHTML"
    return reply


def _kept_of(form: SentenceForm, view: View, book: Book) -> str:
    """A sentence in the words in which its draft is found again."""
    d, plan = form.cleaned_data, view.outcome.plan
    by_mass = plan.shape["kind"] in BY_MASS
    return tell(
        "{count} × {piece}, {size}, {way}, {target:temp}",
        count=d["count"] or 1,
        piece=say(book.piece_name(plan.document["piece"])),
        size=say("{mass:mass}", mass=plan.shape["mass_g"]) if by_mass else say("{size:length}", size=d["size_mm"]),
        way=say(book.way_name(plan.document.get("way", {}))),
        target=d["target_c"],
    )


def _sketch(form: SentenceForm, kitchen: Kitchen, book: Book, plan: Plan | None, data: Any) -> View | None:
    """The picture of the sentence without what is wrong with it, so that an error does not leave an empty page."""
    rest = {k: data.get(k) for k in data if k not in form.errors}
    usual, base = form_of(book, kitchen, plan, rest)
    outcome = _compute(usual, kitchen, book, base)
    return None if outcome is None else build(outcome, kitchen, book, kitchen.now())


@in_kitchen()
@require_safe
def new(request: KitchenRequest) -> HttpResponse:
    """A plan that is not saved yet; its whole state stands in the address."""
    return _page(request, None, request.GET)


@in_kitchen()
@require_safe
def saved(request: KitchenRequest, plan: str) -> HttpResponse:
    """A saved plan, with changes from the address."""
    return _page(request, get_object_or_404(Plan, kitchen=request.kitchen, public_id=plan), request.GET)


@in_kitchen()
@require_safe
def quick(request: KitchenRequest) -> HttpResponse:
    """Quick entry: read it, say what was understood, and show the plan."""
    text = request.GET.get("q", "")
    book = book_of(request.kitchen)
    reading = parse_quick(text, book)
    if reading.eggs:
        where = reverse("eggs-open", kwargs={"kitchen": request.kitchen.public_id, "what": reading.eggs})
        count = reading.parts.get("count")
        return redirect(where if count is None else f"{where}?count={count}")
    if "cut" not in reading.parts:
        heard = {
            "text": text,
            "error": _("No cut was recognised. Begin with one, such as: bavette 28mm mr 19:40"),
            "unknown": reading.unknown,
            "nearest": _nearest(reading, text, book),
        }
        return _page(request, None, {k: v for k, v in request.GET.items() if k != "q"}, quick=heard)
    kitchen = request.kitchen
    try:
        sentence = sentence_from(
            reading, book=book, rules=kitchen.rules, altitude_m=kitchen.altitude_m, air_c=kitchen.air_c
        )
    except EmberError as error:
        told = {"text": text, "error": current().say(error.message), "unknown": reading.unknown}
        return _page(request, None, {k: v for k, v in request.GET.items() if k != "q"}, quick=told)
    values = initial(sentence, request.kitchen)
    if reading.serve:
        values["serve"] = reading.serve.strftime("%H:%M")
    said: dict[str, Any] = {
        "text": text,
        "reading": reading,
        "unknown": reading.unknown,
        "nearest": _nearest(reading, text, book),
        "estimated": _estimated(sentence, reading.parts),
    }
    return _page(request, None, values, quick=said)


def _unread(words: str) -> list[dict[str, str]]:
    """Each word that nobody understood, with the others that are left once it is left out."""
    all_of_them = words.split()
    return [
        {"word": word, "others": " ".join(all_of_them[:i] + all_of_them[i + 1 :])} for i, word in enumerate(all_of_them)
    ]


def _nearest(reading: Reading, text: str, book: Book) -> list[dict[str, Any]]:
    """Each word that was not understood, with entries in which it is one of the nearest meanings, to tap."""
    return [
        {
            "word": word,
            "meanings": [
                {
                    "words": m.text,
                    "part": m.part,
                    "entry": re.sub(rf"(?<!\w){re.escape(word)}(?!\w)", m.text, text, count=1),
                }
                for m in found
            ],
        }
        for word, found in reading.nearest(book)
    ]


def _estimated(sentence: Sentence, stated: dict[str, Any]) -> str:
    """What of size and mass was taken from the other one, in words; nothing when both or none were stated."""
    cut = sentence.book.cuts[sentence.cut]
    if cut["shape"] in BY_MASS or ("size_mm" in stated) == ("mass_g" in stated):
        return ""
    if "mass_g" in stated:
        return tell(
            "Size from the mass: about {size:length0}. Measure it: the minutes depend on it.", size=sentence.size_mm
        )
    return tell("Mass from the size: about {mass:mass}.", mass=round(sentence.mass_g or 0.0))


@in_kitchen()
@require_safe
def forecast_part(request: KitchenRequest) -> HttpResponse:
    """The likely range and the ribbon, computed after the page is already there."""
    plan = None
    if request.GET.get("plan"):
        plan = get_object_or_404(Plan, kitchen=request.kitchen, public_id=request.GET["plan"].replace("\x00", ""))
    kitchen = request.kitchen
    book = book_of(kitchen)
    form, base = form_of(book, kitchen, plan, request.GET)
    outcome = _compute(form, kitchen, book, base, forecast=True)
    view = None if outcome is None else build(outcome, kitchen, book, kitchen.now(), _cursor(request))
    context: dict[str, Any] = {"view": view}
    pull = None if view is None else view.outcome.result["forecast"]["pull_s"]
    if view is not None and pull is not None:
        context |= {
            "early": view.start_at + timedelta(seconds=pull["p5"]),
            "late": view.start_at + timedelta(seconds=pull["p95"]),
            "shifts": solver.run(shifts, view),
            "drawing": drawing_together(view.outcome.result),
            "cautious": [f for f in view.outcome.findings if f.code == "rule-at-the-cautious-end"],
        }
    return render(request, "plans/_forecast.html", context)


@in_kitchen(read="cook")
@require_POST
def save(request: KitchenRequest) -> HttpResponse:
    """Save the sentence as a plan, new or in place of the one it came from."""
    kitchen = request.kitchen
    plan = None
    if request.POST.get("plan"):
        plan = get_object_or_404(Plan, kitchen=kitchen, public_id=request.POST["plan"].replace("\x00", ""))
    book = book_of(kitchen)
    form, base = form_of(book, kitchen, plan, request.POST)
    outcome = _compute(form, kitchen, book, base)
    if outcome is None:
        return _page(request, plan, request.POST, status=422)
    target = "" if plan is None or request.POST.get("as_new") else plan.public_id
    entered = form.written.entered(form.si)
    seen = int(request.POST["seen"]) if request.POST.get("seen", "").isdigit() and target else 0
    command = SavePlan(dict(outcome.plan.document), target, seen, summary_of(outcome), entered)
    before = newest_of(plan) if plan else 0
    try:
        saved_as = save_plan(Actor.of_request(request), command)
    except ChangedMeanwhile as error:
        form.add_error(None, current().say(error.message))
        meanwhile = reverse("plan-saved", args=[kitchen.public_id, target])
        return _page(
            request, plan, request.POST, status=409, told={"message": current().say(error.message), "theirs": meanwhile}
        )
    keep_draft(Actor.of_request(request), KeepDraft("", plan=plan.public_id if plan else ""))
    if target:
        can_undo(request, "save", revisions=[(target, before)])
    else:
        can_undo(request, "save", plans=[saved_as.public_id])
    messages.success(request, tell("Saved: {title}", title=saved_as.title))
    return redirect("plan-saved", kitchen=kitchen.public_id, plan=saved_as.public_id)
