"""Eggs kept as plans, and put on the line at once where that is asked."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils.translation import ngettext

from ember_core.formats.plan import parse
from ember_core.heat.cook import Cook
from ember_core.planning.compute import compute
from ember_web.book.public import book_of
from ember_web.jobs.waiting import solver
from ember_web.plans.actions.save_plan import SavePlan, save_plan
from ember_web.plans.models import Plan
from ember_web.plans.public import summary_of
from ember_web.tenancy.access import KitchenRequest
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import tell


def saved(
    request: KitchenRequest, titled: Sequence[tuple[str, Mapping[str, Any]]], nominal: Cook | None = None
) -> list[Plan]:
    """Plans of documents under their titles; ``nominal``: the cook of the only one, where it is at hand."""
    actor, book = Actor.of_request(request), book_of(request.kitchen)
    out = []
    for title, document in titled:
        plan = parse({**document, "title": title})
        outcome = solver.run(compute, plan, with_forecast=False, book=book, nominal=nominal)
        out.append(save_plan(actor, SavePlan(dict(outcome.plan.document), "", 0, summary_of(outcome), {})))
    return out


def go_to_plans(request: KitchenRequest, plans: Sequence[Plan], *, start: bool = False) -> HttpResponse:
    """Where to go with plans that were saved: to what they need set out when they are to be started, to the plan or to all of them else."""
    only = plans[0]
    if start or request.POST.get("go") == "start":
        asked = [("plan", p.public_id) for p in plans] + [
            (k, request.POST.get(k, "")[:40].replace("\x00", "")) for k in ("station", "event") if request.POST.get(k)
        ]
        return redirect(f"{reverse('line-set-out', args=[request.kitchen.public_id])}?{urlencode(asked)}")
    if len(plans) == 1:
        messages.success(request, tell("Saved: {title}", title=only.title))
        return redirect("plan-saved", kitchen=request.kitchen.public_id, plan=only.public_id)
    messages.success(request, ngettext("%(n)s plan saved.", "%(n)s plans saved.", len(plans)) % {"n": len(plans)})
    return redirect("plans", kitchen=request.kitchen.public_id)
