"""The sentence of Eggs: its parts, their limits, and the question they make."""

from __future__ import annotations

import json
from typing import Any

from django import forms
from django.utils.text import capfirst
from django.utils.translation import gettext

from ember_core.data.loader import read_toml
from ember_core.doneness.eggs import YOLKS
from ember_core.eggs.question import IN_BATH, EggQuestion
from ember_core.wording.message import N_
from ember_core.wording.quantities import Units
from ember_web.book.public import house_document
from ember_web.plans.public import TIMES, Options, QuantityInput, Written, exact, quantity, read_written, serve_moment
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, tell

SPECIES = {
    "hen": N_("hen's eggs"), "bantam": N_("bantam's eggs"), "quail": N_("quail's eggs"), "duck": N_("duck's eggs"),
    "goose": N_("goose eggs"), "turkey": N_("turkey's eggs"), "ostrich": N_("ostrich eggs"),
}  # fmt: skip
WATER_WORDS = {
    "boil": N_("in boiling water"), "cold": N_("from cold water"), "bath": N_("in a bath"), "steam": N_("in steam"), "bath-boil": N_("in a bath, then boiling water"),
    "turns": N_("in hot and cool water in turns"),
}  # fmt: skip
STOP_WORDS = {
    "ice": N_("then iced water"), "plate": N_("then to the plate"), "held": N_("then peeled and held warm"), "later": N_("then chilled, and warmed again"),
}  # fmt: skip
SIZE_WORDS = {"alike": N_("all alike"), "class": N_("of one class"), "mixed": N_("mixed sizes")}
SIZE_SPREAD = {"alike": 0.0, "class": 0.06, "mixed": 0.16}  # of the mass, to either side
NAMES = {
    "species": N_("eggs"), "count": N_("count"), "yolk": N_("yolk"), "water": N_("water"), "stop": N_("stop"),
    "minutes": N_("minutes"), "litres": N_("litres"), "sizes": N_("sizes"), "serve": N_("on the plate at"),
}  # fmt: skip
FIELDS = (
    "species",
    "count",
    "mass_g",
    "start_c",
    "yolk",
    "water",
    "heat_c",
    "stop",
    "minutes",
    "litres",
    "lid",
    "sizes",
    "serve",
)
MOST_MINUTES = 600.0


class EggForm(forms.Form):
    """The parts of the question; quantities in SI, shown in the reader's units."""

    species = forms.ChoiceField(widget=Options)
    count = forms.IntegerField(min_value=1, max_value=2000, widget=forms.NumberInput(attrs={"inputmode": "numeric"}))
    mass_g = forms.FloatField()
    start_c = forms.FloatField()
    yolk = forms.ChoiceField(widget=Options)
    water = forms.ChoiceField(widget=Options)
    heat_c = forms.FloatField(required=False)
    stop = forms.ChoiceField(widget=Options)
    minutes = forms.FloatField(min_value=0.25, max_value=MOST_MINUTES, required=False, widget=forms.HiddenInput())
    litres = forms.FloatField(
        min_value=0.2, max_value=500, required=False, widget=forms.TextInput(attrs={"inputmode": "decimal", "maxlength": "8"})
    )  # fmt: skip
    lid = forms.BooleanField(required=False)
    sizes = forms.ChoiceField(widget=forms.Select())
    serve = forms.TimeField(required=False, input_formats=TIMES, widget=QuantityInput(str))

    def __init__(self, written: Written, units: Units) -> None:
        super().__init__(written.values)
        self.written, self.units = written, units
        for name in ("mass_g", "start_c", "heat_c"):
            self.fields[name] = quantity(name, written, units)
        self.fields["mass_g"].required = True  # of a plan's piece it may be left out, an egg has its size
        self.fields["serve"].widget.attrs |= {"maxlength": "8", "placeholder": gettext("any time")}
        for name, words in {
            "species": SPECIES,
            "yolk": YOLKS,
            "water": WATER_WORDS,
            "stop": STOP_WORDS,
            "sizes": SIZE_WORDS,
        }.items():
            self.fields[name].choices = [(key, gettext(word)) for key, word in words.items()]  # type: ignore[attr-defined]
        self._messages()
        for name, field in self.fields.items():
            field.label = field.label if name in {"mass_g", "start_c", "heat_c"} else gettext(NAMES.get(name, name))
            field.widget.attrs.setdefault("class", f"part part-{name}")
            field.widget.attrs["aria-label"] = field.label
            if name in self.errors:
                field.widget.attrs["aria-invalid"] = "true"
                field.widget.attrs["aria-describedby"] = f"error-{name}"

    def _messages(self) -> None:
        for name, field in self.fields.items():
            if isinstance(field, forms.ChoiceField):
                words = tell("{label}: choose one from the list.", label=capfirst(gettext(NAMES[name])))
                field.error_messages["invalid_choice"] = words
        self.fields["count"].error_messages |= {
            "invalid": gettext("Count: write a whole number."),
            "required": gettext("Count: give at least 1."),
            "min_value": gettext("Count: give at least 1."),
            "max_value": gettext("Count: give at most 2,000."),
        }
        self.fields["litres"].error_messages |= {
            "invalid": gettext("Litres: write a number, such as 5."),
            "min_value": gettext("Litres: give at least 0.2."),
            "max_value": gettext("Litres: give at most 500."),
        }
        self.fields["minutes"].error_messages |= {
            "invalid": gettext("Minutes: write a number, such as 6.5."),
            "min_value": gettext("Minutes: give at least 0.25."),
            "max_value": gettext("Minutes: give at most 600."),
        }
        self.fields["serve"].error_messages["invalid"] = gettext("On the plate at: write a time such as 7:30.")

    def clean(self) -> dict[str, Any]:
        """A bath has a temperature."""
        found: dict[str, Any] = super().clean() or {}
        if found.get("water") in IN_BATH and found.get("heat_c") is None and "heat_c" not in self.errors:
            self.add_error("heat_c", tell("Give how hot the bath is, such as {usual_c:temp}.", usual_c=64.0))
        return found

    @property
    def exact(self) -> str:
        """For the page to send back, see :func:`ember_web.plans.written.exact`."""
        return exact({n: self[n].value() for n in ("mass_g", "start_c", "heat_c")}, self.units)

    @property
    def entered(self) -> str:
        """What is to be kept of how it was written, as JSON."""
        return json.dumps(self.written.entered({n: self[n].value() for n in ("mass_g", "start_c", "heat_c")}))


