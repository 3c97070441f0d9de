"""What the actions on a kitchen's people have in common."""

from __future__ import annotations

from datetime import timedelta

from axes.models import AccessAttempt
from django.conf import settings
from django.utils import timezone

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.names import look_of
from ember_web.tenancy.models import Kitchen, Membership


def member_of(kitchen: Kitchen, username: str) -> Membership:
    """The membership of a person in a kitchen.

    Raises
    ------
    InputError
        Nobody of that name is a member.
    """
    found = Membership.objects.select_related("user").filter(kitchen=kitchen, user__username=username).first()
    if found is None:
        raise InputError(say("There is no {name!r} here; choose one from the list.", name=username), path="username")
    return found


def ensure_chef_left(membership: Membership) -> None:
    """Refuse to take the last chef from a kitchen.

    Raises
    ------
    InputError
    """
    chefs = Membership.objects.filter(kitchen=membership.kitchen_id, role=Membership.Role.CHEF)
    if membership.role == Membership.Role.CHEF and not chefs.exclude(pk=membership.pk).exists():
        words = say("{name} is the only chef here. Make somebody else a chef first.", name=membership.user.username)
        raise InputError(words, path="role", code="last-chef")


def ensure_name_stands_out(kitchen: Kitchen, username: str) -> None:
    """Refuse a new name that looks like a member's: a trail would not tell them apart.

    Raises
    ------
    InputError
    """
    look = look_of(username)
    if not look:
        raise InputError(say("name: write at least one letter or digit."), path="username")
    names = Membership.objects.filter(kitchen=kitchen).exclude(user__username=username)
    for (known,) in names.values_list("user__username"):
        if look_of(known) == look:
            words = say(
                "{name} looks like {known}, who works here already; choose another name.", name=username, known=known
            )
            raise InputError(words, path="username", code="looks-alike")


def locked_names(names: list[str]) -> set[str]:
    """Those of some names that are locked by wrong guesses now."""
    since = timezone.now() - timedelta(hours=settings.AXES_COOLOFF_TIME)
    found = AccessAttempt.objects.filter(
        username__in=names, attempt_time__gte=since, failures_since_start__gte=settings.AXES_FAILURE_LIMIT
    )
    return set(found.values_list("username", flat=True))
