"""Create a kitchen with its first chef; the password is read from the terminal or EMBER_PASSWORD."""

from __future__ import annotations

import os
from getpass import getpass
from typing import Any

from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from ember_web.kitchens.actions.admit_member import AdmitMember, admit_member
from ember_web.kitchens.actions.open_kitchen import OpenKitchen, open_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import User


class Command(BaseCommand):
    """For a fresh installation."""

    help = "Create a kitchen and its first chef."

    def add_arguments(self, parser: CommandParser) -> None:
        """Name, chef's sign-in name, place."""
        parser.add_argument("name")
        parser.add_argument("chef")
        parser.add_argument("--altitude", type=float, default=0.0, help="m")
        parser.add_argument("--air", type=float, default=22.0, help="°C")
        parser.add_argument("--zone", default="UTC", help="IANA time zone")

    @transaction.atomic
    def handle(self, *args: Any, **options: Any) -> None:
        """Create both or neither."""
        password = os.environ.get("EMBER_PASSWORD") or getpass("Password for the chef: ")
        place = OpenKitchen(options["name"], options["altitude"], options["air"], options["zone"])
        if User.objects.filter(username=options["chef"]).exists():
            raise CommandError(f"Not created: there is a person called {options['chef']!r}; choose another name.")
        try:
            kitchen = open_kitchen(Actor.machine(), place)
            membership = admit_member(Actor.setup(kitchen), AdmitMember(options["chef"], "chef", password))
        except (ValidationError, KeyError, ValueError) as error:
            raise CommandError(f"Not created: {error}") from None
        user = membership.user
        self.stdout.write(f"Kitchen {kitchen.name} at /k/{kitchen.public_id}/, chef {user.username}")
