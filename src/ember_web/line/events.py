"""Ids of events: made by clients, each used once."""

from __future__ import annotations

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.line.models import Event

EVENT_KEY = Event._meta.db_table + "_pkey"  # the constraint that a second use breaks


def id_taken(path: str) -> InputError:
    """The refusal of an id that another event has, under the name its sender gave it."""
    return InputError(say("This id is another event's; send it with a new one."), path=path, code="id-taken")
