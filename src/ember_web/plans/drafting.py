"""Nothing is lost: drafts that keep themselves, earlier versions of a plan, and one step back from what was just done."""

from __future__ import annotations

import time
from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.translation import gettext as _
from django.views.decorators.http import require_POST, require_safe

from ember_core.errors import InputError
from ember_web.book.public import book_of
from ember_web.plans.actions.archive_plans import ArchivePlans, archive_plans
from ember_web.plans.actions.keep_draft import KeepDraft, keep_draft
from ember_web.plans.actions.restore_plan import RestorePlan, restore_plan
from ember_web.plans.actions.revert_plans import RevertPlans, revert_plans
from ember_web.plans.actions.tag_plans import TagPlans, tag_plans
from ember_web.plans.models import Draft, Plan
from ember_web.tenancy.access import KitchenRequest, has_rank, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current, tell

OFFERED_S = 600.0
UNDO = "undo"


def draft_of(request: KitchenRequest, plan: Plan | None) -> Draft | None:
    """What this person has not saved of a plan; of a plan that was saved since, nothing."""
    if not has_rank(request, "cook"):
        return None
    found = Draft.objects.filter(kitchen=request.kitchen, user=request.user.pk, plan=plan).first()
    return None if found is not None and plan is not None and plan.updated_at > found.updated_at else found


@in_kitchen(read="cook")
@require_POST
def draft(request: KitchenRequest) -> HttpResponse:
    """Keep the sentence as it stands, or forget what was kept (``drop``)."""
    drop = bool(request.POST.get("drop"))
    state, words, plan = (request.POST.get(k, "").replace("\x00", "") for k in ("state", "words", "plan"))
    if not drop and not state:
        return HttpResponse(_("There is no sentence to keep."), status=422, content_type="text/plain")
    try:
        keep_draft(Actor.of_request(request), KeepDraft("" if drop else state, words, plan))
    except InputError as error:
        return HttpResponse(current().say(error.message), status=422, content_type="text/plain")
    if request.POST.get("back"):
        here = reverse("plan-saved", args=[request.kitchen.public_id, plan]) if plan else ""
        return redirect(here or reverse("plan", args=[request.kitchen.public_id]))
    return HttpResponse(status=204)


@in_kitchen()
@require_safe
def earlier(request: KitchenRequest, plan: str) -> HttpResponse:
    """The versions of a plan, the newest first."""
    stored = get_object_or_404(Plan, kitchen=request.kitchen, public_id=plan)
    book = book_of(request.kitchen)
    rows = [
        {
            "revision": r,
            "piece": book.piece_name(r.document["piece"]),
            "way": book.way_name(r.document.get("way", {})),
            "shape": r.document["piece"]["shape"],
            "target": r.document.get("target", {}).get("core_c"),
        }
        for r in stored.revisions.select_related("created_by").order_by("-number")
    ]
    return render(request, "plans/earlier.html", {"plan": stored, "rows": rows})


@in_kitchen(read="cook")
@require_POST
def restore(request: KitchenRequest, plan: str) -> HttpResponse:
    """Bring a version back; the one it replaces stays among the versions."""
    text = request.POST.get("number", "")
    number = int(text) if text.isdecimal() and len(text) < 9 else 0
    try:
        found = restore_plan(Actor.of_request(request), RestorePlan(plan, number))
    except InputError as error:
        messages.error(request, current().say(error.message))
        return redirect("plans", kitchen=request.kitchen.public_id)
    messages.success(request, tell("Restored: {title}", title=found.title))
    return redirect("plan-saved", kitchen=request.kitchen.public_id, plan=found.public_id)


def can_undo(request: KitchenRequest, what: str, **how: Any) -> None:
    """Keep how to undo what was just done; ``how`` is for :func:`undo`."""
    request.session[UNDO] = {"kitchen": request.kitchen.public_id, "what": what, "at": time.time(), **how}


def undoable(request: KitchenRequest, plan: str = "") -> str:
    """What may be undone here and now, in a word; on the page of a plan only what was done to it."""
    kept = request.session.get(UNDO) or {}
    if kept.get("kitchen") != request.kitchen.public_id or time.time() - kept.get("at", 0.0) > OFFERED_S:
        return ""
    if plan and plan not in _plans_of(kept):
        return ""
    words = {
        "archive": _("archive"), "restore": _("restore"), "tag": _("tag"), "untag": _("untag"), "duplicate": _("duplicate"),
        "serve": _("on the plate at"), "save": _("save"),
    }  # fmt: skip
    return words.get(kept["what"], "")


def _plans_of(kept: dict[str, Any]) -> list[str]:
    return [*kept.get("plans", ()), *(p for p, _n in kept.get("revisions", ()))]


@in_kitchen(read="cook")
@require_POST
def undo(request: KitchenRequest) -> HttpResponse:
    """Undo what this person did last to plans: archived, tagged, duplicated, given a time, saved."""
    kept = request.session.pop(UNDO, None) or {}
    if kept.get("kitchen") != request.kitchen.public_id:
        messages.error(request, _("There is nothing to undo."))
        return redirect("plans", kitchen=request.kitchen.public_id)
    actor, plans = Actor.of_request(request), tuple(kept.get("plans", ()))
    try:
        if kept["what"] in {"archive", "restore"}:
            archive_plans(actor, ArchivePlans(plans, back=kept["what"] == "archive"))
        elif kept["what"] in {"tag", "untag"}:
            tag_plans(actor, TagPlans(plans, kept["tag"], off=kept["what"] == "tag"))
        elif plans:  # copies, or a plan that was new
            archive_plans(actor, ArchivePlans(plans))
        if kept.get("revisions"):
            revert_plans(actor, RevertPlans(tuple((plan, number) for plan, number in kept["revisions"])))
    except InputError as error:
        messages.error(request, current().say(error.message))
    else:
        messages.success(request, _("Undone."))
    touched = _plans_of(kept)
    if kept["what"] == "save" and kept.get("revisions"):
        return redirect("plan-saved", kitchen=request.kitchen.public_id, plan=touched[0])
    return redirect("plans", kitchen=request.kitchen.public_id)
