"""The page of a simulated kitchen where something is let go wrong, so that one sees what Line makes of it."""

from __future__ import annotations

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from ember_core.errors import InputError
from ember_web.line.actions.set_fault import SetFault, set_fault, sources
from ember_web.line.models import SimulatedFault
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.voice import current


@in_kitchen(read="chef", write="chef")
@require_http_methods(["GET", "HEAD", "POST"])
def page(request: KitchenRequest) -> HttpResponse:
    """Devices and probes, each with what can go wrong and what does."""
    kitchen = request.kitchen
    if not kitchen.simulated:
        raise Http404
    if request.method == "POST":
        name, kind = (request.POST.get(k, "")[:40].replace("\x00", "") for k in ("name", "kind"))
        try:
            set_fault(Actor.of_request(request), SetFault(name, kind, bool(request.POST.get("on"))))
        except InputError as error:
            messages.error(request, current().say(error.message))
        return redirect("line-simulation", kitchen=kitchen.public_id)
    wrong = set(SimulatedFault.objects.filter(kitchen=kitchen).values_list("name", "kind"))
    rows = [
        {
            "name": name,
            "label": label,
            "faults": [{"kind": k, "words": words, "on": (name, k) in wrong} for k, words in faults.items()],
        }
        for name, label, faults in sources(kitchen)
    ]
    return render(request, "line/simulation.html", {"sources": rows})
