"""The list of plans: found by word and tag, looked at as strips; several at once on paper, as files, archived."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, time
from typing import Any

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.core.paginator import Paginator
from django.db.models import OuterRef, Subquery
from django.db.models.functions import Coalesce
from django.http import HttpResponse, HttpResponseBadRequest, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.translation import gettext as _
from django.utils.translation import ngettext
from django.views.decorators.http import require_POST, require_safe

from ember_core.errors import EmberError, InputError
from ember_core.wording.message import N_, say
from ember_web.book.public import book_of
from ember_web.jobs.waiting import Busy, solver
from ember_web.plans.actions.archive_plans import ArchivePlans, archive_plans
from ember_web.plans.actions.duplicate_plans import DuplicatePlans, duplicate_plans
from ember_web.plans.actions.fill_summaries import fill_summaries
from ember_web.plans.actions.schedule_plans import SchedulePlans, schedule_plans
from ember_web.plans.actions.tag_plans import TagPlans, tag_plans
from ember_web.plans.drafting import can_undo, undoable
from ember_web.plans.forms import serve_moment
from ember_web.plans.models import Draft, Plan, PlanRevision
from ember_web.plans.papers import MOST, PAPERS, bundle, calendar, cards, prep_list, recipe, views_of
from ember_web.plans.summaries import STATES
from ember_web.plans.written import TIMES
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current

MAX_DIGITS = 9  # of a revision's number
_NEWEST = Coalesce(
    Subquery(PlanRevision.objects.filter(plan=OuterRef("pk")).order_by("-number").values("number")[:1]), 0
)

SORTS = {
    "new": ("-updated_at", N_("newest first")),
    "old": ("updated_at", N_("oldest first")),
    "name": ("title", N_("by name")),
}


@in_kitchen()
@require_safe
def listing(request: KitchenRequest) -> HttpResponse:
    """Plans with search, tags, order; ``archived`` shows the archive."""
    words = request.GET.get("q", "")[:100].replace("\x00", "")
    tag = request.GET.get("tag", "")[:40].replace("\x00", "")
    archived = "archived" in request.GET
    sort = request.GET.get("sort", "new")
    sort = sort if sort in SORTS else "new"
    found = Plan.objects.filter(kitchen=request.kitchen, archived_at__isnull=not archived)
    if words:
        found = found.filter(title__icontains=words)
    tagged = Plan.objects.filter(kitchen=request.kitchen).exclude(tags=[]).order_by()
    tags = sorted({t for ts in tagged.values_list("tags", flat=True).distinct() for t in ts})
    if tag:
        found = found.filter(tags__contains=[tag])
    page = Paginator(found.annotate(revision=_NEWEST).order_by(SORTS[sort][0], "-id"), 30).get_page(
        request.GET.get("page")
    )
    book = book_of(request.kitchen)
    context = {
        "page": page,
        "lacking": [p.public_id for p in page if not p.summary],
        "rows": [_row(p, book.piece_name(p.document["piece"]), book.way_name(p.document.get("way", {}))) for p in page],
        "q": words,
        "tag": tag,
        "tags": tags,
        "archived": archived,
        "sort": sort,
        "sorts": [(k, _(v)) for k, (_order, v) in SORTS.items()],
        "papers": PAPERS,
        "undo": undoable(request),
        "drafts": Draft.objects.filter(kitchen=request.kitchen, user=request.user.pk, plan=None),
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


def _ids(request: KitchenRequest) -> list[str]:
    asked = request.POST.getlist("plan") or request.GET.getlist("plan")
    return [p.replace("\x00", "") for p in asked[:MOST]]


def _chosen(request: KitchenRequest) -> list[Plan]:
    return list(Plan.objects.filter(kitchen=request.kitchen, public_id__in=_ids(request)))


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
    """Archive the chosen plans or restore them, tag them, duplicate them, or give all one time on the plate."""
    actor, what = Actor.of_request(request), request.POST.get("do", "")
    plans = _chosen(request)
    back = redirect("plans", kitchen=request.kitchen.public_id)
    if not plans:
        messages.error(request, _("Tick the plans first."))
        return back
    if what not in ARRANGE:
        raise PermissionDenied
    try:
        undo = ARRANGE[what](actor, plans, request)
    except EmberError as error:
        messages.error(request, current().say(error.message))
        return back
    can_undo(request, what, **undo)
    count = len(plans)
    messages.success(request, ngettext("%(count)d plan updated", "%(count)d plans updated", count) % {"count": count})
    return back


def _archive(actor: Actor, plans: list[Plan], request: KitchenRequest) -> dict[str, Any]:
    ids = tuple(p.public_id for p in plans)
    archive_plans(actor, ArchivePlans(ids, back=request.POST["do"] == "restore"))
    return {"plans": ids}


def _tag(actor: Actor, plans: list[Plan], request: KitchenRequest) -> dict[str, Any]:
    tag, off = " ".join(request.POST.get("tag", "").split()).lower(), request.POST["do"] == "untag"
    tag_plans(actor, TagPlans(tuple(p.public_id for p in plans), tag, off=off))
    return {"tag": tag, "plans": [p.public_id for p in plans if (tag in p.tags) == off]}


def _duplicate(actor: Actor, plans: list[Plan], request: KitchenRequest) -> dict[str, Any]:
    return {"plans": duplicate_plans(actor, DuplicatePlans(tuple(p.public_id for p in plans)))}


def _serve(actor: Actor, plans: list[Plan], request: KitchenRequest) -> dict[str, Any]:
    moment = _moment(request.POST.get("serve", ""), request)
    if moment is None:
        raise InputError(say("On the plate at: write a time such as 19:40."), path="serve")
    command = SchedulePlans(tuple(p.public_id for p in plans), moment, _seen(request))
    return {"revisions": schedule_plans(actor, command)}


def _seen(request: KitchenRequest) -> dict[str, int]:
    """The newest revision of each plan as the list showed it, from fields ``plan:number``."""
    pairs = (text.rpartition(":") for text in request.POST.getlist("seen")[:MOST])
    return {plan: int(number) for plan, _colon, number in pairs if number.isdecimal() and len(number) < MAX_DIGITS}


ARRANGE: dict[str, Callable[[Actor, list[Plan], KitchenRequest], dict[str, Any]]] = {
    "archive": _archive, "restore": _archive, "tag": _tag, "untag": _tag, "duplicate": _duplicate, "serve": _serve,
}  # fmt: skip
"""What may be done to several plans at once; each returns how it is undone."""


@in_kitchen(write="viewer")
@require_POST
def summaries(request: KitchenRequest) -> HttpResponse:
    """Compute what the list shows of the plans that lack it, for a while; back to the list."""
    lacking = list(Plan.objects.filter(kitchen=request.kitchen, public_id__in=_ids(request), summary={}))
    fill_summaries(Actor.of_request(request), lacking)
    query = request.POST.get("query", "").replace("\x00", "")[:400]
    return redirect(f"{reverse('plans', args=[request.kitchen.public_id])}?{query}")
