"""Change the note of a record."""

from __future__ import annotations

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.logbook.models import Record
from ember_web.tenancy.action import Actor, Rank, action

LONGEST_NOTE = 2000


@action(Rank.COOK)
def change_note(actor: Actor, record: str, note: str) -> Record:
    """Put ``note`` in place of the note of the record with this public id; nothing else of a record changes.

    Raises
    ------
    InputError
        A record that is not this kitchen's, or a note that is too long.
    """
    if len(note) > LONGEST_NOTE:
        message = say(
            "The note has {many} characters; shorten it to {LONGEST_NOTE:,}.", many=len(note), LONGEST_NOTE=LONGEST_NOTE
        )
        raise InputError(message, path="note", code="too-long")
    found = Record.objects.select_for_update().filter(kitchen=actor.kitchen, public_id=record).first()
    if found is None:
        raise InputError(say("No such record in this kitchen."), path="record", code="missing")
    found.note = note
    found.save(update_fields=["note"])
    return found
