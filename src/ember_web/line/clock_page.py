"""Setting a kitchen's clock from the Kitchen page."""

from __future__ import annotations

from datetime import datetime, timedelta

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.utils.translation import gettext as _
from django.views.decorators.http import require_POST

from ember_core.errors import InputError
from ember_web.kitchens.public import refused
from ember_web.line.actions.set_kitchen_time import SetKitchenTime, set_kitchen_time
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import tell

TIMES = ("%Y-%m-%dT%H:%M", "%Y-%m-%dT%H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%d %H:%M:%S")


@in_kitchen(write="chef")
@require_POST
def set_time(request: KitchenRequest) -> HttpResponse:
    """Set the clock to the machine's, or to a time that is written."""
    kitchen = request.kitchen
    text = request.POST.get("time", "").strip()
    try:
        at = None if request.POST.get("machine") else _moment(text, kitchen)
        set_kitchen_time(Actor.of_request(request), SetKitchenTime(at))
    except InputError as error:
        return refused(request, "clock", error)
    messages.success(request, _("The clock is set."))
    return redirect("kitchen-page", kitchen=kitchen.public_id)


def _moment(text: str, kitchen: Kitchen) -> datetime:
    """A local time as it was written."""
    for form in TIMES:
        try:
            return datetime.strptime(text[:19], form).replace(tzinfo=kitchen.tz)
        except (ValueError, OverflowError):
            continue
    example = (kitchen.local(kitchen.now()) + timedelta(minutes=1)).strftime("%Y-%m-%d %H:%M")
    raise InputError(
        tell("time: can't read it. Write a date and a time, such as {example}.", example=example), path="time"
    )
