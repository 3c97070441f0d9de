"""Which kitchen a command means, and what is wrong in plain English."""

from __future__ import annotations

from django.core.exceptions import ValidationError
from django.core.management.base import CommandError

from ember_core.wording.message import Speaker
from ember_web.tenancy.models import Kitchen


def kitchen_named(text: str, *, of: str = "") -> Kitchen:
    """The kitchen with this address or name; without one the only one there is, or the only one that person ``of`` works in.

    Raises
    ------
    CommandError
        None, or several.
    """
    found = Kitchen.objects.order_by("name")
    if text:
        found = found.filter(public_id=text) or found.filter(name__iexact=text)
    elif of:
        found = found.filter(memberships__user__username=of)
    kitchens = list(found)
    if len(kitchens) == 1:
        return kitchens[0]
    there = ", ".join(k.public_id for k in (kitchens or Kitchen.objects.order_by("name")))
    if not kitchens and of and not text:
        raise CommandError(f"Nobody called {of!r} works in any kitchen here: ./ember person list")
    raise CommandError(
        f"Say which kitchen with --kitchen, one of: {there or 'there is none yet; ./ember manage create_kitchen'}"
    )


def plain(error: Exception) -> str:
    """The message of an error, in English and SI."""
    if isinstance(error, ValidationError):
        return " ".join(error.messages)
    return Speaker().say(getattr(error, "message", str(error)))
