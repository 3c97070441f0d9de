"""Composite foreign keys: a row can only refer to rows of its own kitchen."""

from django.db import migrations

PAIRS = (
    ("line_event", "cook_id", "line_cook"),
    ("line_reading", "probe_id", "line_probe"),
    ("line_cook", "plan_id", "plans_plan"),
    ("line_cook", "probe_id", "line_probe"),
    ("logbook_record", "cook_id", "line_cook"),
)


def name(table: str, column: str) -> str:
    """Constraint name."""
    return f"{table}_{column}_same_kitchen"


class Migration(migrations.Migration):
    """Lies in the last app of the chain, because it needs all the tables."""

    dependencies = [("logbook", "0001_initial"), ("line", "0001_initial"), ("plans", "0001_initial")]
    operations = [
        migrations.RunSQL(
            f"ALTER TABLE {table} ADD CONSTRAINT {name(table, column)} FOREIGN KEY (kitchen_id, {column})"
            f" REFERENCES {target} (kitchen_id, id) DEFERRABLE INITIALLY DEFERRED",
            f"ALTER TABLE {table} DROP CONSTRAINT {name(table, column)}",
        )
        for table, column, target in PAIRS
    ]
