"""Simulated faults in a simulated kitchen, or put it right: to see what the board makes of it."""

from __future__ import annotations

from dataclasses import dataclass

from django.core.exceptions import PermissionDenied
from django.utils.translation import gettext as _

from ember_core.errors import InputError
from ember_core.running.probes import OUT, SWAPPED, TOUCHES
from ember_core.wording.message import N_, say
from ember_web.kitchens.models import Equipment
from ember_web.line.clock import kitchen_time
from ember_web.line.models import Probe, SimulatedFault
from ember_web.line.signals import announce
from ember_web.tenancy.action import Actor, Rank, action
from ember_web.tenancy.models import Kitchen

DRIFT, DOOR, LOAD, WEAK, SILENT, CLOCK = "drift", "door", "load", "weak", "silent", "clock"
DEVICE_FAULTS = {
    DRIFT: N_("drifts: shows what is set, but is colder"),
    DOOR: N_("door or lid open"),
    LOAD: N_("big cold load put in"),
    WEAK: N_("heater at a third"),
    SILENT: N_("reports nothing"),
    CLOCK: N_("hub's clock 5 min slow"),
}
OPEN = {Equipment.Kind.PAN, Equipment.Kind.GRILL, Equipment.Kind.BURNER}  # they have no door and no lid
PROBE_FAULTS = {
    OUT: N_("pulled out"),
    TOUCHES: N_("tip touches what heats"),
    SWAPPED: N_("swapped with the next piece's"),
    SILENT: N_("reports nothing"),
}


@dataclass(frozen=True)
class SetFault:
    """Which device or probe, as the hub calls it; which fault; whether it is there."""

    name: str
    kind: str
    on: bool


def sources(kitchen: Kitchen) -> list[tuple[str, str, dict[str, str]]]:
    """What can go wrong in a kitchen: the hub's name, the kitchen's own, and the faults it can have."""
    devices = Equipment.objects.filter(kitchen=kitchen).exclude(hub_name="")
    shut = {k: words for k, words in DEVICE_FAULTS.items() if k != DOOR}
    found = [(e.hub_name, e.name, shut if e.kind in OPEN else DEVICE_FAULTS) for e in devices]
    return found + [(p.name, str(p), PROBE_FAULTS) for p in Probe.objects.filter(kitchen=kitchen)]


@action(Rank.CHEF)
def set_fault(actor: Actor, command: SetFault) -> None:
    """Switch it.

    Raises
    ------
    InputError
        What is not there, or cannot have that fault.
    """
    kitchen = actor.kitchen
    if not kitchen.simulated:
        raise PermissionDenied(_("Faults can be switched on only in a simulated kitchen."))
    known = {name: faults for name, _, faults in sources(kitchen)}
    if command.name not in known:
        raise InputError(say("There is no {name!r} here; choose one from the list.", name=command.name), path="name")
    if command.kind not in known[command.name]:
        choices = ", ".join(known[command.name])
        raise InputError(say("kind: choose one of {choices}.", choices=choices), path="kind")
    if command.on:
        since = {"since": kitchen_time(kitchen)}
        SimulatedFault.objects.get_or_create(kitchen=kitchen, name=command.name, kind=command.kind, defaults=since)
    else:
        SimulatedFault.objects.filter(kitchen=kitchen, name=command.name, kind=command.kind).delete()
    announce(kitchen)
