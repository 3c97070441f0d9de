"""Create a kitchen with its first chef; the password is read from the terminal or EMBER_PASSWORD."""

from __future__ import annotations

import os
from getpass import getpass
from typing import Any

from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction

from ember_web.kitchens.models import Kitchen, Membership, User


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
        kitchen = Kitchen(
            name=options["name"], altitude_m=options["altitude"], air_c=options["air"], zone=options["zone"]
        )
        user = User(username=options["chef"])
        try:
            kitchen.tz  # noqa: B018 - raises for an unknown zone
            kitchen.full_clean()
            user.full_clean(exclude=["password"])
            validate_password(password, user)
        except (ValidationError, KeyError, ValueError) as error:
            raise CommandError(f"Not created: {error}") from None
        kitchen.save()
        user.set_password(password)
        user.save()
        Membership.objects.create(user=user, kitchen=kitchen, role="chef")
        self.stdout.write(f"Kitchen {kitchen.name} at /k/{kitchen.public_id}/, chef {user.username}")
