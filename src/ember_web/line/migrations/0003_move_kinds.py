"""Moves of cooks that are there get their kind; until now it was read off the verb."""

from typing import Any

from django.db import migrations

KINDS = {"Pull": "pull", "Serve": "serve", "Label and store": "store", "Turn": "turn", "Turn and baste": "turn"}


def with_kinds(moves: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The moves, each with its kind."""
    return [{**m, "kind": m.get("kind") or KINDS.get(m["verb"], "next" if i else "begin")} for i, m in enumerate(moves)]


def add_kinds(apps: Any, schema_editor: Any) -> None:
    """In place; everything else of a cook stays as it was."""
    alias = schema_editor.connection.alias
    for cook in apps.get_model("line", "Cook").objects.using(alias).all().iterator():
        cook.moves = with_kinds(cook.moves)
        cook.save(update_fields=["moves"])


class Migration(migrations.Migration):
    dependencies = [("line", "0002_kept")]
    operations = [migrations.RunPython(add_kinds, migrations.RunPython.noop)]
