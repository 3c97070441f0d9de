"""Moves of records get their kind, as those of cooks."""

from importlib import import_module
from typing import Any

from django.db import migrations

with_kinds = import_module("ember_web.line.migrations.0003_move_kinds").with_kinds


def add_kinds(apps: Any, schema_editor: Any) -> None:
    """In place; everything else of a record stays as it was."""
    alias = schema_editor.connection.alias
    for record in apps.get_model("logbook", "Record").objects.using(alias).all().iterator():
        record.document["moves"] = with_kinds(record.document["moves"])
        record.save(update_fields=["document"])


class Migration(migrations.Migration):
    dependencies = [("logbook", "0003_same_kitchen_state"), ("line", "0003_move_kinds")]
    operations = [migrations.RunPython(add_kinds, migrations.RunPython.noop)]
