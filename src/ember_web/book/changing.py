"""A chef changes a row of the book: the next version, looked at on a plan before it is kept; and the book as a file."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils.text import slugify
from django.utils.translation import gettext as _
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from ember_core.book.book import Book, Row
from ember_core.entry.checking import check_row
from ember_core.entry.sentence import Sentence
from ember_core.errors import EmberError, InputError
from ember_core.formats.book import document
from ember_core.planning.schools import School, school
from ember_web.book.actions.add_book_row import AddBookRow, add_book_row
from ember_web.book.actions.import_book import ImportBook, import_book
from ember_web.book.models import BookRow
from ember_web.book.queries import book_of
from ember_web.book.row_forms import FORMS, RowForm
from ember_web.jobs.waiting import solver
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current, tell
from ember_web.ui.uploads import read_upload

NEW = "new"
PAGE_OF = {"cut": "book-cut", "way": "book-way"}


def _find(book: Book, kind: str, key: str) -> Row | None:
    if kind not in FORMS:
        raise Http404
    found = book.newest(kind).get(key)
    if found is None and key != NEW:
        raise Http404
    return found


def _sample(book: Book, kind: str, row: dict[str, Any], request: KitchenRequest) -> tuple[Sentence, Row] | None:
    """A plan on which a changed row shows: the cut itself, or a cut that goes the way or has the names."""
    if kind == "cut":
        cut = book.cut(row["id"])
    elif kind == "way":
        fits = [c for c in book.cuts.values() if c["shape"] in row["shapes"]]
        kin = [c for c in fits if c["kind"] in row.get("kinds", (c["kind"],))]
        cut = book.cut(request.POST.get("on", "")) or next(
            (c for c in kin if c["way"] == row["id"]), next(iter(kin or fits), None)
        )
    else:
        cut = book.cuts.get("bavette") or next(iter(book.cuts.values()), None)
    if cut is None:
        return None
    way = book.way(row["id"]) if kind == "way" else book.way(cut["way"])
    if way is None or cut["shape"] not in way["shapes"]:
        return None
    kitchen = request.kitchen
    known = {"altitude_m": kitchen.altitude_m, "air_c": kitchen.air_c, "rules": kitchen.rules}
    return Sentence.for_cut(cut["id"], book=book, way=way["id"], **known), way


def _effect(book: Book, kind: str, row: dict[str, Any], request: KitchenRequest) -> tuple[School | None, School | None]:
    """A plan by the row as it is and as it would be."""

    def computed(of: Book) -> School | None:
        sample = _sample(of, kind, row, request)
        return None if sample is None else school(sample[0], sample[1], of)

    before = computed(book) if row["id"] in book.newest(kind) else None
    return before, computed(book.with_rows(**{kind: [row]}))


def _named(book: Book, kind: str, form: RowForm, key: str, copy: bool) -> tuple[str, int]:
    """The id and version of what a form makes: the next version, or the first of a new id."""
    if key != NEW and not copy:
        return key, max(r["version"] for r in book.shelves[kind][key]) + 1
    name = slugify(str(form.cleaned_data.get("name", "")))[:50] or kind
    taken = book.shelves.get(kind, {})
    made, n = name, 2
    while made in taken:
        made, n = f"{name}-{n}", n + 1
    return made, 1


@in_kitchen(read="chef", write="chef")
@require_http_methods(["GET", "HEAD", "POST"])
def change(request: KitchenRequest, kind: str, key: str) -> HttpResponse:
    """A row as a form; *look* shows its effect on a plan beside the old one, *keep* makes it the next version."""
    book = book_of(request.kitchen)
    row = _find(book, kind, key)
    copy = "copy" in request.GET or "copy" in request.POST
    form = FORMS[kind](book, row, request.POST if request.method == "POST" else None)
    context: dict[str, Any] = {"form": form, "kind": kind, "key": key, "row": row, "copy": copy}
    status = 200
    if request.method == "POST":
        status = 422
        if form.is_valid():
            made, version = _named(book, kind, form, key, copy)
            body = form.body()
            try:
                check_row(book, kind, body | {"id": made, "version": version})
                if "keep" in request.POST:
                    stored = add_book_row(Actor.of_request(request), AddBookRow(kind, made, body))
                    messages.success(
                        request,
                        tell(
                            "Saved as version {version}. Existing plans keep the version they were made with.",
                            version=stored.version,
                        ),
                    )
                    if kind in PAGE_OF:
                        return redirect(PAGE_OF[kind], kitchen=request.kitchen.public_id, key=made)
                    return redirect("book-doneness", kitchen=request.kitchen.public_id)
                context["before"], context["after"] = solver.run(
                    _effect, book, kind, body | {"id": made, "version": version}, request
                )
                status = 200
            except InputError as error:
                context["error"], context["path"] = current().say(error.message), error.path
            except EmberError as error:
                context["error"] = current().say(error.message)
    if getattr(request, "htmx", None) and request.htmx.target == "effect":  # type: ignore[attr-defined]
        return render(request, "book/_effect.html", context)
    return render(request, "book/change.html", context, status=status)


@in_kitchen(write="chef")
@require_POST
def retire(request: KitchenRequest, kind: str, key: str) -> HttpResponse:
    """No longer offered; or, of what is retired, offered again."""
    book = book_of(request.kitchen)
    if kind not in {"cut", "way"} or key not in book.shelves.get(kind, {}):
        raise Http404
    newest = dict(book.shelves[kind][key][-1])
    body = {k: v for k, v in newest.items() if k not in {"id", "version", "retired"}}
    if not newest.get("retired"):
        body["retired"] = True
    add_book_row(Actor.of_request(request), AddBookRow(kind, key, body))
    name = newest["name"]
    messages.success(
        request,
        tell("{name} is no longer offered. Saved plans keep it.", name=name)
        if body.get("retired")
        else tell("{name} is back in the lists.", name=name),
    )
    return redirect("book" if kind == "cut" else "book-ways", kitchen=request.kitchen.public_id)


@in_kitchen()
@require_safe
def export(request: KitchenRequest) -> HttpResponse:
    """The book as a file; ``own`` leaves out what ships."""
    book = book_of(request.kitchen)
    own: dict[str, set[str]] | None = None
    if "own" in request.GET:
        own = {}
        for kind, key in BookRow.objects.filter(kitchen=request.kitchen).values_list("kind", "key"):
            own.setdefault(kind, set()).add(key)
    found = document(book, own, request.kitchen.name)
    reply = JsonResponse(found, json_dumps_params={"indent": 1, "ensure_ascii": False})
    reply["Content-Disposition"] = f'attachment; filename="book-{request.kitchen.public_id}.json"'
    return reply


@in_kitchen(read="chef", write="chef")
@require_http_methods(["GET", "HEAD", "POST"])
def import_file(request: KitchenRequest) -> HttpResponse:
    """Take a book file, from disk or pasted; an error names the place and keeps what was pasted."""
    context: dict[str, Any] = {"text": ""}
    if request.method == "POST":
        context["text"], unusable = read_upload(request)
        try:
            if unusable is not None:
                raise unusable
            added = import_book(Actor.of_request(request), ImportBook(context["text"]))
        except EmberError as error:
            context |= {"error": current().say(error.message), "path": error.path}
            return render(request, "book/import.html", context, status=422)
        total = sum(added.values())
        messages.success(
            request,
            tell("Imported: {cuts} cuts, {ways} ways, {names} sets of doneness names, {spreads} of spreads.", cuts=added["cut"],
                 ways=added["way"], names=added["doneness"], spreads=added["spread"]) if total else _("Nothing in it is new."),
        )  # fmt: skip
        return redirect("book", kitchen=request.kitchen.public_id)
    return render(request, "book/import.html", context)
