"""Change the note of a record."""

from __future__ import annotations

import hashlib

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.logbook.models import Record
from ember_web.tenancy.action import Actor, Rank, action

LONGEST_NOTE = 2000


class NoteChanged(InputError):
    """Somebody else changed the note meanwhile; ``stored`` is theirs."""

    code = "changed"
    stored = ""


def note_version(note: str) -> str:
    """What tells one text of a note from another."""
    return hashlib.sha256(note.encode()).hexdigest()[:16]


@action(Rank.COOK)
def change_note(actor: Actor, record: str, note: str, version: str | None = None) -> Record:
    """Put ``note`` in place of the note of the record with this public id; nothing else of a record changes.

    ``version`` is the :func:`note_version` of the text that was changed; None where nobody looked at one.

    Raises
    ------
    NoteChanged
        The note is another one by now.
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
    if version is not None and version != note_version(found.note) and note != found.note:
        words = say("Somebody else has changed the note. Theirs is shown below yours: combine the two and save again.")
        changed = NoteChanged(words, path="note")
        changed.stored = found.note
        raise changed
    found.note = note
    found.save(update_fields=["note"])
    return found
