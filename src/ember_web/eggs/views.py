"""Eggs: the question, its answer, the map, and putting them on."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any
from urllib.parse import urlencode

import numpy as np
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.translation import gettext as _
from django.views.decorators.http import require_POST, require_safe

from ember_core.data.loader import read_toml
from ember_core.doneness.eggs import WHITES, YOLKS, egg_findings
from ember_core.eggs.doubt import Pair, Strip, pairs, strips
from ember_core.eggs.map import egg_map
from ember_core.eggs.question import (
    IN_BATH,
    TURN_C,
    TURN_MINUTES,
    TURNS,
    EggAnswer,
    EggQuestion,
    ask,
    neighbours,
    usual_minutes,
    water_of,
)
from ember_core.errors import EmberError
from ember_core.heat.egg_states import mesh_of
from ember_core.heat.physics.boiling import boiling_point
from ember_core.plan.finding import Finding
from ember_core.planning.compute import Outcome, compute
from ember_core.safety.rules import profile_of
from ember_core.safety.verdict import Standing, standing
from ember_web.eggs.drawing import MAP_H, MAP_W, Section, map_of, section_of, strip_of
from ember_web.eggs.fields import NAMES
from ember_web.eggs.forms import FIELDS, WATER_WORDS, EggForm, form_of, masses_of, question_of, title_of
from ember_web.eggs.keeping import go_to_plans, saved
from ember_web.jobs.waiting import Busy, solver
from ember_web.kitchens.models import Station
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, tell

APART_MIN, APART_BATH_MIN = 0.5, 5.0  # how much sooner and later is told
MAP_CELLS = 24
USUAL_MASSES = 4


@dataclass(frozen=True, eq=False)
class Shown:
    """What a page shows of an answer."""

    answer: EggAnswer
    outcome: Outcome
    section: Section
    near: list[dict[str, Any]]
    standing: Standing
    findings: tuple[Finding, ...]
    in_at: datetime
    out_at: datetime
    serve_at: datetime
    late: bool
    slider: dict[str, float]
    turns: dict[str, float]
    yolk: str
    white: str


def _compute(question: EggQuestion) -> tuple[EggAnswer, Outcome, list[Any]]:
    """The answer, its plan's outcome, and what is a little sooner and later."""
    answer = ask(question)
    outcome = compute(answer.plan, with_forecast=False, nominal=answer.cook)
    if question.water == TURNS:
        return answer, outcome, neighbours(question, answer.minutes, 2.0 * TURN_MINUTES)
    apart = APART_BATH_MIN if question.water in IN_BATH else APART_MIN * max(question.mass_g / 57.0, 0.5) ** (2.0 / 3.0)
    apart = round(apart * 2.0) / 2.0 if apart > 1.0 else round(apart * 4.0) / 4.0
    return answer, outcome, neighbours(question, answer.minutes, max(apart, 0.25))


