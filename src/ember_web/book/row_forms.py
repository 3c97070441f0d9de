"""Forms of the book's rows: cuts, ways, doneness names, spreads; each gives the body of the next version."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any

from django import forms
from django.utils.translation import gettext
from django.utils.translation import gettext_lazy as _

from ember_core.book.book import Book, Row
from ember_core.book.foods import foods
from ember_core.data.loader import read_toml
from ember_core.formats.book import as_plain
from ember_core.formats.plan import schema

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
ENDS = (
    ("", _("the clock")),
    ("peak_core_c", _("so that the core peaks at")),
    ("core_c", _("the core at")),
    ("mean_c", _("the mean at")),
    ("surface_c", _("the first face at")),
    ("surface_b_c", _("the other face at")),
)
WHERE = (
    ("all", _("all round")),
    ("a", _("the first face")),
    ("b", _("the other face")),
    ("b-basted", _("the other face, basted")),
    ("kept", _("as it is")),
)
BASTE_C = 150.0
EXPRESSION = r"^((target|boil)([+-]\d{1,3}(\.\d{1,3})?)?|(part|mm)\*\d{1,3}(\.\d{1,4})?)$"
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


class NumberField(forms.CharField):
    """A number, or an expression in its place."""

    def __init__(self, *, expression: bool = False, **kwargs: Any) -> None:
        super().__init__(max_length=20, required=kwargs.pop("required", False), **kwargs)
        self.expression = expression

    def clean(self, value: Any) -> Any:
        """A float, an expression's text, or None."""
        text = str(super().clean(value) or "").strip().replace(",", ".").replace(" ", "")
        if not text:
            return None
        if self.expression and re.match(EXPRESSION, text):
            return text
        try:
            number = float(text)
        except ValueError:
            raise forms.ValidationError(
                gettext("Write a number; or target+0.5, boil-12, part*0.4, mm*0.07.")
                if self.expression
                else gettext("Write a number.")
            ) from None
        return number


def choices(names: Iterable[str], blank: bool = False) -> list[tuple[str, str]]:
    """Names as choices, in the reader's language."""
    return [*([("", "–")] if blank else []), *((n, gettext(n)) for n in names)]


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
    bone = forms.ChoiceField(label=_("bone"))
    cavity = forms.ChoiceField(required=False, label=_("of a whole bird: its cavity"))
    skin = forms.BooleanField(required=False, label=_("comes with its skin or rind"))
    allergens = ListField(required=False, label=_("allergens, one a line"))
    prep = ListField(required=False, label=_("trimming and drying, one a line"))

    def make(self) -> None:
        """Choices of the book, and its numbers and texts."""
        super().make()
        self.fields["food"].choices = sorted(((k, gettext(r["name"])) for k, r in foods().items()), key=lambda c: c[1])  # type: ignore[attr-defined]
        self.fields["form"].choices = choices(schema()["$defs"]["piece"]["properties"]["form"]["enum"])  # type: ignore[attr-defined]
        self.fields["shape"].choices = choices(SHAPES)  # type: ignore[attr-defined]
        self.fields["kin"].choices = choices(KINDS)  # type: ignore[attr-defined]
        self.fields["way"].choices = [(w["id"], gettext(w["name"])) for w in self.book.ways.values()]  # type: ignore[attr-defined]
        self.fields["bone"].choices = choices(("no", "yes", "may have"))  # type: ignore[attr-defined]
        self.fields["cavity"].choices = choices(("open", "aromatics", "stuffed"), blank=True)  # type: ignore[attr-defined]
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
            "skin",
            "allergens",
            "prep",
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
            "skin",
            "allergens",
            "prep",
            "bone",
            "cavity",
            *NUMBERS,
            *TEXTS,
        ):
            if d[name] in (None, "", []) and name not in {"aliases", "allergens", "prep"}:
                out.pop(name, None)
            else:
                out[name] = d[name]
        return out | {"kind": d["kin"]}


