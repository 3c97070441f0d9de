"""Short forms of Eggs, and what their pages say: parts with units and limits, and answers."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import render
from django.utils.text import capfirst
from django.utils.translation import gettext

from ember_core.wording.message import N_, Message
from ember_web.eggs.drawing import PieceInMedium
from ember_web.tenancy.access import KitchenRequest
from ember_web.tenancy.voice import current, tell


@dataclass(frozen=True)
class Part:
    """A part of a form: its name, words, usual value, limits in SI and kind of quantity; or its choices."""

    name: str
    words: str
    usual: Any
    least: float = 0.0
    most: float = 0.0
    kind: str = ""  # of quantity; empty: a plain number
    choices: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Table:
    """A table of an answer: what it is, its columns, its rows."""

    words: str
    head: list[str]
    rows: list[list[Any]]


@dataclass(frozen=True, eq=False)
class Answer:
    """What a page says: the loudest number with its word, lines, tables, and plans that can be kept of it."""

    word: str
    loud: str
    lines: list[Message]
    tables: list[Table] = field(default_factory=list)
    plans: list[tuple[str, dict[str, Any]]] = field(default_factory=list)
    picture: PieceInMedium | None = None


@dataclass(frozen=True, eq=False)
class Place:
    """The kitchen as an answer needs it, read beforehand: altitude, m, air, °C, rules, and the house's own."""

    altitude_m: float
    air_c: float
    rules: str
    house: Mapping[str, Any] | None


@dataclass(frozen=True)
class Topic:
    """What a page is about: its name, the parts of its form, and how it is answered."""

    words: str
    parts: tuple[Part, ...]
    answer: Callable[[dict[str, Any], Place], Answer]


# pages of their own, in their order
NAMES = {
    "fried": N_("fried"), "poached": N_("poached"), "scrambled": N_("scrambled"), "omelette": N_("omelette"), "baked": N_("baked in a dish"),
    "coddled": N_("coddled"), "custard": N_("custard"), "sauce": N_("warm butter-and-yolk sauce"), "pasta": N_("pasta bound with egg"), "rules": N_("rules for eggs"),
}  # fmt: skip


EACH = Part("mass_g", N_("mass in shell"), 57.0, 20.0, 150.0, "mass")
COLD = Part("start_c", N_("from"), 4.0, 0.0, 40.0, "temp")
AIRS = {"still": N_("still air"), "fan": N_("with a fan")}


class Measured(forms.FloatField):
    """A quantity in the reader's unit, cleaned to SI."""

    def __init__(self, part: Part) -> None:
        units, kind = current().units, part.kind
        self.part, self.units = part, units
        shown = (
            (units.shown(kind, part.least), units.shown(kind, part.most))
            if kind
            else (f"{part.least:g}", f"{part.most:g}")
        )
        label = capfirst(gettext(part.words))
        super().__init__(
            min_value=part.least,
            max_value=part.most,
            widget=forms.TextInput(attrs={"inputmode": "decimal", "maxlength": "12", "autocomplete": "off"}),
            error_messages={
                "invalid": tell("{label}: write a number.", label=label),
                "required": tell("{label}: write a number.", label=label),
                "min_value": tell("{label}: give at least {least}.", label=label, least=shown[0]),
                "max_value": tell("{label}: give at most {most}.", label=label, most=shown[1]),
            },
        )

    def to_python(self, value: Any) -> float | None:  # type: ignore[override]
        """From the reader's unit."""
        if self.part.kind and value not in (None, ""):
            try:
                return float(self.units.read(self.part.kind, str(value)))
            except ValueError:
                raise forms.ValidationError(self.error_messages["invalid"], code="invalid") from None
        return super().to_python(value)


def form_of(parts: Sequence[Part], data: Any, **more: Any) -> forms.Form:
    """A form of parts: what an address states over their usual values; ``more`` values stand beside them."""
    made = forms.Form(more | {p.name: data[p.name] if p.name in data else _usual(p) for p in parts})
    for p in parts:
        made.fields[p.name] = _field(p)
        made.fields[p.name].label = gettext(p.words)
        made.fields[p.name].widget.attrs |= {"class": f"part part-{p.name}", "aria-label": gettext(p.words)}
    return made


def _usual(p: Part) -> str:
    """The usual value of a part, in the reader's unit."""
    return (
        current().units.number(p.kind, p.usual)
        if p.kind
        else f"{p.usual:g}"
        if isinstance(p.usual, float)
        else str(p.usual)
    )


def _field(p: Part) -> forms.Field:
    label = capfirst(gettext(p.words))
    if p.choices:
        wrong = {"invalid_choice": tell("{label}: choose one from the list.", label=label)}
        return forms.ChoiceField(choices=[(k, gettext(w)) for k, w in p.choices.items()], error_messages=wrong)
    if isinstance(p.usual, int):
        words = tell(
            "{label}: give a whole number from {least} to {most}.", label=label, least=int(p.least), most=int(p.most)
        )
        return forms.IntegerField(
            min_value=int(p.least),
            max_value=int(p.most),
            widget=forms.NumberInput(attrs={"inputmode": "numeric"}),
            error_messages=dict.fromkeys(("invalid", "required", "min_value", "max_value"), words),
        )
    return Measured(p)


def shown(
    request: KitchenRequest,
    part: str,
    form: forms.Form,
    parts: Sequence[Part],
    context: dict[str, Any],
    *,
    good: bool = True,
) -> HttpResponse:
    """A page of eggs that has a form: its fragment alone, or in its frame.

    Parameters
    ----------
    request : KitchenRequest
    part : str
        Template of the fragment.
    form, parts : Form, sequence of Part
    context : dict
        ``what`` and ``name``, and what the fragment shows.
    good : bool
        Whether what was asked can be answered; else the status says so.
    """
    context |= {
        "form": form,
        "parts": [{"field": form[p.name], "sign": current().units.sign(p.kind) if p.kind else ""} for p in parts],
        "topics": list(NAMES.items()),
        "part": part,
    }
    htmx = getattr(request, "htmx", None)
    template = part if htmx and not htmx.boosted else "eggs/page.html"
    return render(request, template, context, status=200 if form.is_valid() and good else 422)
