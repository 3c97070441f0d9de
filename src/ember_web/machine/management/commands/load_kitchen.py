"""A kitchen full of pieces with probes, for ``./ember load``; only on a database made for it."""

from __future__ import annotations

import uuid
from datetime import timedelta
from itertools import takewhile
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence
from ember_core.line.fold import MOVE
from ember_core.planning.moves import MoveKind
from ember_web.kitchens.actions.admit_member import AdmitMember, admit_member
from ember_web.kitchens.actions.open_kitchen import OpenKitchen, open_kitchen
from ember_web.line.actions.add_probe import AddProbe, add_probe
from ember_web.line.actions.issue_hub_token import issue_hub_token
from ember_web.line.actions.start_cook import StartCook, start_cook
from ember_web.line.actions.take_events import take_events
from ember_web.plans.actions.save_plan import SavePlan, save_plan
from ember_web.tenancy.actor import Actor

SLUG = "load-kitchen"
LONG_AGO = timedelta(hours=30)  # longer than any cut of the book cooks


class Command(BaseCommand):
    """Pieces of all cuts with the pull as their next move, so that every reading is learned from."""

    help = "Make a kitchen with many running cooks and people; prints nothing, writes the hub's token."

    def add_arguments(self, parser: CommandParser) -> None:
        """How many pieces and people, and where the token goes."""
        parser.add_argument("--pieces", type=int, required=True)
        parser.add_argument("--overdue", type=int, default=0, help="so many of them have their pull long behind them")
        parser.add_argument("--people", type=int, required=True)
        parser.add_argument("--token-file", type=Path, required=True)
        parser.add_argument("--password", required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        """Make it."""
        kitchen = open_kitchen(Actor.machine(), OpenKitchen("Load", 300.0, simulated=True, public_id=SLUG))
        setup = Actor.setup(kitchen)
        for i in range(options["people"]):
            admit_member(setup, AdmitMember(f"load-{i}", "cook", options["password"], checked=False))
        names = sorted(shipped().cuts)
        now = kitchen.now()
        for i in range(options["pieces"]):
            # the first of them were laid in long ago, by the kitchen's clock
            kitchen.anchor(now - LONG_AGO if i < options["overdue"] else now)
            probe = add_probe(setup, AddProbe(f"q{i}"))
            document = Sentence.for_cut(names[i % len(names)], altitude_m=300.0).document()
            document["piece"]["start_c"] = round(document["piece"]["start_c"] + 0.05 * (i // len(names)), 3)
            plan = save_plan(setup, SavePlan(document))
            cook = start_cook(setup, StartCook(plan.public_id, f"Station {i % 5}", probe.name))
            moves = [m["id"] for m in takewhile(lambda m: m["kind"] != MoveKind.PULL, cook.moves[1:])]
            at = cook.created_at.timestamp() * 1000
            marks = [
                {"id": str(uuid.uuid4()), "cook": cook.public_id, "kind": MOVE, "move": m, "occurred_at": at}
                for m in moves
            ]
            take_events(setup, marks)
        token = issue_hub_token(setup, "load")
        options["token_file"].touch(mode=0o600)
        options["token_file"].write_text(token, encoding="utf-8")