class StageForm(forms.Form):
    """One stage of a way."""

    was = forms.CharField(required=False, widget=forms.HiddenInput())
    at = forms.IntegerField(required=False, min_value=1, max_value=99)
    stage = forms.ChoiceField(required=False)
    minutes = NumberField(expression=True)
    ends = forms.ChoiceField(required=False, choices=ENDS)
    value = NumberField(expression=True)
    heat = NumberField(expression=True)
    where = forms.ChoiceField(required=False, choices=WHERE)
    variant = forms.CharField(required=False, max_length=20)
    cover = forms.ChoiceField(required=False)
    verb = forms.CharField(required=False, max_length=300)
    cue = forms.CharField(required=False, max_length=300)
    why = forms.CharField(required=False, max_length=300)
    caution = forms.CharField(required=False, max_length=300)
    remove = forms.BooleanField(required=False)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["stage"].choices = choices(read_toml("stage_kinds.toml"), blank=True)  # type: ignore[attr-defined]
        covers = ("bare", "tented", "wrapped", "cloth", "bag", "lidded")
        self.fields["cover"].choices = choices(covers, blank=True)  # type: ignore[attr-defined]
        for field in self.fields.values():
            if not isinstance(field.widget, forms.CheckboxInput):
                field.widget.attrs["class"] = (
                    "form-select" if isinstance(field.widget, forms.Select) else "form-control"
                )

    def clean(self) -> dict[str, Any]:
        """A stage that is stated is stated in full."""
        data: dict[str, Any] = super().clean() or self.cleaned_data
        if data.get("stage") and not data.get("remove"):
            if data.get("minutes") is None and "minutes" not in self.errors:
                self.add_error("minutes", gettext("Minutes: give how long it lasts at the most."))
            if data.get("ends") and data.get("value") is None and "value" not in self.errors:
                self.add_error("value", gettext("Say at which temperature it ends, such as target or 150."))
        return data


def shown(value: Any) -> str:
    """A number or expression of a template as it is written."""
    return value if isinstance(value, str) else "" if value is None else f"{value:g}"


def of_stage(number: int, stage: Mapping[str, Any]) -> dict[str, Any]:
    """What the form shows of a stage."""
    faces = stage.get("faces", {})
    own = [f for f in faces.values() if f.get("kind", stage["kind"]) == stage["kind"]]
    names = set(faces)
    where = "all" if not faces else "kept"
    if names == {"a"} and own:
        where = "a"
    elif names == {"b"} and own:
        where = "b"
    elif names == {"a", "b"} and faces["a"].get("kind") == "baste":
        where = "b-basted"
    until = dict(stage.get("until", {}))
    if stage.get("solve"):
        until = {"peak_core_c": "target"}
    if "chill_to" in stage:
        until = {"core_c": stage["chill_to"]}
    ends = next((k for k, _label in ENDS if k and k in until), "")
    said = stage.get("say") if isinstance(stage.get("say"), Mapping) else {}
    heat = own[0].get("medium_c") if own else stage.get("medium_c")
    return {
        "was": str(number - 1), "at": number, "stage": stage["kind"], "minutes": shown(stage["minutes"]), "ends": ends,
        "value": shown(until.get(ends)), "heat": shown(heat), "where": where, "variant": (own[0] if own else stage).get("variant", ""),
        "cover": stage.get("cover", ""), **{k: (said or {}).get(k, "") for k in ("verb", "cue", "why", "caution")},
    }  # fmt: skip


def to_stage(data: Mapping[str, Any], before: Mapping[str, Any]) -> dict[str, Any]:
    """A stage from what the form says, over what it was."""
    same = before.get("kind") == data["stage"]
    out = {k: v for k, v in before.items() if k not in {"until", "solve", "chill_to"}} if same else {}
    out |= {"kind": data["stage"], "minutes": data["minutes"]}
    if data["ends"]:
        out["until"] = {data["ends"]: data["value"]}
    for key in ("variant", "cover"):
        if data[key] and (key != "variant" or data["where"] == "all"):
            out[key] = data[key]
        elif data["where"] == "all":
            out.pop(key, None)
    _faces(out, data)
    said = {k: data[k] for k in ("verb", "cue", "why", "caution") if data[k]}
    if said:
        out["say"] = said
    elif isinstance(out.get("say"), Mapping):
        out.pop("say")
    return out


def _faces(out: dict[str, Any], data: Mapping[str, Any]) -> None:
    heat = {} if data["heat"] is None else {"medium_c": data["heat"]}
    variant = {"variant": data["variant"]} if data["variant"] else {}
    where = data["where"] or "all"
    if where == "kept" and "faces" in out:
        faces = {}
        for name, face in out["faces"].items():
            own = face.get("kind", out["kind"]) == out["kind"]
            faces[name] = {**face, **(heat if own and "medium_c" in face else {})}
        out["faces"] = faces
        return
    kept = out.pop("faces", {})
    out.pop("medium_c", None)
    if where in {"all", "kept"}:
        out |= heat
        return
    side = where[0]
    own = {k: v for k, v in kept.get(side, {}).items() if k not in {"medium_c", "variant"}}
    if data["stage"] == "torch":
        own["kind"] = "torch"
    out["faces"] = {side: {**own, **heat, **variant}}
    if where == "b-basted":
        out["faces"]["a"] = kept.get("a") or {"kind": "baste", "medium_c": BASTE_C}


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
    """What a careful cook leaves open."""

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
