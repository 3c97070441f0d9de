"""The list of plans: found by word and tag, looked at as strips; several at once on paper, as files, put away."""

from __future__ import annotations

from datetime import datetime, time
from typing import Any

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.core.paginator import Paginator
from django.http import HttpResponse, HttpResponseBadRequest, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_POST, require_safe

from ember_core.errors import EmberError
from ember_core.wording.message import N_
from ember_web.book.queries import book_of
from ember_web.plans.actions.archive_plans import ArchivePlans, archive_plans
from ember_web.plans.actions.fill_summaries import fill_summaries
from ember_web.plans.actions.save_plan import SavePlan, newest_of, save_plan
from ember_web.plans.actions.tag_plans import TagPlans, tag_plans
from ember_web.plans.drafting import can_undo, undoable
from ember_web.plans.forms import serve_moment
from ember_web.plans.models import Draft, Plan
from ember_web.plans.papers import MOST, PAPERS, bundle, calendar, cards, prep_list, recipe, views_of
from ember_web.plans.summaries import STATES
from ember_web.plans.written import TIMES
from ember_web.tenancy.access import RANK, KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current, tell
from ember_web.ui.computing import Busy, solver

SORTS = {
    "new": ("-updated_at", N_("newest first")),
    "old": ("updated_at", N_("oldest first")),
    "name": ("title", N_("by name")),
}


@in_kitchen()
@require_safe
def listing(request: KitchenRequest) -> HttpResponse:
    """Plans with search, tags, order; ``put_away`` shows the archive."""
    words = request.GET.get("q", "")[:100].replace("\x00", "")
    tag = request.GET.get("tag", "")[:40].replace("\x00", "")
    away = "put_away" in request.GET
    sort = request.GET.get("sort", "new")
    sort = sort if sort in SORTS else "new"
    found = Plan.objects.filter(kitchen=request.kitchen, archived_at__isnull=not away)
    if words:
        found = found.filter(title__icontains=words)
    tagged = Plan.objects.filter(kitchen=request.kitchen).exclude(tags=[]).order_by()
    tags = sorted({t for ts in tagged.values_list("tags", flat=True).distinct() for t in ts})
    if tag:
        found = found.filter(tags__contains=[tag])
    page = Paginator(found.order_by(SORTS[sort][0], "-id"), 30).get_page(request.GET.get("page"))
    book = book_of(request.kitchen)
    lacking = [p for p in page if not p.summary]
    left = fill_summaries(Actor.of_request(request), lacking) if lacking else 0
    context = {
        "page": page,
        "left": left,
        "rows": [_row(p, book.piece_name(p.document["piece"]), book.way_name(p.document.get("way", {}))) for p in page],
        "q": words,
        "tag": tag,
        "tags": tags,
        "away": away,
        "sort": sort,
        "sorts": [(k, _(v)) for k, (_order, v) in SORTS.items()],
        "papers": PAPERS,
        "undo": undoable(request),
        "drafts": Draft.objects.filter(kitchen=request.kitchen, user=request.user.pk, plan=None),
        "can_write": RANK[request.role] >= RANK["cook"],
    }
    return render(request, "plans/list.html", context)


def _row(plan: Plan, piece: str, way: str) -> dict[str, Any]:
    told = plan.summary or {}
    total, pull = told.get("total_s"), told.get("pull_s")
    return {
        "plan": plan,
        "piece": piece,
        "way": way,
        "total": total,
        "rest": None if pull is None or total is None else total - pull,
        "state": told.get("state", ""),
        "words": STATES.get(told.get("state", ""), ""),
        "picture": told.get("picture", ""),
    }


def _chosen(request: KitchenRequest) -> list[Plan]:
    asked = request.POST.getlist("plan") or request.GET.getlist("plan")
    ids = [p.replace("\x00", "") for p in asked[:MOST]]
    return list(Plan.objects.filter(kitchen=request.kitchen, public_id__in=ids))


def _file(content: bytes, kind: str, name: str) -> HttpResponse:
    reply = HttpResponse(content, content_type=kind)
    reply["Content-Disposition"] = f'attachment; filename="{name}"'
    return reply


