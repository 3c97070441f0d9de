"""Add a probe to a kitchen."""

from __future__ import annotations

from dataclasses import dataclass

from ember_web.line.models import Probe
from ember_web.tenancy.action import Actor, Rank, action


@dataclass(frozen=True)
class AddProbe:
    """The name its hub gives it, and what the kitchen calls it."""

    name: str
    label: str = ""


@action(Rank.CHEF)
def add_probe(actor: Actor, command: AddProbe) -> Probe:
    """Add it, or give the one of that name its label."""
    probe, _ = Probe.objects.update_or_create(
        kitchen=actor.kitchen, name=command.name, defaults={"label": command.label}
    )
    return probe
