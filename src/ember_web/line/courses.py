"""What thermometers read over a time, fetched in bounded amounts: the newest in full, older ones one in so many."""

from __future__ import annotations

from typing import Any

from django.db.models import Count, FloatField, Max, Min, QuerySet
from django.db.models.functions import Cast, Extract, Floor

MAX_READINGS = 6000
"""Of one course. A board draws a few hundred, and the learner needs no more than one in some seconds."""
NEWEST = 2000
"""Of them, those that are kept in full: a probe that jumped is found there."""


def course(rows: QuerySet[Any], value: str) -> list[tuple[float, float]]:
    """Readings as pairs of s since 1970 and °C, in order of time, at most about :data:`MAX_READINGS`.

    Parameters
    ----------
    rows : QuerySet
        Of one thermometer, with ``measured_at``.
    value : str
        The column of what was read.
    """
    found = rows.aggregate(many=Count("id"), first=Min("measured_at"), last=Max("measured_at"))
    plain = rows.order_by("measured_at", "id")
    if found["many"] <= MAX_READINGS:
        return [(at.timestamp(), c) for at, c in plain.values_list("measured_at", value)]
    newest = list(rows.order_by("-measured_at", "-id").values_list("measured_at", value)[:NEWEST])[::-1]
    since, until = found["first"].timestamp(), newest[0][0]
    width_s = max(until.timestamp() - since, 1.0) / (MAX_READINGS - NEWEST)
    seconds = Cast(Extract("measured_at", "epoch"), FloatField())
    older = (
        rows.filter(measured_at__lt=until)
        .annotate(bucket=Floor((seconds - since) / width_s))
        .order_by("bucket", "-measured_at", "-id")
        .distinct("bucket")
        .values_list("bucket", "measured_at", value)
    )
    return [(at.timestamp(), c) for at, c in [*((at, c) for _bucket, at, c in older), *newest]]
