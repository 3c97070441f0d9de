"""Files that a page gives away."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Sequence
from typing import Any

from django.http import HttpResponse

FORMULA = tuple("=+-@\t\r|%")  # what a spreadsheet may take for the beginning of one


def as_cell(text: str) -> str:
    """A text that a spreadsheet shows and never computes, whoever wrote it."""
    return f"'{text}" if text.lstrip()[:1] in FORMULA else text


def csv_reply(name: str, rows: Iterable[Sequence[Any]]) -> HttpResponse:
    """Rows as a CSV file of that name; texts of others go through :func:`as_cell` first."""
    reply = HttpResponse(content_type="text/csv; charset=utf-8")
    reply["Content-Disposition"] = f'attachment; filename="{name}"'
    csv.writer(reply, lineterminator="\n").writerows(rows)
    return reply
