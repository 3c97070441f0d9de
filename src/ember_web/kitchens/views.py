"""Home, health and the kitchen's clock."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from ember_web.kitchens.access import KitchenRequest, in_kitchen
from ember_web.kitchens.health import unable
from ember_web.kitchens.models import Kitchen

RATES = (1, 10, 60)


@require_GET
def healthz(request: HttpRequest) -> HttpResponse:
    """Whether the application is alive; asks nothing of the database."""
    return HttpResponse("ok\n", content_type="text/plain")


@require_GET
def readyz(request: HttpRequest) -> HttpResponse:
    """Whether it is able to store what a kitchen marks: 503 with the reasons when it is not."""
    faults = unable()
    return JsonResponse({"able": not faults, "faults": faults}, status=503 if faults else 200)


@login_required
@require_GET
def home(request: HttpRequest) -> HttpResponse:
    """Straight to the only kitchen, or a choice."""
    kitchens = list(Kitchen.objects.filter(memberships__user=request.user).order_by("name"))
    if len(kitchens) == 1:
        return redirect("plan", kitchen=kitchens[0].public_id)
    return render(request, "ui/kitchens.html", {"kitchens": kitchens})


@in_kitchen()
@require_GET
def kitchen_home(request: KitchenRequest) -> HttpResponse:
    """A kitchen opens on Plan, a viewer's on Line."""
    return redirect("line" if request.role == "viewer" else "plan", kitchen=request.kitchen.public_id)


@in_kitchen(write="chef")
@require_POST
def set_clock(request: KitchenRequest) -> HttpResponse:
    """Run a simulated kitchen's clock faster, or at its real pace."""
    if not request.kitchen.simulated:
        raise PermissionDenied
    text = request.POST.get("rate", "")
    if text not in {str(r) for r in RATES}:
        messages.error(request, f"The clock's rate must be one of {', '.join(map(str, RATES))}.")
    else:
        request.kitchen.set_rate(float(text))
    return redirect("line", kitchen=request.kitchen.public_id)
