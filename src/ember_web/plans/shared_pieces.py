"""Pieces of other saved plans in the same medium: which can be chosen, which are, and what becomes of each."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from django.utils.translation import gettext

from ember_core.entry.shared_pieces import MOST, other, shared_stage
from ember_core.planning.compute import Outcome
from ember_web.plans.models import Plan
from ember_web.tenancy.models import Kitchen

OFFERED, LOOKED_AT = 6, 40  # plans that are offered, of the newest that are looked at


def ids_of(text: str) -> list[str]:
    """The plans that a sentence's field names, each once."""
    return list(dict.fromkeys(text.split()))[:MOST]


def beside_of(kitchen: Kitchen, text: str, base: Mapping[str, Any]) -> tuple[dict[str, Any], ...]:
    """What of the named plans goes beside the sentence's own piece; of one that is gone what the saved plan has."""
    kept = {o["x-plan"]: o for s in base.get("stages", ()) for o in s.get("also", ()) if "x-plan" in o}
    found = {p.public_id: p for p in Plan.objects.filter(kitchen=kitchen, public_id__in=ids_of(text))}
    out = []
    for one in ids_of(text):
        if one in kept:  # as it was when the plan was saved
            out.append(dict(kept[one]))
        elif one in found and shared_stage(found[one].document) is not None:
            out.append(other({**found[one].document, "title": found[one].title}, one))
    return tuple(out)


def offered(kitchen: Kitchen, plan: Plan | None, document: Mapping[str, Any], text: str) -> list[dict[str, Any]]:
    """What can be laid in too, as chips: its title, whether it is, and what the field says once it is tapped; nothing where nothing can."""
    at = shared_stage(document)
    if at is None:
        return []
    kind, chosen = document["stages"][at]["kind"], ids_of(text)
    rows = Plan.objects.filter(kitchen=kitchen, archived_at=None).exclude(pk=0 if plan is None else plan.pk)
    fits = []
    for row in [*rows.filter(public_id__in=chosen), *rows.exclude(public_id__in=chosen)[:LOOKED_AT]]:
        where = shared_stage(row.document)
        if row.public_id in chosen or (where is not None and row.document["stages"][where]["kind"] == kind):
            fits.append(row)
    return [
        {
            "title": row.title,
            "on": row.public_id in chosen,
            "value": " ".join(c for c in [*chosen, row.public_id] if c != row.public_id or row.public_id not in chosen),
        }
        for row in fits[: max(OFFERED, len(chosen))]
    ]


def also_in_it(outcome: Outcome, start: datetime) -> list[dict[str, Any]]:
    """What becomes of the other pieces: when each is pulled, at what core, what it peaks at, and how its rule stands."""
    named = [o for s in outcome.plan.document["stages"] for o in s.get("also", ())]
    out = []
    for stated, found in zip(named, outcome.result.get("also") or (), strict=False):
        begun = start + timedelta(seconds=found["x-in-s"])
        coast, ends = found["coast"], found["stages"][0]["end_s"]
        pull_s = ends if coast is None else coast["pull_s"]
        out.append(
            {
                "title": stated.get("x-title") or gettext("another piece"),
                "target_c": stated.get("target", {}).get("core_c"),
                "pull": begun + timedelta(seconds=pull_s),
                "pull_core_c": found["stages"][0]["core_c"] if coast is None else coast["pull_core_c"],
                "peak_core_c": found["peak"]["core_c"],
                "rule": found["rule"],
            }
        )
    return out
