"""Add a probe to a kitchen, name it, or take it away."""

from __future__ import annotations

from dataclasses import dataclass

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.actions.add_equipment import HUB_NAME
from ember_web.line.models import Probe, Reading
from ember_web.tenancy.action import Actor, Rank, action

LABEL_LONGEST = 80


@dataclass(frozen=True)
class AddProbe:
    """The name its hub gives it, and what the kitchen calls it; ``gone`` to take it away."""

    name: str
    label: str = ""
    gone: bool = False


@action(Rank.CHEF)
def add_probe(actor: Actor, command: AddProbe) -> Probe:
    """Add it, or give the one of that name its label, or take it away.

    Raises
    ------
    InputError
        A name or label that cannot be, a label that another one has, or one to remove that has readings or cooks.
    """
    name, label = command.name.strip(), command.label.strip()
    if not HUB_NAME.fullmatch(name):
        raise InputError(
            say("name: write what the hub calls it, 1 to 40 letters, digits or . _ : - without spaces."), path="name"
        )
    if len(label) > LABEL_LONGEST:
        raise InputError(say("label: at most {most} letters.", most=LABEL_LONGEST), path="label")
    known = Probe.objects.filter(kitchen=actor.kitchen, name=name).first()
    if command.gone:
        if known is None:
            raise InputError(say("There is no probe {name!r} here.", name=name), path="name", code="missing")
        if Reading.objects.filter(probe=known).exists() or known.cooks.exists():
            raise InputError(
                say("{name} has readings, which stay; rename it instead.", name=str(known)), path="name", code="in-use"
            )
        known.delete()
        return known
    if label and Probe.objects.filter(kitchen=actor.kitchen, label__iexact=label).exclude(name=name).exists():
        raise InputError(say("There is a {name!r} already; give it another name.", name=label), path="label")
    probe, _ = Probe.objects.update_or_create(kitchen=actor.kitchen, name=name, defaults={"label": label})
    return probe
