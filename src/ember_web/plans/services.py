"""What changes plans."""

from __future__ import annotations

from typing import Any

from ember_core import __version__
from ember_core.data.loader import data_version
from ember_core.formats.plan import parse
from ember_core.plan.plan import Plan as CorePlan
from ember_web.kitchens.models import Kitchen, User
from ember_web.plans.models import Plan


def default_title(document: dict[str, Any]) -> str:
    """A title for a plan that has none."""
    piece = document["piece"]
    name = str(piece.get("cut") or piece.get("food") or "piece").replace("-", " ")
    shape = piece["shape"]
    size = shape.get("thickness_mm", shape.get("diameter_mm"))
    words = f", {size:g} mm" if size else f", {shape['mass_g']:g} g" if "mass_g" in shape else ""
    return f"{name.capitalize()}{words}"


def save_plan(
    kitchen: Kitchen,
    user: User,
    document: dict[str, Any],
    *,
    plan: Plan | None = None,
    entered: dict[str, str] | None = None,
) -> Plan:
    """Check and store a document, as a new plan or in place of ``plan``'s; raises InputError."""
    checked: CorePlan = parse(document)
    title = checked.title or default_title(document)
    plan = plan or Plan(kitchen=kitchen, created_by=user)
    plan.title, plan.document = title, dict(checked.document)
    plan.entered = entered or plan.entered
    plan.core_version, plan.data_version = __version__, data_version()
    plan.save()
    return plan
