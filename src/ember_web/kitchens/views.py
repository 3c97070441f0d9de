"""Home, health and the kitchen's clock."""

from __future__ import annotations

from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from ember_core.errors import InputError
from ember_web.kitchens.actions.set_clock import set_clock
from ember_web.kitchens.actions.set_preferences import SetPreferences, set_preferences
from ember_web.kitchens.actions.set_toured import set_toured
from ember_web.kitchens.forms import PreferencesForm
from ember_web.kitchens.health import unable
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, voice_of


@require_safe
def healthz(request: HttpRequest) -> HttpResponse:
    """Whether the application is alive; asks nothing of the database."""
    return HttpResponse("ok\n", content_type="text/plain")


@require_safe
def readyz(request: HttpRequest) -> HttpResponse:
    """Whether it is able to store what a kitchen marks: 503 with the reasons when it is not."""
    faults = unable()
    return JsonResponse({"able": not faults, "faults": faults}, status=503 if faults else 200)


@login_required
@require_safe
def home(request: HttpRequest) -> HttpResponse:
    """Straight to the only kitchen, or a choice."""
    kitchens = list(Kitchen.objects.filter(memberships__user=request.user.pk).order_by("name"))
    if len(kitchens) == 1:
        return redirect("plan", kitchen=kitchens[0].public_id)
    with voice_of(request.user).speaking():
        return render(request, "ui/kitchens.html", {"kitchens": kitchens})


@in_kitchen(write="viewer")
@require_http_methods(["GET", "HEAD", "POST"])
def preferences(request: KitchenRequest) -> HttpResponse:
    """A person's language and units."""
    person = request.user
    form = PreferencesForm(request.POST if request.method == "POST" else None, person=person)
    if request.method == "POST" and form.is_valid():
        set_preferences(Actor.of_request(request), SetPreferences(**form.cleaned_data))
        with voice_of(person).speaking():
            messages.success(request, _("Saved. It is shown like this wherever you sign in."))
        return redirect("preferences", kitchen=request.kitchen.public_id)
    return preferences_page(request, form)


def preferences_page(
    request: KitchenRequest, form: PreferencesForm | None = None, password_error: str = ""
) -> HttpResponse:
    """The page of a person's own matters, with what is wrong of it."""
    form = form or PreferencesForm(person=request.user)
    context = {"form": form, "password_error": password_error}
    return render(request, "ui/preferences.html", context, status=422 if form.errors or password_error else 200)


@in_kitchen()
@require_safe
def kitchen_home(request: KitchenRequest) -> HttpResponse:
    """A kitchen opens on Plan, a viewer's on Line."""
    return redirect("line" if request.role == "viewer" else "plan", kitchen=request.kitchen.public_id)


@in_kitchen(write="chef")
@require_POST
def clock(request: KitchenRequest) -> HttpResponse:
    """Run a simulated kitchen's clock faster, or at its real pace."""
    text = request.POST.get("rate", "")
    try:
        set_clock(Actor.of_request(request), int(text) if text.isdecimal() and len(text) < 6 else 0)
    except InputError as error:
        messages.error(request, current().say(error.message))
    return redirect("line", kitchen=request.kitchen.public_id)


@in_kitchen(write="viewer")
@require_POST
def tour(request: KitchenRequest) -> HttpResponse:
    """Seen or skipped; or, with ``again``, to be shown once more."""
    again = bool(request.POST.get("again"))
    set_toured(Actor.of_request(request), not again)
    if getattr(request, "htmx", None):
        return HttpResponse("")
    return redirect("plan", kitchen=request.kitchen.public_id)
