"""What is the same for a kitchen's services, stations and gear: a row that is there or new, and its name."""

from __future__ import annotations

from typing import TypeVar

from ember_core.errors import InputError
from ember_core.wording.message import say
from ember_web.kitchens.models import Equipment, ServiceTime, Station
from ember_web.tenancy.models import Kitchen

Row = TypeVar("Row", Equipment, ServiceTime, Station)


def row_of(model: type[Row], kitchen: Kitchen, pk: int) -> Row:
    """The kitchen's row of a key, a new one for 0.

    Raises
    ------
    InputError
        A key that is not this kitchen's.
    """
    if not pk:
        return model(kitchen=kitchen)
    found = model.objects.filter(kitchen=kitchen, pk=pk).first()
    if found is None:
        what = say(str(model._meta.verbose_name))
        raise InputError(say("No such {what} in this kitchen.", what=what), path="pk", code="missing")
    return found


def name_it(row: Row, name: str) -> None:
    """Give a row its name; no other of its kind in the kitchen has it.

    Raises
    ------
    InputError
        An empty or long name, or another row's.
    """
    name, most = name.strip(), int(row._meta.get_field("name").max_length or 0)
    if not 0 < len(name) <= most:
        raise InputError(say("name: write 1 to {most} letters.", most=most), path="name")
    same = type(row).objects.filter(kitchen=row.kitchen, name__iexact=name).exclude(pk=row.pk)
    if same.exists():
        raise InputError(
            say("There is a {name!r} already; give it another name.", name=name), path="name", code="double"
        )
    row.name = name
