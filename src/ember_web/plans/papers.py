"""A plan on paper and as files for others: station cards and prep lists as PDF, calendar, recipe, several at once."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Iterable
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.template.loader import render_to_string
from icalendar import Calendar, Event

from ember_core.book.book import Book
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_web.plans.models import Plan
from ember_web.plans.presenters import View, build
from ember_web.plans.printing import press
from ember_web.tenancy.access import KitchenRequest
from ember_web.tenancy.voice import current, tell

PAPERS = {
    "a5": ("148mm", "210mm"),
    "half-letter": ("5.5in", "8.5in"),
    "a4": ("210mm", "297mm"),
    "letter": ("8.5in", "11in"),
}
SHEETS = {"a4": "a5", "letter": "half-letter"}  # two cards side by side on one sheet, turned
MOST = 60  # plans on paper at once
STYLE = Path(__file__).resolve().parent / "static/plans/paper.css"
FONT = Path(__file__).resolve().parents[1] / "ui/static/vendor/archivo/archivo-latin-standard-normal.woff2"


def views_of(plans: Iterable[Plan], book: Book, request: KitchenRequest) -> list[tuple[Plan, View]]:
    """Saved plans, computed for paper: in their own times, with their own versions."""
    kitchen = request.kitchen
    return [
        (p, build(compute(parse(p.document), with_forecast=False, book=book), kitchen, book, kitchen.now()))
        for p in plans
    ]


def as_pdf(template: str, context: dict[str, Any], page: str, request: KitchenRequest) -> bytes:
    """A page of ours as PDF, on paper of a size."""
    html = render_to_string(template, context | {"kitchen": request.kitchen}, request=request)
    face = f"@font-face {{ font-family: Archivo; src: url({FONT.as_uri()}); font-weight: 100 900 }}"
    return press.pdf(html, [f"{face} @page {{ size: {page} }}", STYLE.read_text("utf-8")], FONT.as_uri())


def cards(plans: list[tuple[Plan, View]], paper: str, request: KitchenRequest) -> bytes:
    """A station card for each plan; on a sheet of twice the size two beside each other."""
    width, height = PAPERS[paper]
    card = SHEETS.get(paper)
    context = {
        "plans": plans,
        "two": card is not None,
        "units": current().units,
    }
    page = f"{height} {width}" if card else f"{width} {height}"
    return as_pdf("plans/paper/cards.html", context, page, request)


def prep_list(plans: list[tuple[Plan, View]], request: KitchenRequest) -> bytes:
    """What is done before heat for all plans, by the clock, and all that is set out."""
    moves = sorted(({**m, "plan": p.title} for p, v in plans for m in v.before), key=lambda m: m["at"])
    for i, row in enumerate(moves):
        day = request.kitchen.local(row["at"]).date()
        row["day"] = day if i == 0 or request.kitchen.local(moves[i - 1]["at"]).date() != day else None
    things: dict[str, list[str]] = {}
    for p, v in plans:
        for thing in v.set_out:
            things.setdefault(current().say(thing), []).append(p.title)
    context = {"moves": moves, "things": sorted(things.items()), "plans": plans}
    return as_pdf("plans/paper/prep.html", context, "A4", request)


def calendar(plans: list[tuple[Plan, View]]) -> bytes:
    """The moves as events of a calendar (RFC 5545), those before heat too."""
    out = Calendar()
    out.add("prodid", "-//Open Ember//moves//EN")
    out.add("version", "2.0")
    for plan, view in plans:
        for i, move in enumerate([*view.before, *view.moves]):
            event = Event()
            event.add("uid", f"{plan.public_id}-{i}@open-ember")
            event.add("dtstamp", plan.updated_at)
            event.add("dtstart", move["at"])
            event.add("dtend", move["at"] + timedelta(minutes=1))
            event.add("summary", f"{current().say(move['verb'])} · {plan.title}")
            words = [current().say(move[k]) for k in ("cue", "why", "caution") if move[k]]
            event.add("description", "\n".join(words))
            out.add_component(event)
    made: bytes = out.to_ical()
    return made


def _duration(seconds: float) -> str:
    """ISO 8601."""
    return f"PT{round(seconds / 60)}M"


def recipe(plan: Plan, view: View, book: Book) -> dict[str, Any]:
    """The plan as schema.org has a recipe (JSON-LD)."""
    piece = view.outcome.plan.document["piece"]
    name = current().say(book.piece_name(piece))
    mass = f", {current().units.shown('mass', piece['mass_g'])}" if "mass_g" in piece else ""
    first = view.before[0]["at"] if view.before else view.start_at
    return {
        "@context": "https://schema.org",
        "@type": "Recipe",
        "name": plan.title,
        "recipeYield": str(piece.get("count", 1)),
        "prepTime": _duration(max((view.start_at - first).total_seconds(), 0.0)),
        "cookTime": _duration(view.outcome.cook.stages[-1].end_s),
        "totalTime": _duration((view.serve_at - first).total_seconds()),
        "recipeIngredient": [f"{piece.get('count', 1)} × {name}{mass}"],
        "recipeInstructions": [
            {
                "@type": "HowToStep",
                "name": current().say(m["verb"]),
                "text": tell("{what}. {how}", what=m["verb"], how=m["cue"]),
            }
            for m in [*view.before, *view.moves]
        ],
        "tool": [current().say(t) for t in view.set_out],
        "keywords": ", ".join(plan.tags),
    }


def bundle(plans: Iterable[Plan]) -> bytes:
    """Plan files as one zip."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as out:
        for plan in plans:
            text = json.dumps(plan.document, indent=1, ensure_ascii=False)
            out.writestr(f"plan-{plan.public_id}.json", text)
    return buffer.getvalue()
