"""Eggs out of their shells, and what is built on them: a short form and an answer for each, and plans of it."""

from __future__ import annotations

from urllib.parse import urlencode

from django import forms
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.utils.translation import gettext
from django.views.decorators.http import require_POST, require_safe

from ember_core.errors import EmberError
from ember_web.book.public import house_document
from ember_web.eggs import built_topics, topics
from ember_web.eggs.fields import Answer, Place, Topic, form_of, shown
from ember_web.eggs.keeping import go_to_plans, saved
from ember_web.jobs.waiting import solver
from ember_web.kitchens.models import Station
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current

TOPICS: dict[str, Topic] = topics.TOPICS | built_topics.TOPICS
USUAL = "fried"


def _answered(topic: Topic, form: forms.Form, kitchen: Kitchen) -> tuple[Answer | None, str]:
    """The answer of a topic, or why there is none."""
    if not form.is_valid():
        return None, ""
    try:
        place = Place(kitchen.altitude_m, kitchen.air_c, kitchen.rules, house_document(kitchen))
        return solver.run(topic.answer, form.cleaned_data, place), ""
    except EmberError as error:
        return None, current().say(error.message)


@in_kitchen()
@require_safe
def opened(request: KitchenRequest, what: str) -> HttpResponse:
    """One topic: its form and its answer."""
    what = what if what in TOPICS else USUAL
    topic = TOPICS[what]
    form = form_of(topic.parts, request.GET)
    answer, why = _answered(topic, form, request.kitchen)
    context = {
        "answer": answer, "why": why, "what": what, "name": topic.words,
        "stations": Station.objects.filter(kitchen=request.kitchen),
    }  # fmt: skip
    return shown(request, "eggs/_opened.html", form, topic.parts, context, good=not why)


@in_kitchen(read="cook")
@require_POST
def keep_opened(request: KitchenRequest, what: str) -> HttpResponse:
    """The plans of an answer kept, or put on the line at once."""
    topic = TOPICS.get(what)
    form = form_of(topic.parts, request.POST) if topic else None
    answer, why = _answered(topic, form, request.kitchen) if topic and form else (None, "")
    if answer is None or not answer.plans:
        messages.error(request, why or gettext("These eggs cannot be kept: correct what is marked."))
        back = reverse("eggs-open", args=[request.kitchen.public_id, what])
        return redirect(f"{back}?{urlencode({k: request.POST.get(k, '') for k in form.fields})}" if form else back)
    return go_to_plans(request, saved(request, answer.plans))
