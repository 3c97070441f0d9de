"""Book: what the house knows of its cuts and ways, and what can be on the plate in time."""

from __future__ import annotations

import time
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.utils.text import capfirst
from django.utils.translation import gettext
from django.views.decorators.http import require_safe

from ember_core.book.book import Book, Row
from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.entry.sentence import Sentence
from ember_core.planning.ready_in import HEATING, is_known, minutes_of, pairs, species_of
from ember_core.planning.schools import School, school
from ember_web.book.models import BookRow
from ember_web.book.queries import book_of
from ember_web.jobs.waiting import solver
from ember_web.tenancy.access import KitchenRequest, in_kitchen

A_WHILE_S = 0.7  # of computing for one answer; the page asks again for the rest
LONGEST_MIN = 20160.0
SIZES = (0.8, 1.0, 1.25)  # of the usual size, for which a way is shown


def gear_choices() -> list[tuple[str, str]]:
    """Gear that heats, with its name."""
    return [(name, gettext(row["name"])) for name, row in read_toml("gear.toml").items() if name in HEATING]


def _species(book: Book) -> list[tuple[str, str]]:
    found = dict.fromkeys(species_of(c) for c in book.cuts.values())
    return [(s, capfirst(gettext(s))) for s in found if s]


@in_kitchen()
@require_safe
def cuts(request: KitchenRequest) -> HttpResponse:
    """Cuts by species, with search; htmx gets the rows alone."""
    book = book_of(request.kitchen)
    words = request.GET.get("q", "")[:80].replace("\x00", "").strip().lower()
    groups: dict[str, list[dict[str, Any]]] = {}
    own = set(BookRow.objects.filter(kitchen=request.kitchen, kind="cut").values_list("key", flat=True))
    for row in book.cuts.values():
        names = " ".join((row["name"], gettext(row["name"]), *row.get("aliases", ()), species_of(row))).lower()
        if words not in names:
            continue
        way = book.way(row["way"])
        groups.setdefault(species_of(row), []).append(
            {
                "row": row,
                "way": way["name"] if way else "",
                "ways": len(book.ways_for(row)),
                "usual": Sentence.for_cut(row["id"], book=book).target_c,
                "own": row["id"] in own,
            }
        )
    context = {
        "groups": [(capfirst(gettext(s)) if s else "–", found) for s, found in groups.items()],
        "q": words,
        "here": "cuts",
    }
    return render(request, "book/_cuts.html" if getattr(request, "htmx", None) else "book/cuts.html", context)


@in_kitchen()
@require_safe
def ways(request: KitchenRequest) -> HttpResponse:
    """Ways by the gear at hand, with what each gains and costs."""
    book = book_of(request.kitchen)
    at_hand = [g for g in request.GET.getlist("gear") if g in HEATING]
    words = request.GET.get("q", "")[:80].replace("\x00", "").strip().lower()
    found = [
        w
        for w in book.ways.values()
        if (not at_hand or set(w.get("gear", ())) & HEATING <= set(at_hand))
        and words in " ".join((w["name"], gettext(w["name"]), w.get("school", ""), *w.get("aliases", ()))).lower()
    ]
    gear = read_toml("gear.toml")
    context = {
        "rows": [(w, [gear[g]["name"] for g in w.get("gear", ())]) for w in found],
        "gear": gear_choices(),
        "at_hand": at_hand,
        "q": words,
        "here": "ways",
    }
    return render(request, "book/_ways.html" if getattr(request, "htmx", None) else "book/ways.html", context)


