"""Put plans away, or take them out again."""

from __future__ import annotations

from dataclasses import dataclass

from django.utils import timezone

from ember_web.plans.models import Plan
from ember_web.tenancy.action import Actor, Rank, action


@dataclass(frozen=True)
class ArchivePlans:
    """Public ids of plans of the kitchen; ``back`` takes them out of the archive."""

    plans: tuple[str, ...]
    back: bool = False


@action(Rank.COOK)
def archive_plans(actor: Actor, command: ArchivePlans) -> str:
    """Archive them; they stay as they are, and out of the list. Returns how many."""
    found = Plan.objects.filter(kitchen=actor.kitchen, public_id__in=command.plans)
    return str(found.update(archived_at=None if command.back else timezone.now()))