def _shown(kitchen: Kitchen, question: EggQuestion, query: dict[str, Any]) -> Shown:
    answer, outcome, beside = solver.run(_compute, question)
    yolk, white = YOLKS[answer.state.yolk_word], WHITES[answer.state.white_word]
    section = section_of(
        answer.state, answer.plan.shape, mesh_of(answer.plan),
        tell("An egg cut along: yolk {yolk}, white {white}", yolk=_(yolk), white=_(white)),
    )  # fmt: skip
    near = [
        {
            "later": minutes > answer.minutes,
            "apart_s": abs(minutes - answer.minutes) * 60.0,
            "yolk": YOLKS[state.yolk_word],
            "white": WHITES[state.white_word],
            "query": urlencode(query | {"minutes": f"{minutes:.3f}"}),
        }
        for minutes, state in beside
    ]
    total = timedelta(seconds=answer.cook.stages[-1].end_s)
    now = kitchen.now()
    start = now if question.serve_at is None else question.serve_at - total
    rule = outcome.result["rule"]
    profile = profile_of(answer.plan.rules or "", answer.plan.house)
    longest = min(max(2.0 * answer.minutes, 4.0), question.longest_min)
    said = egg_findings(answer.plan, answer.state)
    return Shown(
        answer=answer,
        outcome=outcome,
        section=section,
        near=near,
        standing=standing(rule, answer.plan.required, question.guests, profile, outcome.findings),
        findings=tuple(f for f in outcome.findings if f.level != "note") or tuple(said),
        in_at=start,
        out_at=start + timedelta(minutes=answer.minutes),
        serve_at=start + total,
        late=start < now - timedelta(seconds=30),
        slider={
            "least": 2.0 * TURN_MINUTES if question.water == TURNS else 0.5,
            "most": round(longest, 1),
            "step": 2.0 * TURN_MINUTES if question.water == TURNS else 0.1 if longest < 30 else 0.5,
            "now": round(answer.minutes, 2),
        },
        turns={"each_s": 60.0 * TURN_MINUTES, "times": round(answer.minutes / 2.0 / TURN_MINUTES), "cool_c": TURN_C}
        if question.water == TURNS
        else {},
        yolk=yolk,
        white=white,
    )


def _found(form: EggForm, kitchen: Kitchen) -> tuple[EggQuestion | None, Shown | None]:
    """The question and what is shown of its answer; None with the errors put beside their parts."""
    if not form.is_valid():
        return None, None
    question = question_of(form, kitchen)
    query = {k: form[k].value() or "" for k in FIELDS}
    try:
        return question, _shown(kitchen, question, query)
    except EmberError as error:
        part = {"/piece/shape/mass_g": "mass_g", "/piece/start_c": "start_c", "/stages/0/store/litres": "litres"}.get(
            error.path
        )
        form.add_error("heat_c" if "medium_c" in error.path else part, current().say(error.message))
        return question, None


@in_kitchen()
@require_safe
def page(request: KitchenRequest) -> HttpResponse:
    """The question and its answer; the whole state stands in the address."""
    kitchen = request.kitchen
    form = form_of(kitchen, request.GET)
    question, shown = _found(form, kitchen)
    query = {k: form[k].value() or "" for k in FIELDS}
    htmx = getattr(request, "htmx", None)
    species = str(form["species"].value())
    context = {
        "form": form,
        "shown": shown,
        "question": question,
        "boil_c": boiling_point(kitchen.altitude_m),
        "query": urlencode(query),
        "map": f"{reverse('eggs-map', args=[kitchen.public_id])}?{urlencode(query)}",
        "where": f"{reverse('eggs-where', args=[kitchen.public_id])}?{urlencode(query)}",
        "sizes": f"{reverse('eggs-sizes', args=[kitchen.public_id])}?{urlencode(query)}",
        "pairs": f"{reverse('eggs-pairs', args=[kitchen.public_id])}?{urlencode(query)}",
        "classes": _classes(kitchen) if species == "hen" else [],
        "topics": list(NAMES.items()),
        "yolks": [(key, words) for key, words in YOLKS.items()],
        "stations": Station.objects.filter(kitchen=kitchen),
        "here": reverse("eggs", args=[kitchen.public_id]),
    }
    template = "eggs/_eggs.html" if htmx and not htmx.boosted else "eggs/eggs.html"
    return render(request, template, context, status=200 if shown else 422 if question is None else 200)


def _classes(kitchen: Kitchen) -> list[tuple[str, float]]:
    """Names of a hen's egg's classes where the kitchen stands, and the mass in the middle of each, g."""
    rows = read_toml("eggs.toml")["class"]["us" if kitchen.rules.startswith("us-") else "eu"]
    return [(str(name), float(mass)) for name, mass in rows]


def _axes(question: EggQuestion, minutes: float) -> tuple[Any, Any]:
    """What the map spans: minutes, and temperatures of the water, °C."""
    boil = boiling_point(question.altitude_m)
    water = np.linspace(56.0, 76.0 if question.water in IN_BATH else boil, MAP_CELLS)
    longest = min(max(2.2 * minutes, 6.0), question.longest_min * 1.5)
    return np.linspace(longest / MAP_CELLS, longest, MAP_CELLS), water


