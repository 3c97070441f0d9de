"""The stages of a way as forms: what each shows of a stage, and the stage it makes of what is written."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any

from django import forms
from django.utils.translation import gettext
from django.utils.translation import gettext_lazy as _

from ember_core.data.loader import read_toml

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
