"""How words, numbers and times are written for whoever reads the page."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import datetime, time
from typing import Any

from django import template
from django.forms import BoundField
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe
from django.utils.translation import gettext as _

from ember_core.safety.lethality import organisms
from ember_core.wording.message import N_, spoken
from ember_core.wording.quantities import clock_span
from ember_web.tenancy.voice import current
from ember_web.ui.premises import Shown, counts_of, premises_of

register = template.Library()


def span(seconds: float | None) -> str:
    """A duration as the core writes it on a clock; a dash where there is none."""
    return "–" if seconds is None else clock_span(float(seconds), _)


register.filter("span", span)


@register.filter
def ago(seconds: float) -> str:
    """A duration that is over, without its sign."""
    return span(abs(seconds))


def to_the_second(seconds: float) -> str:
    """Seconds as m:ss, however many minutes they are: what is cooked by the clock is read off it."""
    return f"{round(seconds) // 60}:{round(seconds) % 60:02d}"


@register.filter
def say(text: str) -> str:
    """A message of the core in the reader's language and units; a plain word of the data in their language."""
    return current().say(text)


register.filter("word", say)


@register.filter
def organism(name: str) -> str:
    """The name of an organism."""
    known = organisms().get(name)
    return current().say(known.name if known else name)


def _signed(text: str) -> str:
    return text.replace("-", "−")


@register.filter
def core(value: float | None) -> str:
    """A core temperature without its unit: one decimal."""
    return "–" if value is None else _signed(current().units.number("temp", value, 1))


@register.filter
def temp1(value: float | None) -> str:
    """A temperature with its unit: one decimal."""
    return "–" if value is None else _signed(current().units.shown("temp", value, 1))


@register.filter
def temp(value: float | None) -> str:
    """A temperature with its unit, with no more digits than it has."""
    return "–" if value is None else _signed(current().units.shown("temp", value))


@register.filter
def degrees(value: float) -> str:
    """A temperature without its unit, with no more digits than it has."""
    return _signed(current().units.number("temp", value))


@register.filter
def whole(value: float) -> str:
    """A temperature that somebody chose, without its unit: whole degrees where the unit is not the one it was chosen in."""
    units = current().units
    return _signed(units.number("temp", value, None if units.temperature == "C" else 0))


@register.filter
def size(value: float) -> str:
    """A length with its unit, with no more digits than it has."""
    return current().units.shown("length", value)


@register.filter
def mass(value: float) -> str:
    """A mass with its unit, as a kitchen weighs it."""
    return current().units.shown("mass", value)


@register.filter
def mass_number(value: float) -> str:
    """A mass without its unit, as a field takes it."""
    return current().units.number("mass", value)


@register.filter
def took(stage: Any) -> str:
    """How long a stage of a cook takes, to the second below an hour: what is boiled by the clock is read off it."""
    seconds = round(stage.end_s - stage.start_s)
    return to_the_second(seconds) if seconds < 3600 else span(seconds)


@register.filter
def minutes_clock(minutes: float) -> str:
    """Minutes as m:ss."""
    return to_the_second(60.0 * minutes)


@register.filter
def length0(value: float) -> str:
    """A length with its unit: whole millimetres, or tenths of an inch."""
    units = current().units
    return units.shown("length", value, 0 if units.length == "mm" else 1)


@register.filter
def pairs(rows: list[Any]) -> list[list[Any]]:
    """Rows two by two."""
    return [rows[i : i + 2] for i in range(0, len(rows), 2)]


@register.filter
def length1(value: float) -> str:
    """A length with its unit: one decimal of a millimetre."""
    return current().units.shown("length", value, 1)


@register.filter
def rise(value: float) -> str:
    """A difference of temperatures without its unit: one decimal."""
    return _signed(current().units.number("rise", value, 1))


@register.simple_tag
def unit(kind: str) -> str:
    """The sign of the unit that the reader has for a kind of quantity."""
    return current().units.sign(kind)