def _mapped(question: EggQuestion) -> tuple[Any, float]:
    minutes = ask(question).minutes
    own = question if question.water in {"boil", *IN_BATH} else replace(question, water="boil")
    return map_of(egg_map(own, *_axes(question, minutes))), minutes


@in_kitchen()
@require_safe
def map_part(request: KitchenRequest) -> HttpResponse:
    """The map of time and water, drawn after the answer is there."""
    form = form_of(request.kitchen, request.GET)
    if not form.is_valid():
        return render(request, "eggs/_map.html", {})
    question = question_of(form, request.kitchen)
    try:
        picture, minutes = solver.run(_mapped, question)
    except EmberError as error:
        return render(
            request,
            "eggs/_map.html",
            {"why": current().say(error.message)},
            status=503 if isinstance(error, Busy) else 200,
        )
    water = water_of(question)
    x = (minutes - picture.minutes[0]) / (picture.minutes[1] - picture.minutes[0]) * MAP_W
    y = (picture.water_c[1] - water) / (picture.water_c[1] - picture.water_c[0]) * MAP_H
    at = {"x": min(max(x, 6.0), MAP_W - 6.0), "y": min(max(y, 6.0), MAP_H - 6.0)}
    context = {
        "picture": picture,
        "at": None if question.water == TURNS else at,
        "w": MAP_W,
        "h": MAP_H,
        "minutes": minutes,
        "water_c": water,
        "in_bath": question.water in IN_BATH,
    }
    return render(request, "eggs/_map.html", context)


STRIP_CELLS = 48


def _stripped(question: EggQuestion, masses: list[float]) -> tuple[list[Strip], float]:
    minutes = ask(question).minutes
    longest = min(max(2.0 * minutes, 4.0), question.longest_min)
    return strips(question, np.linspace(longest / STRIP_CELLS, longest, STRIP_CELLS), masses), minutes


@in_kitchen()
@require_safe
def sizes_part(request: KitchenRequest) -> HttpResponse:
    """The batch by the minute: its smallest and largest egg, and an old one, drawn as strips."""
    form = form_of(request.kitchen, request.GET)
    if not form.is_valid():
        return render(request, "eggs/_sizes.html", {})
    question = question_of(form, request.kitchen)
    try:
        found, minutes = solver.run(_stripped, question, masses_of(form))
    except EmberError as error:
        why: dict[str, Any] = {"why": current().say(error.message)}
        return render(request, "eggs/_sizes.html", why, status=503 if isinstance(error, Busy) else 200)
    longest = float(found[0].minutes[-1])
    rows: list[dict[str, Any]] = []
    for strip in found:
        yolk, white = strip.words_at(minutes)
        best = None if strip.best_min is None else 60.0 * strip.best_min
        rows.append(
            {
                "strip": strip,
                "mass_g": round(strip.mass_g),
                "picture": strip_of(strip),
                "yolk": YOLKS[yolk],
                "white": WHITES[white],
                "best_s": best,
            }
        )
    alike = len({r["yolk"] for r in rows if not r["strip"].risen}) == 1
    out = [r["best_s"] for r in rows if not r["strip"].risen]
    context = {
        "rows": rows, "alike": alike, "minutes": minutes, "at": 100.0 * minutes / longest, "longest": longest,
        "first_s": min((s for s in out if s is not None), default=None), "last_s": max((s for s in out if s is not None), default=None),
        "yolk": YOLKS[question.yolk], "marks": [{"px": 480.0 * m / longest, "minutes": m} for m in _marks(longest)],
    }  # fmt: skip
    return render(request, "eggs/_sizes.html", context)