def form_of(kitchen: Kitchen, data: Any) -> EggForm:
    """The form of an address: what it states, over the usual egg."""
    said = read_written({k: data.get(k) for k in data})
    values: dict[str, Any] = {
        "species": "hen", "count": "1", "mass_g": "57", "start_c": "4", "yolk": "jammy", "water": "boil", "heat_c": "", "stop": "ice",
        "minutes": "", "litres": "", "lid": "", "sizes": "class", "serve": "",
    }  # fmt: skip
    values |= {k: v for k, v in said.values.items() if k in FIELDS}
    known = read_toml("eggs.toml")["species"]
    if said.values.get("was_species") not in (None, values["species"]) and values["species"] in known:
        values["mass_g"] = f"{known[values['species']]['mass_g']:g}"  # another kind of egg has its own size
    if said.values.get("was_yolk") not in (None, values["yolk"]):
        values["minutes"] = ""  # another yolk takes its own time
    if said.values.get("was_water") not in (None, values["water"]):
        values["minutes"] = ""
    if values["water"] in IN_BATH and not values["heat_c"]:
        values["heat_c"] = "64"
    return EggForm(Written(values, said.typed), current().units)


def question_of(form: EggForm, kitchen: Kitchen) -> EggQuestion:
    """The question that a valid form asks, in a kitchen."""
    d = form.cleaned_data
    return EggQuestion(
        species=d["species"],
        mass_g=d["mass_g"],
        start_c=d["start_c"],
        count=d["count"],
        yolk=d["yolk"],
        minutes=d["minutes"],
        water=d["water"],
        water_c=d["heat_c"] if d["heat_c"] is not None else 64.0,
        stop=d["stop"],
        litres=d["litres"] if d["water"] in {"boil", "cold"} else None,
        lid=d["lid"],
        altitude_m=kitchen.altitude_m,
        air_c=kitchen.air_c,
        rules=kitchen.rules,
        serve_at=serve_moment(kitchen, d["serve"], kitchen.now()),
        house=house_document(kitchen),
    )


def masses_of(form: EggForm) -> list[float]:
    """Masses of the smallest, the stated and the largest egg of a valid form's batch, g; one where all are alike."""
    mass, spread = float(form.cleaned_data["mass_g"]), SIZE_SPREAD[form.cleaned_data["sizes"]]
    row = read_toml("eggs.toml")["species"][form.cleaned_data["species"]]
    ends = [max(mass * (1.0 - spread), row["least_g"]), min(mass * (1.0 + spread), row["most_g"])]
    return [mass] if spread == 0.0 else [ends[0], mass, ends[1]]


def title_of(question: EggQuestion, word: str) -> str:
    """What a plan of these eggs is called."""
    words = tell("{eggs}, {word}", eggs=gettext(SPECIES[question.species]), word=gettext(YOLKS[word]))
    return words[:1].upper() + words[1:]
