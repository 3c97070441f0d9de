"""Bring the database and the static files up to date; with --demo also the demo kitchen."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import psycopg
from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser

from ember_web.kitchens.demo import seed


class Command(BaseCommand):
    """Idempotent: run at every start."""

    help = "Create the database if needed, migrate, collect static files, and seed the demo."
    requires_system_checks: list[str] = []  # the database may not be there yet

    def add_arguments(self, parser: CommandParser) -> None:
        """--demo and where to put the demo hub's token."""
        parser.add_argument("--demo", action="store_true")
        parser.add_argument("--hub-token-file")

    def handle(self, *args: Any, **options: Any) -> None:
        """Do it."""
        db = settings.DATABASES["default"]
        with psycopg.connect(
            host=db["HOST"],
            port=db["PORT"],
            user=db["USER"],
            password=db["PASSWORD"],
            dbname="postgres",
            autocommit=True,
        ) as link:
            if not link.execute("SELECT 1 FROM pg_database WHERE datname = %s", [db["NAME"]]).fetchone():
                link.execute(psycopg.sql.SQL("CREATE DATABASE {}").format(psycopg.sql.Identifier(db["NAME"])))
        call_command("migrate", verbosity=0, interactive=False)
        call_command("collectstatic", verbosity=0, interactive=False, clear=False)
        if options["demo"]:
            token = seed()
            path = Path(options["hub_token_file"]) if options["hub_token_file"] else None
            if path is not None and (token is not None or not path.exists()):
                path.touch(mode=0o600)
                path.write_text(token or seed(renew_token=True) or "", encoding="utf-8")
