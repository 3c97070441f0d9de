"""What is planned for today: plans with a time on the plate, by when each must begin."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import FloatField
from django.db.models.fields.json import KT
from django.db.models.functions import Cast

from ember_web.plans.models import Plan
from ember_web.plans.summaries import STATES
from ember_web.tenancy.models import Kitchen

LOOKED_AT = 200  # plans, of those that were saved last: a list on a board stays quick however many there are
EARLIER = timedelta(hours=2)  # so long after its time a plan is still shown


@dataclass(frozen=True)
class DuePlan:
    """A plan of today.

    Attributes
    ----------
    id, title : str
    serve_at : datetime
        When it is on the plate.
    start_at : datetime or None
        When its first stage begins; None while it has not been computed.
    state, words : str
        How it stands under its rules; empty while that is not known.
    """

    id: str
    title: str
    serve_at: datetime
    start_at: datetime | None
    state: str
    words: str

    @property
    def by(self) -> datetime:
        """What it is sorted by."""
        return self.start_at or self.serve_at


def due_today(kitchen: Kitchen, now: datetime) -> list[DuePlan]:
    """Plans whose time on the plate is today, by when they begin; those whose time is long past are left out."""
    newest = Plan.objects.filter(kitchen=kitchen, archived_at=None).order_by("-updated_at", "-id")
    rows = newest.values(
        "public_id",
        "title",
        serve=KT("document__serve_at"),
        state=KT("summary__state"),
        total=Cast(KT("summary__total_s"), FloatField()),
    )[:LOOKED_AT]
    out = []
    for row in rows:
        try:
            serve = datetime.fromisoformat(row["serve"] or "")
        except ValueError:
            continue
        serve = serve if serve.tzinfo else serve.replace(tzinfo=kitchen.tz)
        if serve.astimezone(kitchen.tz).date() != now.astimezone(kitchen.tz).date() or serve < now - EARLIER:
            continue
        start = None if row["total"] is None else serve - timedelta(seconds=row["total"])
        state = row["state"] or ""
        out.append(DuePlan(row["public_id"], row["title"], serve, start, state, STATES.get(state, "")))
    return sorted(out, key=lambda due: due.by)
