"""Kitchen: where it stands, its gear and how true that is, its people, its probes."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_GET, require_POST

from ember_core.errors import InputError
from ember_core.heat.physics.boiling import boiling_point
from ember_core.safety.rules import profiles
from ember_web.kitchens.actions.add_equipment import AddEquipment, add_equipment
from ember_web.kitchens.actions.admit_member import AdmitMember, admit_member
from ember_web.kitchens.actions.set_kitchen import SetKitchen, set_kitchen
from ember_web.kitchens.models import Equipment
from ember_web.tenancy.access import RANK, KitchenRequest, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Membership
from ember_web.tenancy.voice import current, tell
from ember_web.ui.registry import FREE_PROBES, ask


@in_kitchen()
@require_GET
def page(request: KitchenRequest) -> HttpResponse:
    """All of it on one page; a chef changes it in place."""
    return _page(request, {})


def _page(request: KitchenRequest, more: dict[str, Any], status: int = 200) -> HttpResponse:
    kitchen = request.kitchen
    context = {
        "boil_c": boiling_point(kitchen.altitude_m),
        "sea_c": boiling_point(0.0),
        "equipment": Equipment.objects.filter(kitchen=kitchen),
        "kinds": Equipment.Kind.choices,
        "people": Membership.objects.filter(kitchen=kitchen).select_related("user").order_by("user__username"),
        "roles": Membership.Role.choices,
        "rules": [(p.id, p.name) for p in profiles().values()],
        "probes": ask(FREE_PROBES, kitchen, otherwise=()),
        "can_write": RANK[request.role] >= RANK["chef"],
        **more,
    }
    return render(request, "kitchens/kitchen.html", context, status=status)


def _number(request: KitchenRequest, name: str, *, whole: bool = False) -> float | None:
    text = request.POST.get(name, "").strip().replace(",", ".").replace("−", "-")
    if not text:
        return None
    try:
        value = float(text)
    except ValueError:
        raise InputError(tell("{name}: write a number.", name=name.replace("_", " ")), path=name) from None
    return int(value) if whole else value


@in_kitchen(write="chef")
@require_POST
def place(request: KitchenRequest) -> HttpResponse:
    """Name, altitude, air, zone, rules."""
    try:
        command = SetKitchen(
            request.POST.get("name", ""),
            _number(request, "altitude_m") or 0.0,
            _number(request, "air_c") or 0.0,
            request.POST.get("zone", ""),
            request.POST.get("rules", ""),
        )
        set_kitchen(Actor.of_request(request), command)
    except InputError as error:
        request.kitchen.refresh_from_db()
        return _page(request, {"place_error": current().say(error.message), "typed": request.POST}, 422)
    messages.success(request, _("Saved. New plans go by it; saved ones keep what they were made with."))
    return redirect("kitchen-page", kitchen=request.kitchen.public_id)


@in_kitchen(write="chef")
@require_POST
def gear(request: KitchenRequest) -> HttpResponse:
    """Add, change or take away a piece of equipment."""
    try:
        command = AddEquipment(
            request.POST.get("kind", ""),
            request.POST.get("name", ""),
            litres=_number(request, "litres"),
            watts=_number(request, "watts"),
            places=_number(request, "places", whole=True),  # type: ignore[arg-type]  # whole
            true_offset_c=_number(request, "true_offset_c") or 0.0,
            into_oven=bool(request.POST.get("into_oven")),
            pk=int(request.POST.get("pk") or 0) if request.POST.get("pk", "0").isdigit() else 0,
            gone=bool(request.POST.get("gone")),
        )
        name = add_equipment(Actor.of_request(request), command)
    except InputError as error:
        return _page(request, {"gear_error": current().say(error.message), "typed": request.POST}, 422)
    messages.success(
        request, tell("Taken away: {name}", name=name) if command.gone else tell("Saved: {name}", name=name)
    )
    return redirect("kitchen-page", kitchen=request.kitchen.public_id)


@in_kitchen(write="chef")
@require_POST
def people(request: KitchenRequest) -> HttpResponse:
    """Admit a person, or change a role."""
    name, role = request.POST.get("username", "").strip(), request.POST.get("role", "")
    if role not in Membership.Role.values:
        return _page(request, {"people_error": _("Role: choose one from the list."), "typed": request.POST}, 422)
    if name == request.user.get_username() and role != "chef":
        return _page(request, {"people_error": _("You cannot take the chef's role from yourself.")}, 422)
    try:
        admit_member(Actor.of_request(request), AdmitMember(name, role, request.POST.get("password", "")))
    except ValidationError as error:
        return _page(request, {"people_error": " ".join(error.messages), "typed": request.POST}, 422)
    messages.success(request, tell("Saved: {name}", name=name))
    return redirect("kitchen-page", kitchen=request.kitchen.public_id)
