"""Times by size: one cut by one way over sizes and targets, computed as a long job and kept."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import urlencode

from django.http import HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils.text import capfirst
from django.utils.translation import gettext
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from ember_core.entry.sentence import Sentence, from_document
from ember_core.errors import EmberError, InputError
from ember_core.planning.times_by_size import by_mass, check_times_table, proposed_sizes, rows_of, times_by_size
from ember_core.wording.message import N_, say
from ember_core.wording.quantities import Units
from ember_web.book.public import book_of
from ember_web.jobs.actions.cancel_long_job import cancel_long_job
from ember_web.jobs.actions.start_long_job import StartLongJob, start_long_job
from ember_web.jobs.long import Report
from ember_web.jobs.models import LongJob
from ember_web.plans.comparing import asked
from ember_web.plans.forms import FIELDS, sentence_of
from ember_web.plans.summaries import STATES
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.action import Actor
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current
from ember_web.ui.downloads import as_cell, csv_reply

KIND = "times-by-size"
LONGEST_TEXT = 200
SHOWN = 8  # tables of the kitchen offered to look at again


def compute_table(kitchen: Kitchen, job: dict[str, Any], report: Report) -> dict[str, Any]:
    """What a worker does: the table of a plan document, sizes and targets."""
    sentence = from_document(job["document"], kitchen.altitude_m, kitchen.air_c, book_of(kitchen))
    cells = times_by_size(sentence, job["sizes"], job["targets"], likely=job["likely"], report=report)
    return {"cells": [cell.as_dict() | {"error": current().say(cell.error)} for cell in cells]}


def numbers_of(text: str, kind: str, units: Units, field: str, label: str) -> list[float]:
    """Numbers as somebody wrote them, spaces or semicolons or commas between them, in SI, each once, the smallest first.

    Raises
    ------
    InputError
        Naming the field and the word that is no number.
    """
    words = text.replace(";", " ").replace(", ", " ").split()
    if len(words) == 1 and words[0].count(",") > 1:
        words = words[0].split(",")
    out = set()
    for word in words:
        try:
            out.add(round(units.read(kind, word.rstrip(",")), 6))
        except ValueError:
            raise InputError(
                say("{label}: {word!r} is no number. Write them with spaces between: {example}.", label=say(label), word=word,
                    example=" ".join(units.number(kind, v) for v in (20.0, 25.0, 30.0))), path=field,
            ) from None  # fmt: skip
    return sorted(out)


@in_kitchen()
@require_http_methods(["GET", "HEAD", "POST"])
def ask(request: KitchenRequest) -> HttpResponse:
    """The form for the sentence in the address; sent, it starts the job and shows it."""
    plan, form, base, book = asked(request)
    saved = LongJob.objects.filter(kitchen=request.kitchen, kind=KIND)[:SHOWN]
    context: dict[str, Any] = {"plan": plan, "form": form, "saved": saved}
    if form.is_valid():
        state = {k: form[k].value() or "" for k in (*FIELDS, "title")}
        context |= {"query": urlencode(state | ({"plan": plan.public_id} if plan else {})), "back": urlencode(state)}
        try:
            sentence = sentence_of(form, request.kitchen, base, book)
            context |= _proposal(sentence)
            if request.method == "POST":
                context["written"] = {k: request.POST.get(k, "")[:LONGEST_TEXT] for k in context["written"]}
                context["likely"] = "likely" in request.POST
                job = _start(request, sentence, context["written"], likely=context["likely"])
                return HttpResponseRedirect(reverse("plan-times-of", args=[request.kitchen.public_id, job.public_id]))
        except InputError as error:
            context["errors"] = {error.path: [current().say(error.message)]}
        except EmberError as error:
            context["error"] = current().say(error.message)
    status = 400 if context.get("errors") or context.get("error") else 200
    return render(request, "plans/times.html", context, status=status)


def _quantity(sentence: Sentence) -> str:
    """What tells the size of a sentence's piece: a length or a mass."""
    return "mass" if by_mass(sentence) else "length"


def _names(sentence: Sentence) -> list[tuple[str, float]]:
    """Doneness names of a sentence's food with their cores, °C; none where it has no food of the table."""
    food = sentence.document()["piece"].get("food")
    return list(sentence.book.doneness_names(food, sentence.cut)) if food else []


