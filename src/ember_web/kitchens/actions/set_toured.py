"""Note that a person has seen the tour, or wants it again."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.utils.translation import gettext as _

from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import User


@action(Rank.VIEWER, trail=False)
def set_toured(actor: Actor, toured: bool) -> User:
    """Set the actor's own.

    Raises
    ------
    PermissionDenied
        An actor that is no person.
    """
    if actor.user is None:
        raise PermissionDenied(_("Only a person takes a tour."))
    actor.user.toured = toured
    actor.user.save(update_fields=["toured"])
    return actor.user
