"""The forms of a kitchen's own foods and rules."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

from django import forms
from django.utils.text import capfirst
from django.utils.translation import gettext as _
from django.utils.translation import gettext_lazy

from ember_core.book.foods import foods
from ember_core.errors import InputError
from ember_core.safety.lethality import organisms
from ember_core.safety.rules import Clause, bases, house_profile
from ember_core.wording.quantities import SI, Units, celsius
from ember_web.book.models import PARTS, Food, HouseRules
from ember_web.tenancy.voice import current, tell
from ember_web.ui.complete_form import ensure_whole

LEAST_SUM, MOST_SUM = 97.0, 103.0  # %, as the plan format allows


class FoodForm(forms.ModelForm):  # type: ignore[type-arg]  # django-stubs' generic
    """Name, kin, composition in mass %, source."""

    class Meta:
        model = Food
        fields = ("name", "like", *PARTS, "source")

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        choices = sorted((_(row["name"]), key) for key, row in foods().items())
        self.fields["like"] = forms.ChoiceField(
            choices=[("", _("choose one")), *((key, name) for name, key in choices)],
            error_messages={"required": _("Closest food: choose one of the table.")},
        )
        self.fields["name"].error_messages["required"] = _("Name: say what the kitchen calls it.")
        self.fields["source"].error_messages["required"] = _("Source: say where the numbers are from, such as: label.")
        for part in PARTS:
            field = self.fields[part]
            field.widget.attrs |= {"step": "0.1", "inputmode": "decimal", "min": "0", "max": "100"}
            field.error_messages |= {
                "required": tell("{part}: give a number in %, 0 if there is none.", part=capfirst(_(part))),
                "invalid": tell("{part}: write a number in %, such as 20.5.", part=capfirst(_(part))),
            }
        for name, field in self.fields.items():
            field.widget.attrs["class"] = "form-select" if name == "like" else "form-control"
            if self.is_bound and name in self.errors:
                field.widget.attrs["aria-invalid"] = "true"

    def clean_name(self) -> str:
        """No second food of the same name in one kitchen."""
        name: str = self.cleaned_data["name"].strip()
        same = Food.objects.filter(kitchen=self.instance.kitchen, name__iexact=name).exclude(pk=self.instance.pk)
        if same.exists():
            raise forms.ValidationError(
                tell("Name: the kitchen has a food called {name!r}; choose another name.", name=name)
            )
        return name

    def clean(self) -> dict[str, Any]:
        """The parts make up the whole, and there is water to speak of."""
        data: dict[str, Any] = super().clean() or self.cleaned_data
        if all(isinstance(data.get(part), float) for part in PARTS):
            total = sum(data[part] for part in PARTS)
            if not LEAST_SUM <= total <= MOST_SUM:
                raise forms.ValidationError(
                    tell(
                        "The parts sum to {total:.1f} %; they must make 100 (within 3). Check each against the source.",
                        total=total,
                    )
                )
        return data


def in_words(rows: Iterable[tuple[float, float]], units: Units = SI) -> str:
    """Rows (°C, s) as a cook writes them."""

    def span(seconds: float) -> str:
        if seconds == 0:
            return _("at once")
        return f"{seconds / 60:g} {_('min')}" if seconds >= 60 and seconds % 60 == 0 else f"{seconds:g} {_('s')}"

    return "; ".join(f"{units.shown('temp', c)} {span(s)}" for c, s in rows)


ROW = r"^(\d+(?:[.,]\d+)?)\s*(?:°?\s*([cf]))?\s+(?:(\d+(?:[.,]\d+)?)\s*(?:({minutes})|({seconds}))|{once})$"


def read_rows(text: str, units: Units = SI, known: Iterable[tuple[float, float]] = ()) -> list[tuple[float, float]]:
    """Rows from words such as ``65 °C 10 min; 75 °C 30 s; 80 °C at once``: °C and s.

    A temperature without its letter is in the reader's unit; a row of ``known`` that is written as it was shown is that row.

    Raises
    ------
    ValueError
        With the part that was not understood.
    """
    shown = {in_words([row], units): row for row in known}
    words = {"minutes": ("min", _("min")), "seconds": ("s", _("s")), "once": ("at once", _("at once"))}
    either = {k: "(?:" + "|".join(re.escape(w) for w in pair) + ")" for k, pair in words.items()}
    row = re.compile(ROW.format(**either), re.IGNORECASE)
    out = []
    for part in (p.strip() for p in text.split(";")):
        if part in shown:
            out.append(shown[part])
            continue
        found = row.match(part)
        if found is None:
            raise ValueError(part)
        degrees, amount = (float((found[i] or "0").replace(",", ".")) for i in (1, 3))
        if (found[2] or units.temperature).lower() == "f":
            degrees = round(celsius(degrees), 4)
        out.append((degrees, amount * (60.0 if found[4] else 1.0)))
    return out


SHOWN = ("organism", "species", "log10", "by", "file", "date")


class HouseRulesForm(forms.Form):
    """The rules the house follows, its own rows for their clauses, and the written plan that allows less."""

    base = forms.ChoiceField(label="Follows")
    written_plan = forms.CharField(label="Written plan", max_length=200, required=False)
    shown_log10 = forms.FloatField(
        label="log10",
        required=False,
        error_messages={"invalid": gettext_lazy("Reduction shown: write a number of log10, such as 6.5.")},
    )
    shown_organism = forms.ChoiceField(label="of", required=False)
    shown_species = forms.ChoiceField(label="in", required=False)
    shown_by = forms.CharField(label="shown by", max_length=200, required=False)
    shown_file = forms.CharField(label="in the document", max_length=200, required=False)
    shown_date = forms.DateField(
        label="of", required=False, widget=forms.DateInput(attrs={"type": "date"}),
        error_messages={"invalid": gettext_lazy("Date of the document: write it as 2026-03-31.")},
    )  # fmt: skip

    def __init__(self, data: Any = None, *, house: HouseRules) -> None:
        shown = house.validated or {}
        start: dict[str, Any] = {"base": house.base, "written_plan": house.written_plan}
        start |= {f"shown_{k}": shown.get(k) for k in SHOWN}
        super().__init__(data, initial=start)
        known = bases()
        self.fields["base"] = forms.ChoiceField(label="Follows", choices=[(p.id, _(p.name)) for p in known.values()])
        chosen = str(data.get("base", "")) if data else house.base
        self.profile = known[chosen if chosen in known else house.base]
        self.clauses = []
        self.known: dict[str, list[tuple[float, float]]] = {}
        units = current().units
        for i, clause in enumerate(self.profile.clauses):
            own = house.rows.get(clause.id) if self.profile.id == house.base else None
            field = forms.CharField(required=False, max_length=400, label=clause.id)
            self.known[f"rows_{i}"] = [(float(c), float(t)) for c, t in own or ()]
            words = in_words(own, units) if own else ""
            field.initial = words
            field.widget.attrs = {"class": "form-control", "placeholder": _("as the clause"), "aria-label": clause.id}
            self.fields[f"rows_{i}"] = field
            self.clauses.append((f"rows_{i}", clause, in_words(clause.rows, units)))
        self.fields["base"].widget.attrs["class"] = "form-select"
        self.fields["shown_organism"] = forms.ChoiceField(
            label="of", required=False, choices=[("", "—"), *((o.id, _(o.name)) for o in organisms().values())]
        )
        self.fields["shown_organism"].widget.attrs["class"] = "form-select"
        species = sorted({str(row["species"]) for row in foods().values()})
        self.fields["shown_species"] = forms.ChoiceField(
            label="in", required=False, choices=[("", "—"), *((s, _(s)) for s in species)]
        )
        self.fields["shown_species"].widget.attrs["class"] = "form-select"
        for name in ("written_plan", "shown_log10", "shown_by", "shown_file", "shown_date"):
            self.fields[name].widget.attrs["class"] = "form-control"
        self.fields["shown_log10"].widget.attrs |= {"step": "0.1", "inputmode": "decimal"}

    def rows_of_clauses(self) -> list[tuple[Clause, str, list[str], Any]]:
        """Each clause with its forms and its rows, each in words, and its field."""
        return [
            (c, ", ".join(sorted(_(f) for f in c.forms)), words.split("; "), self[name])
            for name, c, words in self.clauses
        ]

    def clean(self) -> dict[str, Any]:
        """Read the rows, and let the core say whether they may stand."""
        data: dict[str, Any] = super().clean() or self.cleaned_data
        try:
            ensure_whole(self.data, sum(name in self.data for name, *_ in self.clauses))
            ensure_whole(self.data, len(self.clauses))
        except InputError as error:
            raise forms.ValidationError(current().say(error.message)) from None
        own: dict[str, list[tuple[float, float]]] = {}
        units = Units.of(str(self.data["units"])) if "units" in self.data else current().units  # as the page was shown
        for name, clause, _words in self.clauses:
            text = str(data.get(name) or "").strip()
            if not text:
                continue
            try:
                own[clause.id] = read_rows(text, units, self.known[name])
            except ValueError as error:
                self.add_error(
                    name,
                    tell(
                        "{clause}: {part!r} is no row; write a temperature and a time, such as {example}.",
                        clause=clause.id,
                        part=str(error)[:40],
                        example=in_words([(65.0, 600.0), (75.0, 30.0)], current().units),
                    ),
                )
        shown = {k: data.get(f"shown_{k}") for k in SHOWN}
        if shown["date"]:
            shown["date"] = shown["date"].isoformat()
        data["validated"] = shown if any(v not in {None, ""} for v in shown.values()) else None
        if not self.errors:
            try:
                house_profile(
                    self.profile.id, own, written_plan=str(data.get("written_plan") or ""), validated=data["validated"]
                )
            except InputError as error:
                self.add_error(None, current().say(error.message))
        data["rows"] = {k: [list(r) for r in rows] for k, rows in own.items()}
        return data