@in_kitchen()
@require_safe
def in_time(request: KitchenRequest) -> HttpResponse:
    """What can be on the plate in so many minutes; worked out a while at a time, the page asks for the rest."""
    kitchen, book = request.kitchen, book_of(request.kitchen)
    try:
        within = min(max(float(request.GET.get("minutes", "25").replace(",", ".")), 1.0), LONGEST_MIN)
    except ValueError:
        within = 25.0
    species = request.GET.get("species", "")[:40]
    at_hand = [g for g in request.GET.getlist("gear") if g in HEATING]
    found = list(pairs(book, species, frozenset(at_hand)))
    place = (kitchen.altitude_m, kitchen.air_c)

    def look() -> list[tuple[float, Row, Row]]:
        until, out = time.monotonic() + A_WHILE_S, []
        for c, w in found:
            if time.monotonic() > until and not is_known(book, c, w, *place):
                continue
            took = minutes_of(book, c, w, *place)
            if took is not None and took <= within:
                out.append((took, c, w))
        return sorted(out, key=lambda r: r[0])

    rows = solver.run(look)
    left = sum(not is_known(book, c, w, *place) for c, w in found)
    context = {
        "rows": rows[:300],
        "more": max(len(rows) - 300, 0),
        "left": left,
        "looked": len(found) - left,
        "of": len(found),
        "minutes": f"{within:g}",
        "species": _species(book),
        "chosen": species,
        "gear": gear_choices(),
        "at_hand": at_hand,
        "address": request.get_full_path(),
        "here": "time",
    }
    return render(request, "book/_in_time.html" if getattr(request, "htmx", None) else "book/in_time.html", context)


@in_kitchen()
@require_safe
def doneness(request: KitchenRequest) -> HttpResponse:
    """Doneness names with the house's temperatures."""
    book = book_of(request.kitchen)
    context = {"rows": book.newest("doneness").values(), "here": "doneness"}
    return render(request, "book/doneness.html", context)


@in_kitchen()
@require_safe
def cut(request: KitchenRequest, key: str) -> HttpResponse:
    """One cut: all that the house knows of it."""
    book = book_of(request.kitchen)
    row = book.cut(key)
    if row is None:
        raise Http404
    food = food_row(row["food"])
    context = {
        "row": row,
        "food": food["name"] if food else row["food"],
        "names": book.doneness_names(row["food"], row["id"]),
        "usual": Sentence.for_cut(key, book=book).target_c,
        "ways": book.ways_for(row),
        "versions": book.shelves["cut"][key],
        "here": "cuts",
    }
    return render(request, "book/cut.html", context)


def sizes_by(book: Book, way: Row, request: KitchenRequest) -> tuple[Row | None, list[School]]:
    """A cut that goes this way, and the way computed for three sizes of it."""
    fits = [
        c for c in book.cuts.values() if way in book.ways_for(c, None, Sentence.for_cut(c["id"], book=book).target_c)
    ]
    if not fits:
        return None, []
    chosen = book.cut(request.GET.get("cut", "")) or next((c for c in fits if c["way"] == way["id"]), fits[0])
    kitchen = request.kitchen
    known: dict[str, Any] = {
        "book": book,
        "altitude_m": kitchen.altitude_m,
        "air_c": kitchen.air_c,
        "rules": kitchen.rules,
    }
    made = [
        school(
            Sentence.for_cut(chosen["id"], size_mm=round(chosen["size_mm"] * share, 1), way=way["id"], **known),
            way,
            book,
        )
        for share in SIZES
    ]
    return chosen, made


@in_kitchen()
@require_safe
def way(request: KitchenRequest, key: str) -> HttpResponse:
    """One way: its stages, and how long they take for three sizes of a cut."""
    book = book_of(request.kitchen)
    row = book.way(key)
    if row is None:
        raise Http404
    chosen, made = solver.run(sizes_by, book, row, request)
    gear = read_toml("gear.toml")
    context = {
        "row": row,
        "gear": [gear[g]["name"] for g in row.get("gear", ())],
        "cut": chosen,
        "sizes": made,
        "suits": [c for c in book.cuts.values() if row in book.ways_for(c)],
        "versions": book.shelves["way"][key],
        "here": "ways",
    }
    return render(request, "book/way.html", context)
