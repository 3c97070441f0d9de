"""Forms of the book's rows: cuts, ways, doneness names, spreads; each gives the body of the next version."""

from __future__ import annotations

import re
from typing import Any

from django import forms
from django.utils.translation import gettext
from django.utils.translation import gettext_lazy as _

from ember_core.book.book import Book, Row
from ember_core.book.foods import foods
from ember_core.data.loader import read_toml
from ember_core.errors import InputError
from ember_core.formats.book import as_plain
from ember_core.formats.plan import schema
from ember_web.book.stage_forms import NumberField, StageForm, choices, of_stage, shown, to_stage
from ember_web.tenancy.voice import current
from ember_web.ui.complete_form import ensure_whole

KINDS = (
    "steak",
    "roast",
    "long",
    "breast",
    "leg",
    "mince",
    "offal",
    "fish",
    "shell",
    "plant",
    "egg",
    "custard",
    "bird",
)
SHAPES = ("slab", "cylinder", "sphere", "box", "ellipsoid", "egg", "bird")
# what is shown of the data's own ids, for the catalogue
SHOWN = (
    *(_("slab"), _("cylinder"), _("sphere"), _("box"), _("ellipsoid"), _("egg")),
    *(
        _("bath"),
        _("boil"),
        _("simmer"),
        _("steam"),
        _("oven"),
        _("smoke"),
        _("pan"),
        _("grill"),
        _("fry"),
        _("baste"),
        _("rest"),
        _("hold"),
        _("chill"),
        _("thaw"),
        _("dry"),
        _("cure"),
        _("brine"),
        _("press"),
        _("torch"),
    ),
    *(
        _("red-meat"),
        _("pork"),
        _("minced"),
        _("poultry"),
        _("white-fish"),
        _("oily-fish"),
        _("prawn"),
        _("egg"),
        _("custard"),
        _("plant"),
    ),
    *(
        _("steak"),
        _("roast"),
        _("long"),
        _("breast"),
        _("leg"),
        _("mince"),
        _("offal"),
        _("fish"),
        _("shell"),
        _("plant"),
        _("custard"),
        _("bird"),
        _("no"),
        _("yes"),
        _("may have"),
        _("open"),
        _("aromatics"),
        _("stuffed"),
    ),
)
MOST_STAGES = 40


class ListField(forms.Field):
    """Texts, one a line."""

    widget = forms.Textarea(attrs={"rows": 2})

    def to_python(self, value: Any) -> list[str]:
        """The lines."""
        return [line.strip() for line in str(value or "").splitlines() if line.strip()]

    def prepare_value(self, value: Any) -> Any:
        """Lines again."""
        return "\n".join(value) if isinstance(value, list | tuple) else value


class RowForm(forms.Form):
    """What all rows have."""

    kind = ""
    reason = forms.CharField(max_length=300, required=False, label=_("source, or why it was changed"))

    def __init__(self, book: Book, row: Row | None, *args: Any, **kwargs: Any) -> None:
        self.book, self.row = book, as_plain(row) if row is not None else {}
        super().__init__(*args, **kwargs)
        self.make()
        for name, field in self.fields.items():
            widget = field.widget
            if not isinstance(widget, forms.CheckboxInput | forms.CheckboxSelectMultiple):
                widget.attrs["class"] = "form-select" if isinstance(widget, forms.Select) else "form-control"
            if self.is_bound and name in self.errors:
                widget.attrs["aria-invalid"] = "true"

    def make(self) -> None:
        """Fields that hang on the row and the book."""
        self.initial["reason"] = self.row.get("source", "")

    @property
    def rows_sent(self) -> int:
        """How many rows a browser sends of it, for :func:`ensure_whole`."""
        return len(getattr(self, "stages", ()))

    def clean(self) -> dict[str, Any]:
        """Only what arrived whole: what a form lost on its way would be taken out of the row."""
        try:
            ensure_whole(self.data, self.rows_sent)
        except InputError as error:
            raise forms.ValidationError(current().say(error.message)) from None
        return super().clean() or self.cleaned_data

    def body(self) -> dict[str, Any]:
        """The next version's body."""
        kept = {k: v for k, v in self.row.items() if k not in {"id", "version", "retired"}}
        if self.cleaned_data.get("reason"):
            kept["source"] = self.cleaned_data["reason"]
        return kept


TEXTS = {"probe": _("where the probe goes"), "wrong": _("what goes wrong"), "salt_when": _("when it is salted")}
NUMBERS = {
    "size_mm": _("usual thickness or diameter, mm"),
    "length_mm": _("length, mm"),
    "width_mm": _("width, mm"),
    "spread_mm": _("spread of the size, mm"),
    "mass_g": _("mass, g"),
    "doneness_c": _("usual core, °C"),
    "breast_c": _("of a whole bird: the breast's own target, °C"),
    "leg_c": _("of a whole bird: the leg's, °C"),
    "salt_g_kg": _("salt, g for a kg"),
    "salt_lead_min": _("salted so long before, min"),
}


