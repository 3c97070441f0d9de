"""Work out what the list shows of plans that came without it: from the demo, a script, an older version."""

from __future__ import annotations

import time

from ember_core.errors import EmberError
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_web.book.public import book_of
from ember_web.jobs.waiting import solver
from ember_web.plans.models import Plan
from ember_web.plans.summaries import summary_of
from ember_web.tenancy.action import Actor, Rank, action

A_WHILE_S = 0.7


@action(Rank.VIEWER, trail=False, atomic=False)
def fill_summaries(actor: Actor, plans: list[Plan]) -> int:
    """Fill those that lack it, for a while; how many are left. Nothing that anybody wrote is changed."""
    until, left = time.monotonic() + A_WHILE_S, 0
    book = book_of(actor.kitchen)
    for plan in plans:
        if plan.kitchen_id != actor.kitchen.pk or plan.summary:
            continue
        if time.monotonic() > until:
            left += 1
            continue
        try:
            plan.summary = summary_of(solver.run(compute, parse(plan.document), with_forecast=False, book=book))
        except EmberError:
            plan.summary = {"state": ""}
        Plan.objects.filter(pk=plan.pk).update(summary=plan.summary)
    return left
