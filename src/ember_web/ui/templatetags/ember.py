"""How numbers and times are written."""

from __future__ import annotations

import json
from datetime import datetime
from typing import Any

from django import template
from django.utils.safestring import SafeString, mark_safe

register = template.Library()


@register.filter
def span(seconds: float | None) -> str:
    """A duration: m:ss below ten minutes, whole minutes above, hours from two."""
    if seconds is None:
        return "–"
    s = round(float(seconds))
    if abs(s) < 600:
        return f"{'−' if s < 0 else ''}{abs(s) // 60}:{abs(s) % 60:02d}"
    if s < 7200:
        return f"{round(s / 60)} min"
    minutes = round(s / 60)
    return f"{minutes // 60} h {minutes % 60:02d}"


@register.filter
def core(value: float | None) -> str:
    """A core temperature: one decimal."""
    return "–" if value is None else f"{value:.1f}".replace("-", "−")


@register.filter
def px(value: float) -> str:
    """A place in a drawing: one decimal, never in a language's own digits."""
    return f"{value:.1f}"


@register.filter
def fine(value: float) -> str:
    """A place in a drawing that has to fit its neighbour: two decimals."""
    return f"{value:.2f}"


@register.filter
def logs(value: float) -> str:
    """A log reduction: one decimal, and no more than the data can mean."""
    return "over 12" if value > 12 else f"{value:.1f}"


@register.simple_tag(takes_context=True)
def clock(context: dict[str, Any], moment: datetime | None, seconds: bool = False) -> str:
    """A moment on the kitchen's clock."""
    if moment is None:
        return "–"
    kitchen = context["request"].kitchen
    return str(kitchen.local(moment).strftime("%H:%M:%S" if seconds else "%H:%M"))


@register.simple_tag
def json_block(value: Any, id_: str) -> SafeString:
    """Data for scripts, as an inert JSON element."""
    text = (
        json.dumps(value, separators=(",", ":")).replace("<", "\\u003c").replace("&", "\\u0026").replace(">", "\\u003e")
    )
    return mark_safe(f'<script type="application/json" id="{id_}">{text}</script>')  # noqa: S308 - escaped above
