"""Bring the database and the static files up to date; with --demo also the demo kitchen."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import psycopg
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from psycopg.sql import SQL, Identifier, Literal

from ember_web.demo.scenario import seed


def make_database(admin: str, password_file: Path) -> None:
    """The application's role and its database, made by the cluster's superuser; what an older version owned is handed over.

    The role is no superuser and may create nothing outside its own database. Tests may let it create databases.
    """
    db: dict[str, Any] = settings.DATABASES["default"]
    role, name = Identifier(db["USER"]), Identifier(db["NAME"])
    where: dict[str, Any] = {
        "host": db["HOST"],
        "port": db["PORT"],
        "user": admin,
        "password": password_file.read_text().strip(),
    }
    with psycopg.connect(**where, dbname="postgres", autocommit=True) as link:
        link.execute(
            "SELECT pg_advisory_lock(%s)", [ONE_AT_A_TIME]
        )  # of several that start; given back with the connection
        known = link.execute("SELECT 1 FROM pg_roles WHERE rolname = %s", [db["USER"]]).fetchone()
        if not known:
            rights = SQL("CREATEDB" if settings.TEST else "NOCREATEDB")
            link.execute(SQL("CREATE ROLE {} NOSUPERUSER NOCREATEROLE NOREPLICATION {}").format(role, rights))
        link.execute(SQL("ALTER ROLE {} LOGIN NOSUPERUSER PASSWORD {}").format(role, Literal(db["PASSWORD"])))
        if link.execute("SELECT 1 FROM pg_database WHERE datname = %s", [db["NAME"]]).fetchone():
            link.execute(SQL("ALTER DATABASE {} OWNER TO {}").format(name, role))
        else:
            link.execute(SQL("CREATE DATABASE {} OWNER {}").format(name, role))
        link.execute(SQL("REVOKE ALL ON DATABASE {} FROM PUBLIC").format(name))
    with psycopg.connect(**where, dbname=db["NAME"], autocommit=True) as link:
        link.execute(SQL("ALTER SCHEMA public OWNER TO {}").format(role))
        others = link.execute(
            "SELECT c.relkind, c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace"
            " WHERE n.nspname = 'public' AND c.relkind IN ('r', 'S', 'v') AND c.relowner <> %s::regrole::oid"
            " ORDER BY c.relkind = 'S'",
            [db["USER"]],
        ).fetchall()
        for kind, table in others:
            if kind == "S" and link.execute(OWNED_SEQUENCE, [table]).fetchone():
                continue  # it follows its table
            word = {"r": "TABLE", "S": "SEQUENCE", "v": "VIEW"}[kind]
            link.execute(SQL("ALTER {} public.{} OWNER TO {}").format(SQL(word), Identifier(table), role))


ONE_AT_A_TIME = 0x0E4BE6  # any number: the key of the lock
OWNED_SEQUENCE = (
    "SELECT 1 FROM pg_depend WHERE objid = ('public.' || quote_ident(%s))::regclass AND deptype IN ('a', 'i')"
)


class Command(BaseCommand):
    """Idempotent: run at every start."""

    help = "Create the database if needed, migrate, collect static files, and seed the demo."
    requires_system_checks: list[str] = []  # the database may not be there yet

    def add_arguments(self, parser: CommandParser) -> None:
        """--demo and where to put the demo hub's token."""
        parser.add_argument("--demo", action="store_true")
        parser.add_argument("--database-only", action="store_true", help="make the role and the database, and stop")
        parser.add_argument("--hub-token-file")

    def handle(self, *args: Any, **options: Any) -> None:
        """Do it."""
        if os.environ.get("EMBER_DB_ADMIN"):
            make_database(os.environ["EMBER_DB_ADMIN"], Path(os.environ["EMBER_DB_ADMIN_PASSWORD_FILE"]))
        if options["database_only"]:
            return
        call_command("migrate", verbosity=0, interactive=False)
        # what the htmx package brings is not used, and imports what is not there
        call_command("collectstatic", verbosity=0, interactive=False, clear=False, ignore_patterns=["django_htmx"])
        if options["demo"]:
            token = seed()
            path = Path(options["hub_token_file"]) if options["hub_token_file"] else None
            if path is not None and (token is not None or not path.exists()):
                path.touch(mode=0o600)
                path.write_text(token or seed(renew_token=True) or "", encoding="utf-8")
