"""People of the kitchens from the machine's command line: list, admit, link, unlock, remove, trail."""

from __future__ import annotations

import os
from getpass import getpass
from typing import Any

from django.core.exceptions import ValidationError
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.urls import reverse

from ember_core.errors import InputError
from ember_core.wording.message import Message
from ember_web.kitchens.actions.admit_member import AdmitMember, admit_member
from ember_web.kitchens.actions.issue_password_link import issue_password_link
from ember_web.kitchens.actions.remove_member import remove_member
from ember_web.kitchens.actions.unlock_member import unlock_member
from ember_web.kitchens.public import ACTION_WORDS, locked_names
from ember_web.machine.kitchens import kitchen_named, plain
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen, Membership, Trail


class Command(BaseCommand):
    """Goes through the same actions as the pages, also while the application runs."""

    help = "List, admit, link, unlock or remove people, and see the trail."

    def add_arguments(self, parser: CommandParser) -> None:
        """One word says what to do."""
        doing = parser.add_subparsers(dest="do", required=True)
        doing.add_parser("list", help="who works where")
        admit = doing.add_parser(
            "admit", help="admit somebody, or change their role; asks for the password of somebody new"
        )
        admit.add_argument("name")
        admit.add_argument("role", choices=Membership.Role.values)
        for word, help_text in (
            ("link", "print a link to a new password: once, for 24 hours"),
            ("unlock", "forget wrong passwords"),
            ("remove", "end the membership; what they did keeps their name"),
        ):
            one = doing.add_parser(word, help=help_text)
            one.add_argument("name")
        trail = doing.add_parser("trail", help="who changed what, newest first")
        trail.add_argument("--most", type=int, default=50)
        for one in doing.choices.values():
            one.add_argument(
                "--kitchen", default="", help="its address (the part after /k/) or name, where there are several"
            )

    def handle(self, *args: Any, **options: Any) -> None:
        """Do it."""
        try:
            getattr(self, f"_{options['do']}")(options)
        except (InputError, ValidationError) as error:
            raise CommandError(plain(error)) from None

    def _list(self, options: dict[str, Any]) -> None:
        found = Membership.objects.select_related("user", "kitchen").order_by("kitchen__name", "user__username")
        if options["kitchen"]:
            found = found.filter(kitchen=kitchen_named(options["kitchen"]))
        locked = locked_names([m.user.username for m in found])
        for m in found:
            more = "  locked by wrong passwords" if m.user.username in locked else ""
            self.stdout.write(f"{m.kitchen.public_id}  {m.user.username}  {m.role}{more}")

    def _actor(self, options: dict[str, Any]) -> Actor:
        return Actor.setup(self._kitchen(options))

    def _kitchen(self, options: dict[str, Any]) -> Kitchen:
        return kitchen_named(options["kitchen"], of=options.get("name", ""))

    def _admit(self, options: dict[str, Any]) -> None:
        actor = Actor.setup(kitchen_named(options["kitchen"]))
        known = Membership.objects.filter(user__username=options["name"]).exists()
        password = "" if known else os.environ.get("EMBER_PASSWORD") or getpass(f"Password for {options['name']}: ")
        admit_member(actor, AdmitMember(options["name"], options["role"], password))
        self.stdout.write(f"{options['name']} is {options['role']} in {actor.kitchen.name}")

    def _link(self, options: dict[str, Any]) -> None:
        token = issue_password_link(self._actor(options), options["name"])
        self.stdout.write(os.environ.get("EMBER_ADDRESS", "") + reverse("password-link", args=[token]))

    def _unlock(self, options: dict[str, Any]) -> None:
        unlock_member(self._actor(options), options["name"])
        self.stdout.write(f"{options['name']} can sign in again")

    def _remove(self, options: dict[str, Any]) -> None:
        actor = self._actor(options)
        remove_member(actor, options["name"])
        self.stdout.write(f"{options['name']} is no member of {actor.kitchen.name} any more")

    def _trail(self, options: dict[str, Any]) -> None:
        kitchen = kitchen_named(options["kitchen"])
        for row in Trail.objects.filter(kitchen=kitchen).select_related("actor")[: max(options["most"], 0)]:
            who = row.actor.username if row.actor else row.kind
            words: str | Message = ACTION_WORDS.get(row.action, row.action)
            self.stdout.write(f"{row.at:%Y-%m-%d %H:%M:%S}Z  {who}  {words}  {row.subject}")
