"""Kitchens from the machine's command line: list them, see and set a clock."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from ember_core.errors import InputError
from ember_web.line.actions.set_kitchen_time import SetKitchenTime, set_kitchen_time
from ember_web.line.public import clock_state
from ember_web.machine.kitchens import kitchen_named, plain
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen


class Command(BaseCommand):
    """Goes through the same actions as the pages, also while the application runs."""

    help = "List kitchens; see a kitchen's clock, or set it."

    def add_arguments(self, parser: CommandParser) -> None:
        """One word says what to do."""
        doing = parser.add_subparsers(dest="do", required=True)
        doing.add_parser("list", help="their addresses and names")
        clock = doing.add_parser(
            "clock", help="how its clock stands against the machine's; with --machine or --at, set it"
        )
        clock.add_argument(
            "--kitchen", default="", help="its address (the part after /k/) or name, where there are several"
        )
        clock.add_argument("--machine", action="store_true", help="set it to the machine's, from now on")
        clock.add_argument("--at", default="", help="set it to this local time, such as '2026-12-05 19:40'")

    def handle(self, *args: Any, **options: Any) -> None:
        """Do it."""
        if options["do"] == "list":
            for kitchen in Kitchen.objects.order_by("name"):
                self.stdout.write(f"{kitchen.public_id}  {kitchen.name}  {kitchen.zone}")
            return
        kitchen = kitchen_named(options["kitchen"])
        if options["machine"] or options["at"]:
            try:
                at = None if options["machine"] else datetime.fromisoformat(options["at"])
            except ValueError:
                raise CommandError(f"Can't read {options['at']!r}. Try: --at '2026-12-05 19:40'") from None
            if at is not None and at.tzinfo is None:
                at = at.replace(tzinfo=kitchen.tz)
            try:
                set_kitchen_time(Actor.setup(kitchen), SetKitchenTime(at))
            except InputError as error:
                raise CommandError(plain(error)) from None
        state = clock_state(kitchen)
        self.stdout.write(f"{kitchen.name}: {kitchen.local(kitchen.now()):%Y-%m-%d %H:%M:%S} ({kitchen.zone})")
        self.stdout.write(
            f"ahead of the machine's clock by {state.ahead_s:.0f} s" + (", set by hand" if state.by_hand else "")
        )
        if state.cooking:
            self.stdout.write("cooking by it: " + ", ".join(state.cooking))
