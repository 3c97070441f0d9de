"""What every kitchen page's frame shows: the clock strip."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from django.utils.functional import SimpleLazyObject

from ember_web.tenancy.access import has_rank
from ember_web.ui.registry import STRIP, TEND_CLOCK, ask


def shell(request: HttpRequest) -> dict[str, Any]:
    """Kitchen, what the person may do there, its clock and the coming moves of its running cooks."""
    kitchen = getattr(request, "kitchen", None)
    if kitchen is None:
        return {}
    ask(TEND_CLOCK, kitchen)
    now = kitchen.now()
    # only a whole page shows it: a part that is asked for by itself costs no more than it shows
    strip = SimpleLazyObject(lambda: ask(STRIP, kitchen, now, otherwise={}))
    may = {"can_write": has_rank(request, "cook"), "is_chef": has_rank(request, "chef")}
    return {"kitchen": kitchen, "role": request.role, "now": now, "strip": strip, **may}  # type: ignore[attr-defined]