@in_kitchen()
@require_safe
def papers(request: KitchenRequest) -> HttpResponse:
    """The chosen plans as cards, a prep list, a calendar or a zip of their files."""
    what, paper = request.GET.get("what", "cards"), request.GET.get("paper", "a5")
    plans = _chosen(request)
    if not plans:
        messages.error(request, _("Tick the plans first."))
        return redirect("plans", kitchen=request.kitchen.public_id)
    if what == "zip":
        return _file(bundle(plans), "application/zip", "plans.zip")
    if what not in {"cards", "prep", "calendar"} or paper not in PAPERS:
        return HttpResponseBadRequest(_("There is no such paper."))
    try:
        made = solver.run(views_of, plans, book_of(request.kitchen), request)
    except EmberError as error:
        messages.error(request, current().say(error.message))
        return redirect("plans", kitchen=request.kitchen.public_id)
    if what == "calendar":
        return _file(calendar(made), "text/calendar", "moves.ics")
    try:
        if what == "prep":
            return _file(prep_list(made, request), "application/pdf", "prep-list.pdf")
        return _file(cards(made, paper, request), "application/pdf", "cards.pdf")
    except Busy as error:
        messages.error(request, current().say(error.message))
        return redirect("plans", kitchen=request.kitchen.public_id)


@in_kitchen()
@require_safe
def recipe_of(request: KitchenRequest, plan: str) -> HttpResponse:
    """The plan as schema.org has a recipe."""
    stored = get_object_or_404(Plan, kitchen=request.kitchen, public_id=plan)
    book = book_of(request.kitchen)
    ((_plan, view),) = solver.run(views_of, [stored], book, request)
    reply = JsonResponse(recipe(stored, view, book), json_dumps_params={"indent": 1, "ensure_ascii": False})
    reply["Content-Type"] = "application/ld+json"
    return reply


def _moment(text: str, request: KitchenRequest) -> datetime | None:
    for form in TIMES:
        try:
            clock: time = datetime.strptime(text.strip().lower(), form).time()
        except ValueError:
            continue
        return serve_moment(request.kitchen, clock, request.kitchen.now())
    return None


@in_kitchen(write="cook")
@require_POST
def arrange(request: KitchenRequest) -> HttpResponse:
    """Put the chosen plans away or back, tag them, double them, or give all one time on the plate."""
    actor, what = Actor.of_request(request), request.POST.get("do", "")
    plans = _chosen(request)
    ids = tuple(p.public_id for p in plans)
    back = redirect("plans", kitchen=request.kitchen.public_id)
    if not plans:
        messages.error(request, _("Tick the plans first."))
        return back
    try:
        if what in {"away", "back"}:
            archive_plans(actor, ArchivePlans(ids, back=what == "back"))
            can_undo(request, what, plans=ids)
        elif what in {"tag", "untag"}:
            tag = " ".join(request.POST.get("tag", "").split()).lower()
            tag_plans(actor, TagPlans(ids, tag, off=what == "untag"))
            can_undo(request, what, tag=tag, plans=[p.public_id for p in plans if (tag in p.tags) == (what == "untag")])
        elif what == "double":
            made = []
            for p in plans:
                title = tell("{title}, again", title=p.title)[:200]
                command = SavePlan({**p.document, "title": title}, "", entered=p.entered, summary=p.summary)
                made.append(save_plan(actor, command).public_id)
            can_undo(request, what, plans=made)
        elif what == "serve":
            moment = _moment(request.POST.get("serve", ""), request)
            if moment is None:
                messages.error(request, _("On the plate at: write a time such as 19:40."))
                return back
            before = [(p.public_id, newest_of(p)) for p in plans]
            for p in plans:
                document = {**p.document, "serve_at": moment.isoformat(timespec="minutes")}
                save_plan(actor, SavePlan(document, p.public_id, entered=p.entered, summary=p.summary))
            can_undo(request, what, revisions=before)
        else:
            raise PermissionDenied
    except EmberError as error:
        messages.error(request, current().say(error.message))
        return back
    messages.success(request, tell("Done, plans: {n}", n=len(plans)))
    return back
