"""What the log does when it hears of something."""

from __future__ import annotations

from typing import Any

from ember_web.line.models import Cook
from ember_web.logbook.actions.write_record import write_record
from ember_web.tenancy.actor import Actor


def on_finished(sender: Any, *, actor: Actor, cook: Cook, **_: Any) -> None:
    """Write the record, in the transaction of the event that finished the cook."""
    write_record(actor, cook)
