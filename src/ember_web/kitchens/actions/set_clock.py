"""Let a simulated kitchen's clock run faster, or at its real pace."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.utils.translation import gettext as _

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import CLOCK_FIELDS, Kitchen

RATES = (1, 10, 60)


@action(Rank.CHEF)
def set_clock(actor: Actor, rate: int) -> Kitchen:
    """Run it at ``rate``, one of :data:`RATES`, from this moment on, without a jump.

    Raises
    ------
    PermissionDenied
        The kitchen is a real one: its clock is the real one.
    InputError
        Another rate.
    """
    kitchen = actor.kitchen
    if not kitchen.simulated:
        raise PermissionDenied(_("Only a simulated kitchen's clock may run fast."))
    if rate not in RATES:
        raise InputError(
            say("The clock's rate must be one of {choices}.", choices=", ".join(map(str, RATES))),
            path="rate",
            code="choice",
        )
    kitchen.anchor(kitchen.now(), rate=float(rate))
    kitchen.save(update_fields=CLOCK_FIELDS)
    return kitchen
