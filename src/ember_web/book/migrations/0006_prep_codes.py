"""Own cuts: what dries the surface and what holds a piece together have keys of their own; they were found by their words before."""

from __future__ import annotations

import re
from typing import Any

from django.db import migrations

TIED, SKEWERED = re.compile(r"\btied?\b", re.IGNORECASE), re.compile(r"\bskewer", re.IGNORECASE)


def with_codes(body: dict[str, Any]) -> dict[str, Any]:
    """The row of a cut with its preparation told apart."""
    steps = body.get("prep", [])
    drying = [s for s in steps if "dry" in s]
    text = " ".join(steps)
    bind = [code for code, word in (("string", TIED), ("skewers", SKEWERED)) if word.search(text)]
    out = {**body, "prep": [s for s in steps if s not in drying]}
    return out | ({"drying": drying} if drying else {}) | ({"bind": bind} if bind else {})


def forwards(apps: Any, schema_editor: Any) -> None:
    """Every version of every own cut."""
    rows = apps.get_model("book", "BookRow")
    for row in rows.objects.filter(kind="cut", body__has_key="prep").iterator():
        row.body = with_codes(row.body)
        row.save(update_fields=["body"])


def backwards(apps: Any, schema_editor: Any) -> None:
    """All in one list again."""
    rows = apps.get_model("book", "BookRow")
    for row in rows.objects.filter(kind="cut", body__has_any_keys=["drying", "bind"]).iterator():
        body = dict(row.body)
        body["prep"] = [*body.get("prep", []), *body.pop("drying", [])]
        body.pop("bind", None)
        row.body = body
        row.save(update_fields=["body"])


class Migration(migrations.Migration):
    dependencies = [("book", "0005_kinds")]
    operations = [migrations.RunPython(forwards, backwards)]
