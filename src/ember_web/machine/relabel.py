"""Databases of earlier versions, in which two applications had each other's names: their tables are renamed before they are migrated."""

from __future__ import annotations

from django.db import transaction
from django.db.backends.base.base import BaseDatabaseWrapper

RENAMED = (("kitchens", "tenancy"), ("kitchen_place", "kitchens"))
"""The label that an application had, and the one it has; the first must be free before the second is taken."""


def relabel(connection: BaseDatabaseWrapper) -> bool:
    """Rename tables and sequences, and what Django keeps by label; all of it or nothing. False where nothing was to do."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT to_regclass('public.kitchens_kitchen') IS NOT NULL")
        (of_before,) = cursor.fetchone()
    if not of_before:
        return False
    with transaction.atomic(using=connection.alias), connection.cursor() as cursor:
        for old, new in RENAMED:
            cursor.execute(
                "SELECT c.relkind, c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace"
                " WHERE n.nspname = 'public' AND c.relkind IN ('r', 'S') AND starts_with(c.relname, %s)",
                [f"{old}_"],
            )
            for kind, name in cursor.fetchall():
                word = "SEQUENCE" if kind in {"S", b"S"} else "TABLE"
                renamed = connection.ops.quote_name(new + name.removeprefix(old))
                cursor.execute(f"ALTER {word} {connection.ops.quote_name(name)} RENAME TO {renamed}")
            cursor.execute("UPDATE django_migrations SET app = %s WHERE app = %s", [new, old])
            cursor.execute("UPDATE django_content_type SET app_label = %s WHERE app_label = %s", [new, old])
    return True
