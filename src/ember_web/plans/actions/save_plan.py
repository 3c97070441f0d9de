"""Save a plan."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from django.db.models import Max

from ember_core import __version__
from ember_core.data.loader import data_version
from ember_core.errors import InputError
from ember_core.formats.plan import parse
from ember_core.plan.plan import Plan as CorePlan
from ember_core.wording.message import say
from ember_web.plans.models import Plan, PlanRevision
from ember_web.tenancy.action import Actor, Rank, action


def default_title(document: dict[str, Any], entered: dict[str, list[str]]) -> str:
    """A title for a plan that has none, with its size as it was entered."""
    piece = document["piece"]
    name = str(piece.get("cut") or piece.get("food") or "piece").replace("-", " ")
    shape = piece["shape"]
    if "size_mm" in entered:
        return f"{name.capitalize()}, {' '.join(entered['size_mm'])}"
    size = shape.get("thickness_mm", shape.get("diameter_mm"))
    words = (
        say(", {size:length}", size=size)
        if size
        else (say(", {mass_g:g} g", mass_g=shape["mass_g"]) if "mass_g" in shape else say(""))
    )
    return f"{name.capitalize()}{words}"


def newest_of(plan: Plan) -> int:
    """The number of a plan's newest revision; 0 when it has none."""
    return int(plan.revisions.aggregate(last=Max("number"))["last"] or 0)


class ChangedMeanwhile(InputError):
    """The plan was saved by somebody else since it was opened."""


@dataclass(frozen=True)
class SavePlan:
    """A plan document to store: as a new plan, or in place of the one with the public id ``plan``."""

    document: dict[str, Any]
    plan: str = ""
    seen: int = 0  # the revision that was changed; another since then is told, 0: not asked
    summary: dict[str, Any] = field(default_factory=dict)
    entered: dict[str, list[str]] = field(default_factory=dict)


@action(Rank.COOK)
def save_plan(actor: Actor, command: SavePlan) -> Plan:
    """Check and store a document, and keep it as the plan's newest revision.

    Raises
    ------
    InputError
        What of the document cannot be used, or a plan that is not this kitchen's.
    """
    checked: CorePlan = parse(command.document)
    plan = Plan(kitchen=actor.kitchen, created_by=actor.user)
    if command.plan:
        found = Plan.objects.select_for_update().filter(kitchen=actor.kitchen, public_id=command.plan).first()
        if found is None:
            raise InputError(say("No such plan in this kitchen; save it as a new one."), path="plan", code="missing")
        plan = found
        newest = newest_of(plan)
        if command.seen and newest > command.seen:
            raise ChangedMeanwhile(
                say(
                    "Somebody saved this plan meanwhile. Compare both: yours is still here, theirs is saved. Save as new, or save again to replace theirs."
                ),
                path="plan",
                code="changed",
            )
    plan.title, plan.document = (
        checked.title or default_title(command.document, command.entered),
        dict(checked.document),
    )
    plan.entered, plan.summary = command.entered, command.summary
    plan.core_version, plan.data_version = __version__, data_version()
    plan.save()
    before = newest_of(plan)
    PlanRevision.objects.create(
        kitchen=actor.kitchen,
        plan=plan,
        number=before + 1,
        title=plan.title,
        document=plan.document,
        entered=plan.entered,
        core_version=plan.core_version,
        data_version=plan.data_version,
        created_by=actor.user,
    )
    return plan