def _marks(longest: float) -> list[float]:
    """Whole minutes to be written under a strip."""
    step = next(s for s in (1, 2, 5, 10, 20, 30, 60) if longest / s <= 8)
    return [float(m) for m in range(step, int(longest) + 1, step)]


@in_kitchen()
@require_safe
def pairs_part(request: KitchenRequest) -> HttpResponse:
    """Which pairs of yolk and white can be had, and how."""
    form = form_of(request.kitchen, request.GET)
    if not form.is_valid():
        return render(request, "eggs/_pairs.html", {})
    question = question_of(form, request.kitchen)
    try:
        found = solver.run(pairs, question)
    except EmberError as error:
        why: dict[str, Any] = {"why": current().say(error.message)}
        return render(request, "eggs/_pairs.html", why, status=503 if isinstance(error, Busy) else 200)
    query = {k: form[k].value() or "" for k in FIELDS}
    whites = [key for key in WHITES if key != "unset"]

    def cell(pair: Pair | None) -> dict[str, Any] | None:
        if pair is None:
            return None
        own = {"water": pair.water, "heat_c": f"{pair.water_c:.1f}", "minutes": f"{pair.minutes:.2f}"}
        return {
            "pair": pair,
            "water": WATER_WORDS[pair.water],
            "in_bath": pair.water in IN_BATH,
            "query": urlencode(query | own),
        }

    rows = [
        {"yolk": words, "cells": [cell(found.get((key, white))) for white in whites]} for key, words in YOLKS.items()
    ]
    context = {
        "rows": rows,
        "whites": [WHITES[w] for w in whites],
        "here": reverse("eggs", args=[request.kitchen.public_id]),
    }
    return render(request, "eggs/_pairs.html", context)


@in_kitchen()
@require_safe
def where_part(request: KitchenRequest) -> HttpResponse:
    """Where the usual minutes are true: the same yolk by size, start and altitude."""
    form = form_of(request.kitchen, request.GET)
    if not form.is_valid():
        return render(request, "eggs/_where.html", {})
    question = question_of(form, request.kitchen)
    if question.water in IN_BATH:
        return render(request, "eggs/_where.html", {})
    row = read_toml("eggs.toml")["species"][question.species]
    known = (
        [m for _name, m in _classes(request.kitchen)]
        if question.species == "hen"
        else [row["mass_g"] * f for f in (0.85, 1.0, 1.15)]
    )
    masses = tuple(sorted(known))[:USUAL_MASSES]
    starts, altitudes = (4.0, 21.0), tuple(dict.fromkeys((0.0, float(question.altitude_m))))
    try:
        found = solver.run(usual_minutes, replace(question, water="boil"), masses, starts, altitudes)
    except EmberError:
        return render(request, "eggs/_where.html", {})
    rows = [
        {
            "mass_g": mass,
            "times": [
                None if found[mass, start, alt] is None else 60.0 * float(found[mass, start, alt] or 0.0)
                for alt in altitudes
                for start in starts
            ],
        }
        for mass in masses
    ]
    columns = [
        {"start_c": start, "altitude_m": alt, "boil_c": boiling_point(alt)} for alt in altitudes for start in starts
    ]
    return render(request, "eggs/_where.html", {"rows": rows, "columns": columns, "yolk": YOLKS[question.yolk]})


@in_kitchen(read="cook")
@require_POST
def keep(request: KitchenRequest) -> HttpResponse:
    """Save the eggs as a plan, and put them on the line at once where that is asked."""
    kitchen = request.kitchen
    form = form_of(kitchen, request.POST)
    question, shown = _found(form, kitchen)
    if question is None or shown is None:
        messages.error(request, _("These eggs cannot be kept: correct what is marked."))
        return redirect(
            f"{reverse('eggs', args=[kitchen.public_id])}?{urlencode({k: form[k].value() or '' for k in FIELDS})}"
        )
    title = title_of(question, shown.answer.state.yolk_word)
    return go_to_plans(request, saved(request, [(title, shown.answer.plan.document)], shown.answer.cook))