def _proposal(sentence: Sentence) -> dict[str, Any]:
    """What the form starts with: sizes around the sentence's, its target, and the names of others."""
    units, kind = current().units, _quantity(sentence)
    return {
        "sentence": sentence,
        "piece": (sentence.book.cut(sentence.cut) or {"name": ""})["name"],
        "way": (sentence.book.way(sentence.way) or {"name": ""})["name"],
        "written": {
            "sizes": " ".join(units.number(kind, s) for s in proposed_sizes(sentence)),
            "targets": units.number("temp", sentence.target_c),
        },
        "size_sign": units.sign(kind),
        "sign": units.sign("temp"),
        "names": [(name, units.number("temp", c)) for name, c in _names(sentence)],
        "likely": True,
    }


def _start(request: KitchenRequest, sentence: Sentence, written: Mapping[str, str], *, likely: bool) -> LongJob:
    units = current().units
    sizes = numbers_of(written["sizes"], _quantity(sentence), units, "sizes", N_("Sizes"))
    targets = numbers_of(written["targets"], "temp", units, "targets", N_("Targets"))
    check_times_table(sentence, sizes, targets)
    cut, way = sentence.book.cut(sentence.cut), sentence.book.way(sentence.way)
    title = " · ".join(capfirst(gettext(row["name"])) for row in (cut, way) if row is not None)
    question = {"document": sentence.document(), "sizes": sizes, "targets": targets, "likely": likely}
    return start_long_job(Actor.of_request(request), StartLongJob(KIND, title, question))


def _job(request: KitchenRequest, job: str) -> LongJob:
    return get_object_or_404(LongJob, kitchen=request.kitchen, kind=KIND, public_id=job)


def _table(job: LongJob, kitchen: Kitchen) -> dict[str, Any]:
    """What the page shows of a table that is done."""
    sentence = from_document(job.asked["document"], kitchen.altitude_m, kitchen.air_c, book_of(kitchen))
    names = {round(c, 2): name for name, c in _names(sentence)}
    return {
        "rows": list(
            rows_of([c | {"words": STATES.get(c["state"], "")} for c in (job.result or {"cells": []})["cells"]])
        ),
        "targets": [(t, names.get(round(t, 2), "")) for t in job.asked["targets"]],
        "mass": by_mass(sentence),
        "start_c": sentence.start_c,
        "sentence": sentence,
    }


@in_kitchen()
@require_safe
def show(request: KitchenRequest, job: str) -> HttpResponse:
    """Its progress, and the table once it is there."""
    table = _job(request, job)
    context: dict[str, Any] = {"job": table, **_table(table, request.kitchen)}
    part = bool(getattr(request, "htmx", None))
    return render(request, "plans/_times.html" if part else "plans/times_of.html", context)


@in_kitchen()
@require_POST
def cancel(request: KitchenRequest, job: str) -> HttpResponse:
    """End it."""
    cancel_long_job(Actor.of_request(request), _job(request, job).public_id)
    return HttpResponseRedirect(reverse("plan-times-of", args=[request.kitchen.public_id, job]))


HEADINGS = ("target_c", "heat_min", "earliest_min", "latest_min", "pull_core_c", "total_min", "verdict", "error")


@in_kitchen()
@require_safe
def as_csv(request: KitchenRequest, job: str) -> HttpResponse:
    """The table as a file: °C, mm or g, minutes."""
    table = _job(request, job)
    size = "size_g" if _table(table, request.kitchen)["mass"] else "size_mm"
    cells = (table.result or {"cells": []})["cells"]
    return csv_reply(f"times-{table.public_id}.csv", [[size, *HEADINGS], *map(_line, cells)])


def _line(cell: Mapping[str, Any]) -> list[Any]:
    def minutes(name: str) -> Any:
        return "" if cell[name] is None else round(cell[name] / 60.0, 2)

    core = "" if cell["pull_core_c"] is None else round(cell["pull_core_c"], 1)
    times = [minutes("heat_s"), minutes("earliest_s"), minutes("latest_s"), core, minutes("total_s")]
    return [cell["size"], cell["target_c"], *times, cell["state"], as_cell(cell["error"])]
