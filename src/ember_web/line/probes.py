"""Probes and hubs of a kitchen, as its chef names and admits them; shown on the Kitchen page."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from ember_core.errors import InputError
from ember_web.kitchens.public import refused
from ember_web.line.actions.add_probe import AddProbe, add_probe
from ember_web.line.actions.issue_hub_token import issue_hub_token
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import tell


@in_kitchen(write="chef")
@require_POST
def probe(request: KitchenRequest) -> HttpResponse:
    """Add a probe, name it, take it away."""
    name, label = (request.POST.get(k, "").replace("\x00", "") for k in ("name", "label"))
    gone = bool(request.POST.get("gone"))
    try:
        found = add_probe(Actor.of_request(request), AddProbe(name, label, gone))
    except InputError as error:
        return refused(request, "probe", error)
    words = tell("Deleted: {name}", name=str(found)) if gone else tell("Saved: {name}", name=str(found))
    messages.success(request, words)
    return redirect("kitchen-page", kitchen=request.kitchen.public_id)


@in_kitchen(write="chef")
@require_POST
def hub(request: KitchenRequest) -> HttpResponse:
    """Make a token for a probe hub; it is shown once, and what other hubs had ends when that is asked for."""
    instead = bool(request.POST.get("instead"))
    token = issue_hub_token(Actor.of_request(request), "hub", instead=instead)
    messages.success(
        request, tell("For the hub, shown this once: {token}. It signs in with it as a bearer token.", token=token)
    )
    return redirect("kitchen-page", kitchen=request.kitchen.public_id)