@register.simple_tag
def units_code() -> str:
    """The reader's units, for scripts."""
    return current().units.code


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
    return _("over 12") if value > 12 else f"{value:.1f}"


@register.simple_tag(takes_context=True)
def clock(context: dict[str, Any], moment: datetime | time | None, seconds: bool = False, plain: bool = False) -> str:
    """A moment, or a time of day, on the kitchen's clock; ``plain`` without markup, for attributes."""
    if moment is None:
        return "–"
    kitchen = context["request"].kitchen
    local = moment if isinstance(moment, time) else kitchen.local(moment)
    text = current().units.moment(local, seconds=seconds)
    number, _blank, half = text.partition(" ")
    return format_html('{} <small class="half">{}</small>', number, half) if half and not plain else text


@register.simple_tag(takes_context=True)
def place(context: dict[str, Any], name: str, shown_at: str, words: str) -> SafeString:
    """A link to a place of the kitchen, marked where one of its pages (by the beginning of their names) is shown."""
    request = context["request"]
    here = (request.resolver_match.url_name or "") if request.resolver_match else ""
    current_page = mark_safe(' aria-current="page"') if here.startswith(tuple(shown_at.split())) else ""
    address = reverse(name, args=[context["kitchen"].public_id])
    return format_html('<a href="{}"{}>{}</a>', address, current_page, _(words))


@register.simple_tag(takes_context=True)
def plan_with(context: dict[str, Any], state: str) -> str:
    """The address of the plan at hand, or of a new one, whose sentence begins with ``state`` (a query)."""
    kitchen, plan = context["kitchen"], context.get("plan")
    kept = ("plan-saved", [kitchen.public_id, plan.public_id]) if plan else ("plan", [kitchen.public_id])
    return f"{reverse(kept[0], args=kept[1])}?{state}"


PLACES = (N_("Line"), N_("Plan"), N_("Eggs"), N_("Log"), N_("Book"))


@register.simple_tag
def slot(field: BoundField, kind: str = "", name: str = "") -> SafeString:
    """A part of the sentence: its control, with the unit of a quantity, and the name it has."""
    sign = f" {current().units.sign(kind)}" if kind else ""
    number = format_html('<span class="num">{}</span>', field) if kind else format_html("{}", field)
    named = format_html(' <b class="done-name">{}</b>', name) if name else ""
    return format_html('<span class="slot">{}{}{}</span>', number, sign, named)


@register.simple_tag
def json_block(value: Any, id_: str) -> SafeString:
    """Data for scripts, as an inert JSON element, with messages said for the reader."""
    said = spoken(value, current().speaker)
    text = (
        json.dumps(said, separators=(",", ":")).replace("<", "\\u003c").replace("&", "\\u0026").replace(">", "\\u003e")
    )
    return mark_safe(f'<script type="application/json" id="{id_}">{text}</script>')  # noqa: S308 - escaped above


@register.simple_block_tag(takes_context=True)
def told(context: template.Context, content: str, css: str = "sheet-row") -> SafeString:
    """A form of a cook's sheet, closed with ``endtold``: its button says what happened, and leads back to the sheet."""
    return format_html(
        '<form method="post" action="{}" class="{}" data-event><input type="hidden" name="csrfmiddlewaretoken" value="{}">'
        '<input type="hidden" name="then" value="sheet">{}</form>',
        reverse("line-do", args=[context["kitchen"].public_id, context["cook"].public_id]),
        css,
        context.get("csrf_token", ""),
        content,
    )


@register.filter
def premises(rule: Mapping[str, Any] | None) -> list[Shown]:
    """The premises of a rule's statement in words, see :func:`ember_web.ui.premises.premises_of`."""
    return premises_of(rule)


@register.filter
def premise_counts(shown: list[Shown]) -> str:
    """How many premises stand how, in one line."""
    return ", ".join(f"{many} {current().say(word)}" for word, many in counts_of(shown))
