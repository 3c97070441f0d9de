"""A kitchen full of pieces with probes, for ``./ember load``; only on a database made for it."""

from __future__ import annotations

import secrets
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence
from ember_core.line.fold import MOVE
from ember_web.kitchens.models import Kitchen, Membership, User
from ember_web.line.models import Event, HubToken, Probe
from ember_web.line.services import start_cook
from ember_web.plans.services import save_plan

SLUG = "load-kitchen"


class Command(BaseCommand):
    """Pieces of all cuts with the pull as their next move, so that every reading is learned from."""

    help = "Make a kitchen with many running cooks and people; prints nothing, writes the hub's token."

    def add_arguments(self, parser: CommandParser) -> None:
        """How many pieces and people, and where the token goes."""
        parser.add_argument("--pieces", type=int, required=True)
        parser.add_argument("--people", type=int, required=True)
        parser.add_argument("--token-file", type=Path, required=True)
        parser.add_argument("--password", required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        """Make it."""
        kitchen = Kitchen.objects.create(public_id=SLUG, name="Load", altitude_m=300, simulated=True)
        for i in range(options["people"]):
            user = User(username=f"load-{i}")
            user.set_password(options["password"])
            user.save()
            Membership.objects.create(user=user, kitchen=kitchen, role="cook")
        names = sorted(shipped().cuts)
        for i in range(options["pieces"]):
            probe = Probe.objects.create(kitchen=kitchen, name=f"q{i}")
            sentence = Sentence.for_cut(names[i % len(names)], altitude_m=300.0)
            document = sentence.document()
            document["piece"]["start_c"] = round(document["piece"]["start_c"] + 0.05 * (i // len(names)), 3)
            cook = start_cook(
                kitchen, user, save_plan(kitchen, user, document), station=f"Station {i % 5}", probe=probe
            )
            for at, move in enumerate(cook.moves[1:], start=1):
                if move["verb"] == "Pull":
                    break
                Event.objects.create(
                    kitchen=kitchen,
                    cook=cook,
                    kind=MOVE,
                    payload={"move": move["id"]},
                    occurred_at=cook.created_at,
                    device=str(at),
                )
        token = secrets.token_urlsafe(32)
        HubToken.objects.create(kitchen=kitchen, name="load", digest=HubToken.digest_of(token))
        options["token_file"].touch(mode=0o600)
        options["token_file"].write_text(token, encoding="utf-8")
