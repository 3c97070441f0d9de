"""Kitchen: where it stands, its services and stations, its gear and how true that is, its people, its probes."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime, time
from typing import Any
from zoneinfo import available_timezones

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils.translation import gettext as _
from django.views.decorators.http import require_POST, require_safe

from ember_core.errors import InputError
from ember_core.heat.physics.boiling import boiling_point
from ember_core.safety.rules import profiles
from ember_web.kitchens.actions.add_equipment import AddEquipment, add_equipment
from ember_web.kitchens.actions.open_kitchen import OpenKitchen, open_kitchen
from ember_web.kitchens.actions.set_clock import RATES
from ember_web.kitchens.actions.set_kitchen import SetKitchen, set_kitchen
from ember_web.kitchens.actions.set_service import SetService, set_service
from ember_web.kitchens.actions.set_station import SetStation, set_station
from ember_web.kitchens.models import Equipment, ServiceTime, Station
from ember_web.kitchens.people import locked_names
from ember_web.tenancy.access import KitchenRequest, has_rank, in_kitchen
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.clock import machine
from ember_web.tenancy.models import Kitchen, Membership
from ember_web.tenancy.voice import current, tell
from ember_web.ui.complete_form import ensure_whole
from ember_web.ui.registry import CLOCK, PROBES, ask

TIMES = ("%H:%M", "%H.%M", "%I:%M %p", "%I %p", "%I:%M%p", "%I%p")
QUANTITIES = {"altitude_m": "height", "air_c": "temp", "litres": "volume", "true_offset_c": "rise"}


@in_kitchen()
@require_safe
def page(request: KitchenRequest) -> HttpResponse:
    """All of it on one page; a chef changes it in place."""
    return _page(request)


def _page(request: KitchenRequest, wrong: str = "", error: str = "", status: int = 200) -> HttpResponse:
    """The page; what was ``wrong`` is shown as it was typed, with its error."""
    kitchen = request.kitchen
    typed = request.POST if wrong else {}
    stations = list(Station.objects.filter(kitchen=kitchen).prefetch_related("people__membership__user"))
    people = list(Membership.objects.filter(kitchen=kitchen).select_related("user").order_by("user__username"))
    is_chef = has_rank(request, "chef")
    gear = Equipment.objects.filter(kitchen=kitchen).select_related("station")
    context = {
        "boil_c": boiling_point(kitchen.altitude_m),
        "sea_c": boiling_point(0.0),
        "place": typed if wrong == "place" else _place_of(kitchen),
        "services": _rows(ServiceTime.objects.filter(kitchen=kitchen), _service_of, wrong == "service", typed),
        "stations": _rows(stations, _station_of, wrong == "station", typed),
        "gear": _rows(gear, _gear_of, wrong == "gear", typed),
        "kinds": Equipment.Kind.choices,
        "materials": Equipment.Material.choices,
        "people": people,
        "member": typed if wrong == "people" else {},
        "another": typed if wrong == "another" else {},
        "roles": Membership.Role.choices,
        "rules": [(p.id, p.name) for p in profiles().values()],
        "zones": sorted(available_timezones()),
        "clock_typed": typed if wrong == "clock" else {},
        "clock": ask(CLOCK, kitchen),
        "machine_now": machine.now(),
        "probes": ask(PROBES, kitchen, otherwise=()),
        "probe": typed if wrong == "probe" else {},
        "rates": RATES,
        "locked": locked_names([m.user.username for m in people]) if is_chef else set(),
        "wrong": wrong,
        "error": error,
    }
    return render(request, "kitchens/kitchen.html", context, status=status)


def refused(request: KitchenRequest, wrong: str, error: Exception) -> HttpResponse:
    """The page again with what was typed and why it cannot be taken."""
    request.kitchen.refresh_from_db()
    return _page(request, wrong, error_words(error), 422)


def error_words(error: Exception) -> str:
    """What is wrong, for this reader."""
    if isinstance(error, ValidationError):
        return " ".join(error.messages)
    return current().say(getattr(error, "message", ""))


def _rows(
    found: Any, texts: Callable[[Any], dict[str, Any]], wrong: bool, typed: Mapping[str, Any]
) -> list[Mapping[str, Any]]:
    """Rows of a form as texts: those there are, the typed one in its place, and an empty one at the end."""
    rows: list[Mapping[str, Any]] = [texts(thing) for thing in found]
    if not wrong:
        return [*rows, {"new": True}]
    mine = {k: typed.get(k) for k in typed} | {"people": typed.getlist("people"), "wrong": True}  # type: ignore[attr-defined]
    known = [i for i, row in enumerate(rows) if str(row["pk"]) == mine.get("pk")]
    if known:
        rows[known[0]] = mine
        return [*rows, {"new": True}]
    return [*rows, mine | {"new": True}]


def _shown(name: str, value: float | None) -> str:
    return "" if value is None else current().units.number(QUANTITIES[name], value)


def _place_of(kitchen: Kitchen) -> dict[str, Any]:
    return {
        "name": kitchen.name,
        "altitude_m": _shown("altitude_m", kitchen.altitude_m),
        "air_c": _shown("air_c", kitchen.air_c),
        "zone": kitchen.zone,
        "rules": kitchen.rules,
    }


def _service_of(service: ServiceTime) -> dict[str, Any]:
    at = current().units.moment
    return {"pk": service.pk, "name": service.name, "begins": at(service.begins), "ends": at(service.ends)}


def _station_of(station: Station) -> dict[str, Any]:
    people = [p.membership.user.username for p in station.people.all()]
    return {"pk": station.pk, "name": station.name, "order": station.order, "people": people}


def _gear_of(thing: Equipment) -> dict[str, Any]:
    return {
        "pk": thing.pk,
        "kind": thing.kind,
        "name": thing.name,
        "litres": _shown("litres", thing.litres),
        "watts": "" if thing.watts is None else f"{thing.watts:g}",
        "places": "" if thing.places is None else thing.places,
        "true_offset_c": _shown("true_offset_c", thing.true_offset_c),
        "into_oven": thing.into_oven,
        "mass_kg": "" if thing.mass_kg is None else f"{thing.mass_kg:g}",
        "material": thing.material,
        "hub_name": thing.hub_name,
        "station": "" if thing.station is None else thing.station.name,
    }


def _number(request: KitchenRequest, name: str, kept: float | None = None, *, whole: bool = False) -> float | None:
    """A number of the form in SI; one that comes back as it was shown is the one that was kept."""
    text = text_of(request, name)
    if not text:
        return None
    kind = QUANTITIES.get(name)
    if kind and kept is not None and text == _shown(name, kept):
        return kept
    try:
        value = current().units.read(kind, text) if kind else float(text.replace(",", "."))
        if whole and value != int(value):
            raise ValueError
    except (ValueError, OverflowError):
        field = name.replace("_", " ")
        words = (
            tell("{name}: write a whole number.", name=field) if whole else tell("{name}: write a number.", name=field)
        )
        raise InputError(words, path=name) from None
    return int(value) if whole else value


def _time(request: KitchenRequest, name: str) -> time:
    text = text_of(request, name).lower()
    for form in TIMES:
        try:
            return datetime.strptime(text, form).time()
        except ValueError:
            continue
    raise InputError(tell("{name}: write a time such as 18:30.", name=name), path=name)


def text_of(request: KitchenRequest, name: str) -> str:
    """A field of the form, without what no text has."""
    return request.POST.get(name, "").replace("\x00", "").strip()


def _pk(request: KitchenRequest) -> int:
    text = request.POST.get("pk", "")
    return int(text) if text.isdecimal() and len(text) < 19 else 0


def _done(request: KitchenRequest, name: str) -> HttpResponse:
    gone = bool(request.POST.get("gone"))
    messages.success(request, tell("Deleted: {name}", name=name) if gone else tell("Saved: {name}", name=name))
    return redirect("kitchen-page", kitchen=request.kitchen.public_id)


@in_kitchen(write="chef")
@require_POST
def place(request: KitchenRequest) -> HttpResponse:
    """Name, altitude, air, zone, rules."""
    kitchen = request.kitchen
    try:
        command = SetKitchen(
            text_of(request, "name"),
            _number(request, "altitude_m", kitchen.altitude_m) or 0.0,
            _number(request, "air_c", kitchen.air_c) or 0.0,
            text_of(request, "zone"),
            text_of(request, "rules"),
        )
        set_kitchen(Actor.of_request(request), command)
    except InputError as error:
        return refused(request, "place", error)
    messages.success(request, _("Saved. New plans go by it; saved ones keep what they were made with."))
    return redirect("kitchen-page", kitchen=kitchen.public_id)


@in_kitchen(write="chef")
@require_POST
def service(request: KitchenRequest) -> HttpResponse:
    """Add, change or remove a service."""
    try:
        gone = bool(request.POST.get("gone"))
        begins, ends = (time(), time()) if gone else (_time(request, "begins"), _time(request, "ends"))
        command = SetService(text_of(request, "name"), begins, ends, _pk(request), gone)
        return _done(request, set_service(Actor.of_request(request), command))
    except InputError as error:
        return refused(request, "service", error)


@in_kitchen(write="chef")
@require_POST
def station(request: KitchenRequest) -> HttpResponse:
    """Add, change or remove a station, and who works there."""
    try:
        ensure_whole(request.POST)
        command = SetStation(
            text_of(request, "name"),
            int(_number(request, "order", whole=True) or 0),
            tuple(request.POST.getlist("people")),
            _pk(request),
            bool(request.POST.get("gone")),
        )
        return _done(request, set_station(Actor.of_request(request), command))
    except InputError as error:
        return refused(request, "station", error)


@in_kitchen(write="chef")
@require_POST
def gear(request: KitchenRequest) -> HttpResponse:
    """Add, change or remove a piece of equipment."""
    kept = Equipment.objects.filter(kitchen=request.kitchen, pk=_pk(request)).first() or Equipment()
    try:
        command = AddEquipment(
            text_of(request, "kind"),
            text_of(request, "name"),
            litres=_number(request, "litres", kept.litres),
            watts=_number(request, "watts"),
            places=_number(request, "places", whole=True),  # type: ignore[arg-type]  # whole
            true_offset_c=_number(request, "true_offset_c", kept.true_offset_c) or 0.0,
            into_oven=bool(request.POST.get("into_oven")),
            mass_kg=_number(request, "mass_kg"),
            material=text_of(request, "material"),
            hub_name=text_of(request, "hub_name"),
            station=text_of(request, "station"),
            pk=_pk(request),
            gone=bool(request.POST.get("gone")),
        )
        return _done(request, add_equipment(Actor.of_request(request), command))
    except InputError as error:
        return refused(request, "gear", error)


@in_kitchen(write="chef")
@require_POST
def open_another_kitchen(request: KitchenRequest) -> HttpResponse:
    """Open another kitchen, of which this chef is the chef."""
    try:
        command = OpenKitchen(
            text_of(request, "name"),
            _number(request, "altitude_m") or 0.0,
            zone=text_of(request, "zone") or request.kitchen.zone,
        )
        opened = open_kitchen(Actor.of_request(request), command)
    except (InputError, ValidationError) as error:
        return refused(request, "another", error)
    except (KeyError, ValueError, OSError):
        return refused(
            request, "another", InputError(tell("Zone: write a time zone such as America/Denver."), path="zone")
        )
    messages.success(request, tell("Opened: {name}", name=opened.name))
    return redirect("kitchen-page", kitchen=opened.public_id)