OPTIONAL_LISTS = frozenset({"prep", "drying", "bind"})  # empty only where a row says so itself


class CutForm(RowForm):
    """A cut: what it is, its size, how it is got ready, its usual way."""

    kind = "cut"
    name = forms.CharField(max_length=80, label=_("name"))
    aliases = ListField(required=False, label=_("other names, one a line"))
    food = forms.ChoiceField(label=_("food"))
    form = forms.ChoiceField(label=_("state, for the rules"))
    shape = forms.ChoiceField(label=_("shape"))
    kin = forms.ChoiceField(label=_("kind"))
    way = forms.ChoiceField(label=_("usual way"))
    doneness = forms.ChoiceField(required=False, label=_("doneness names, if not its food's"))
    bone = forms.ChoiceField(label=_("bone"))
    cavity = forms.ChoiceField(required=False, label=_("of a whole bird: its cavity"))
    skin = forms.BooleanField(required=False, label=_("comes with its skin or rind"))
    allergens = ListField(required=False, label=_("allergens, one a line"))
    prep = ListField(required=False, label=_("trimming, one a line"))
    drying = ListField(required=False, label=_("drying before it browns, one a line"))
    bind = forms.MultipleChoiceField(label=_("held together with"), widget=forms.CheckboxSelectMultiple, required=False)

    def make(self) -> None:
        """Choices of the book, and its numbers and texts."""
        super().make()
        self.fields["food"].choices = sorted(((k, gettext(r["name"])) for k, r in foods().items()), key=lambda c: c[1])  # type: ignore[attr-defined]
        self.fields["form"].choices = choices(schema()["$defs"]["piece"]["properties"]["form"]["enum"])  # type: ignore[attr-defined]
        self.fields["shape"].choices = choices(SHAPES)  # type: ignore[attr-defined]
        self.fields["kin"].choices = choices(KINDS)  # type: ignore[attr-defined]
        self.fields["way"].choices = [(w["id"], gettext(w["name"])) for w in self.book.ways.values()]  # type: ignore[attr-defined]
        self.fields["doneness"].choices = choices(self.book.newest("doneness"), blank=True)  # type: ignore[attr-defined]
        self.fields["bone"].choices = choices(("no", "yes", "may have"))  # type: ignore[attr-defined]
        self.fields["cavity"].choices = choices(("open", "aromatics", "stuffed"), blank=True)  # type: ignore[attr-defined]
        bindings = read_toml("moves.toml")["bind"]
        self.fields["bind"].choices = [(code, gettext(row["name"])) for code, row in bindings.items()]  # type: ignore[attr-defined]
        for name, label in NUMBERS.items():
            self.fields[name] = NumberField(label=label, required=name in {"size_mm", "mass_g"})
        for name, label in TEXTS.items():
            self.fields[name] = forms.CharField(max_length=300, required=False, label=label)
        for name in (
            "name",
            "aliases",
            "food",
            "form",
            "shape",
            "way",
            "doneness",
            "skin",
            "allergens",
            "prep",
            "drying",
            "bind",
            "cavity",
            *NUMBERS,
            *TEXTS,
        ):
            if name in self.row:
                self.initial[name] = f"{self.row[name]:g}" if name in NUMBERS else self.row[name]
        self.initial.update({"kin": self.row.get("kind", "steak"), "bone": self.row.get("bone", "no")})

    def body(self) -> dict[str, Any]:
        """As the book has a cut."""
        out, d = super().body(), self.cleaned_data
        for name in (
            "name",
            "aliases",
            "food",
            "form",
            "shape",
            "way",
            "doneness",
            "skin",
            "allergens",
            "prep",
            "drying",
            "bind",
            "bone",
            "cavity",
            *NUMBERS,
            *TEXTS,
        ):
            if d[name] in (None, "", []) and name not in {
                "aliases",
                "allergens",
                *(OPTIONAL_LISTS & self.row.keys()),
            }:
                out.pop(name, None)
            else:
                out[name] = d[name]
        return out | {"kind": d["kin"]}


