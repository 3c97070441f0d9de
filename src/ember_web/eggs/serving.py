"""A breakfast of eggs: batches for their times on one page, and all of them kept as plans."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from django import forms
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.utils.translation import gettext, ngettext
from django.views.decorators.http import require_POST, require_safe

from ember_core.doneness.eggs import WHITES, YOLKS
from ember_core.eggs.breakfast import POACHED, Timed, pots, read, timed
from ember_core.eggs.question import EggQuestion
from ember_core.errors import EmberError
from ember_core.heat.physics.boiling import boiling_point
from ember_core.wording.message import N_
from ember_web.book.public import house_document
from ember_web.eggs.fields import COLD, EACH, shown
from ember_web.eggs.fields import form_of as parts_form
from ember_web.eggs.forms import title_of
from ember_web.eggs.keeping import go_to_plans, saved
from ember_web.jobs.waiting import solver
from ember_web.kitchens.models import Station
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, tell

PARTS = (EACH, COLD)
USUAL = "12 soft 7:30\n6 hard 8:00\n8 poached 8:30"
EARLIER = timedelta(hours=6)  # a time of day so long past is tomorrow's
HOWS = {"shell": N_("in the shell"), POACHED: N_("poached")}


def form_of(data: Any) -> forms.Form:
    """Batches as text, and what all eggs share."""
    made = parts_form(PARTS, data, batches=data.get("batches", USUAL))
    made.fields["batches"] = forms.CharField(
        max_length=1000,
        strip=False,
        widget=forms.Textarea(attrs={"rows": 4, "class": "form-control", "aria-label": gettext("Batches")}),
        error_messages={"required": gettext("Write a batch a line, such as: 12 soft 7:30")},
    )
    return made


def midnight_of(kitchen: Kitchen, minutes: list[int]) -> datetime:
    """Of the day whose breakfast is meant: today's, or tomorrow's when the last of its times is long past."""
    local = kitchen.local(kitchen.now())
    midnight = local.replace(hour=0, minute=0, second=0, microsecond=0)
    return midnight + timedelta(days=1) if midnight + timedelta(minutes=max(minutes)) < local - EARLIER else midnight


def found_of(kitchen: Kitchen, form: forms.Form) -> tuple[tuple[Timed, ...], str]:
    """The batches with their times, or why there are none."""
    if not form.is_valid():
        return (), ""
    d = form.cleaned_data
    usual = EggQuestion(
        mass_g=d["mass_g"], start_c=d["start_c"], altitude_m=kitchen.altitude_m, air_c=kitchen.air_c, rules=kitchen.rules,
        house=house_document(kitchen),
    )  # fmt: skip
    try:
        batches = read(d["batches"])
        return solver.run(timed, batches, usual, midnight_of(kitchen, [b.minute for b in batches])), ""
    except EmberError as error:
        return (), current().say(error.message)


@in_kitchen()
@require_safe
def breakfast(request: KitchenRequest) -> HttpResponse:
    """Batches, their times and pots."""
    kitchen = request.kitchen
    form = form_of(request.GET)
    found, why = found_of(kitchen, form)
    rows = [
        {
            "timed": t,
            "eggs": f"{t.batch.count} × {gettext(YOLKS[t.batch.yolk])}",
            "how": HOWS[t.batch.how],
            "yolk": YOLKS[t.answer.state.yolk_word],
            "white": WHITES[t.answer.state.white_word],
            "past": t.in_at < kitchen.now(),
        }
        for t in found
    ]
    context = {
        "rows": rows,
        "pots": [(n, HOWS[how], litres) for n, how, litres in pots(found)],
        "why": why,
        "what": "breakfast",
        "name": N_("breakfast service"),
        "boil_c": boiling_point(kitchen.altitude_m),
        "stations": Station.objects.filter(kitchen=kitchen),
    }
    return shown(request, "eggs/_breakfast.html", form, PARTS, context, good=not why)


@in_kitchen(read="cook")
@require_POST
def keep_all(request: KitchenRequest) -> HttpResponse:
    """Every batch as a plan of its own, for its time; or one of them, put on the line at once."""
    kitchen = request.kitchen
    form = form_of(request.POST)
    found, why = found_of(kitchen, form)
    if not found:
        messages.error(request, why or gettext("These batches cannot be kept: correct what is marked."))
        return redirect("eggs-breakfast", kitchen=kitchen.public_id)
    only = request.POST.get("start", "")  # the number of a batch that goes on at once
    chosen = [found[int(only)]] if only.isascii() and only.isdigit() and int(only) < len(found) else list(found)
    titled = [
        (
            title_of(EggQuestion(), t.batch.yolk)
            if t.batch.how != POACHED
            else tell("Poached eggs, {word}", word=gettext(YOLKS[t.batch.yolk])),
            dict(t.answer.plan.document) | {"serve_at": t.plate_at.isoformat(timespec="minutes")},
        )
        for t in chosen
    ]  # fmt: skip
    plans = saved(request, titled)
    if only:
        return go_to_plans(request, plans, start=True)
    messages.success(request, ngettext("%(n)s batch saved.", "%(n)s batches saved.", len(plans)) % {"n": len(plans)})
    return redirect("plans", kitchen=kitchen.public_id)
