"""Store the house's own rules."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from ember_core.safety.rules import house_profile
from ember_web.book.models import HouseRules
from ember_web.tenancy.action import Actor, Rank, action


@dataclass(frozen=True)
class StoreHouseRules:
    """The rules the house follows, its own rows by clause (°C, s), and what lets it go below."""

    base: str
    rows: dict[str, list[list[float]]]
    written_plan: str = ""
    validated: dict[str, Any] | None = None


@action(Rank.CHEF)
def store_house_rules(actor: Actor, command: StoreHouseRules) -> HouseRules:
    """Store them. Saved plans keep the rows they were made with until they are saved again.

    Raises
    ------
    InputError
        Rows that may not stand, see :func:`ember_core.safety.rules.house_profile`.
    """
    rows = {clause: [(float(c), float(s)) for c, s in own] for clause, own in command.rows.items()}
    house_profile(command.base, rows, written_plan=command.written_plan, validated=command.validated)
    house = HouseRules.objects.select_for_update().filter(kitchen=actor.kitchen).first()
    house = house or HouseRules(kitchen=actor.kitchen)
    house.base, house.rows = command.base, command.rows
    house.written_plan, house.validated = command.written_plan.strip(), command.validated
    house.save()
    return house
