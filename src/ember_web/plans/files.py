"""Plans as files, out and in."""

from __future__ import annotations

import json
from typing import Any

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_safe

from ember_core.errors import EmberError
from ember_core.formats.plan import loads
from ember_core.planning.compute import compute
from ember_web.book.public import book_of
from ember_web.jobs.waiting import Busy, solver
from ember_web.plans.actions.save_plan import SavePlan, save_plan
from ember_web.plans.models import Plan
from ember_web.plans.summaries import summary_of
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current, tell
from ember_web.ui.uploads import read_upload


@in_kitchen()
@require_safe
def export(request: KitchenRequest, plan: str) -> HttpResponse:
    """The plan file."""
    stored = get_object_or_404(Plan, kitchen=request.kitchen, public_id=plan)
    reply = JsonResponse(stored.document, json_dumps_params={"indent": 1, "ensure_ascii": False})
    reply["Content-Disposition"] = f'attachment; filename="plan-{stored.public_id}.json"'
    return reply


@in_kitchen(read="cook")
@require_http_methods(["GET", "HEAD", "POST"])
def import_file(request: KitchenRequest) -> HttpResponse:
    """Take a plan file, from disk or pasted; an error names the place and keeps what was pasted."""
    context: dict[str, Any] = {"text": ""}
    if request.method == "POST":
        context["text"], unusable = read_upload(request)
        try:
            if unusable is not None:
                raise unusable
            checked = loads(context["text"])
            outcome = solver.run(compute, checked, with_forecast=False, book=book_of(request.kitchen))
            kept = save_plan(
                Actor.of_request(request), SavePlan(json.loads(context["text"]), summary=summary_of(outcome))
            )
        except EmberError as error:
            context |= {"error": current().say(error.message), "path": error.path}
            return render(request, "plans/import.html", context, status=503 if isinstance(error, Busy) else 422)
        messages.success(request, tell("Imported: {title}", title=kept.title))
        return redirect("plan-saved", kitchen=request.kitchen.public_id, plan=kept.public_id)
    if request.role == "viewer":
        raise PermissionDenied
    return render(request, "plans/import.html", context)