class WayForm(RowForm):
    """A way: what it is for, what it gains and costs, its stages."""

    kind = "way"
    name = forms.CharField(max_length=80, label=_("name"))
    aliases = ListField(required=False, label=_("other names, one a line"))
    school = forms.CharField(max_length=300, required=False, label=_("school"))
    gains = forms.CharField(max_length=300, required=False, label=_("what it gains"))
    costs = forms.CharField(max_length=300, required=False, label=_("what it costs"))
    shapes = forms.MultipleChoiceField(label=_("shapes"), widget=forms.CheckboxSelectMultiple)
    kinds = forms.MultipleChoiceField(label=_("kinds of cut"), widget=forms.CheckboxSelectMultiple, required=False)
    gear = forms.MultipleChoiceField(label=_("gear"), widget=forms.CheckboxSelectMultiple, required=False)
    thin = NumberField(label=_("from, mm"))
    thick = NumberField(label=_("to, mm"))
    skin = forms.BooleanField(required=False, label=_("for pieces with skin or rind"))

    def make(self) -> None:
        """Choices, and the stages with two empty ones to add."""
        super().make()
        row, gear = self.row, read_toml("gear.toml")
        self.fields["shapes"].choices = choices(SHAPES)  # type: ignore[attr-defined]
        self.fields["kinds"].choices = choices((*KINDS, "bird"))  # type: ignore[attr-defined]
        self.fields["gear"].choices = [(k, gettext(r["name"])) for k, r in gear.items()]  # type: ignore[attr-defined]
        self.initial.update(
            {
                k: row[k]
                for k in ("name", "aliases", "school", "gains", "costs", "shapes", "kinds", "gear", "skin")
                if k in row
            }
        )
        low, high = row.get("size_mm", (None, None))
        self.initial.update({"thin": shown(low), "thick": shown(high)})
        stages = row.get("stage", [])
        count = len(stages) + 2
        if self.is_bound:
            count = min(
                max((int(m[1]) for k in self.data if (m := re.match(r"s(\d{1,2})-", k))), default=-1) + 1, MOST_STAGES
            )
        self.stages = []
        for i in range(count):
            first = of_stage(i + 1, stages[i]) if i < len(stages) else {"at": i + 1, "where": "all"}
            self.stages.append(StageForm(self.data if self.is_bound else None, prefix=f"s{i}", initial=first))

    def is_valid(self) -> bool:
        """The way and each of its stages."""
        return all([super().is_valid(), *[s.is_valid() for s in self.stages]])

    def body(self) -> dict[str, Any]:
        """As the book has a way."""
        out, d = super().body(), self.cleaned_data
        for name in ("name", "aliases", "school", "gains", "costs", "shapes", "kinds", "gear", "skin"):
            if d[name] in ("", [], False) and name not in {"aliases"}:
                out.pop(name, None)
            else:
                out[name] = d[name]
        out.pop("size_mm", None)
        if d["thin"] is not None and d["thick"] is not None:
            out["size_mm"] = [d["thin"], d["thick"]]
        before = self.row.get("stage", [])
        told = [s.cleaned_data for s in self.stages if s.cleaned_data.get("stage") and not s.cleaned_data.get("remove")]
        told.sort(key=lambda s: s["at"] or 99)
        out["stage"] = [
            to_stage(s, before[int(s["was"])] if s["was"].isdigit() and int(s["was"]) < len(before) else {})
            for s in told
        ]
        return out


class DonenessForm(RowForm):
    """Doneness names with their core, °C, one a line."""

    kind = "doneness"
    lines = forms.CharField(
        widget=forms.Textarea(attrs={"rows": 7}), label=_("name and core in °C, one a line, rising")
    )
    usual = forms.CharField(max_length=80, label=_("usual"))

    def make(self) -> None:
        """One name a line."""
        super().make()
        self.initial["lines"] = "\n".join(f"{n} {c:g}" for n, c in self.row.get("names", ()))
        self.initial["usual"] = self.row.get("usual", "")

    def clean_lines(self) -> list[list[Any]]:
        """Pairs of name and °C."""
        out: list[list[Any]] = []
        for line in self.cleaned_data["lines"].splitlines():
            if not line.strip():
                continue
            match = re.match(r"^\s*(.+?)[\s,:]+(\d{2,3}(?:[.,]\d+)?)\s*(?:°?\s*c)?\s*$", line, re.IGNORECASE)
            if match is None:
                raise forms.ValidationError(
                    gettext("Write each line as a name and its core in °C, such as: medium rare 55")
                )
            out.append([match[1].strip(), float(match[2].replace(",", "."))])
        return out

    def body(self) -> dict[str, Any]:
        """As the book has a doneness set."""
        return super().body() | {"names": self.cleaned_data["lines"], "usual": self.cleaned_data["usual"].strip()}


class SpreadForm(RowForm):
    """Expected variation."""

    kind = "spread"

    def make(self) -> None:
        """A number for each."""
        super().make()
        for name, value in self.row.items():
            if name not in {"id", "version", "source", "retired"}:
                self.fields[name] = NumberField(label=name.replace("_", " "), required=True)
                self.initial[name] = f"{value:g}"

    def body(self) -> dict[str, Any]:
        """As the book has them."""
        out = super().body() | {k: v for k, v in self.cleaned_data.items() if k != "reason"}
        out.pop("source", None)
        return out


FORMS: dict[str, type[RowForm]] = {"cut": CutForm, "way": WayForm, "doneness": DonenessForm, "spread": SpreadForm}
