"""The sentence as a form: every part a control, every error beside its part."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import Any

from django import forms

from ember_core.book.book import Book
from ember_core.entry.sentence import OWN_WAY, OwnFood, Sentence
from ember_web.book.queries import house_document, own_food
from ember_web.tenancy.models import Kitchen

RULES = (
    ("us-food-code-2022", "US Food Code 2022"),
    ("us-fsis-appendix-a", "US FSIS Appendix A"),
    ("uk-fsa", "UK FSA"),
    ("anz-fsanz-3.2.2", "FSANZ 3.2.2"),
    ("house", "house rules"),
)
GUESTS = (("general", "general guests"), ("susceptible", "highly susceptible guests"))
FIELDS = ("cut", "food", "count", "size_mm", "mass_g", "start_c", "target_c", "way", "serve", "rules", "guests")


def number(
    label: str, least: float, most: float, unit: str, step: str = "any", required: bool = True
) -> forms.FloatField:
    """A number with its unit, and range errors that name the part and the remedy."""
    return forms.FloatField(
        label=label,
        min_value=least,
        max_value=most,
        required=required,
        widget=forms.NumberInput(attrs={"step": step, "inputmode": "decimal", "autocomplete": "off"}),
        error_messages={
            "invalid": f"{label.capitalize()}: write a number in {unit}, such as {least + (most - least) / 10:.0f}.",
            "required": f"{label.capitalize()}: give a number in {unit}.",
            "min_value": f"{label.capitalize()}: give at least {least:g} {unit}.",
            "max_value": f"{label.capitalize()}: give at most {most:g} {unit}.",
        },
    )


class SentenceForm(forms.Form):
    """The parts of a plan's sentence."""

    cut = forms.ChoiceField(label="cut", choices=())
    food = forms.ChoiceField(label="food", choices=(), required=False)
    count = forms.IntegerField(
        label="count",
        min_value=1,
        max_value=10000,
        required=False,
        error_messages={
            "invalid": "Count: write a whole number.",
            "min_value": "Count: give at least 1.",
            "max_value": "Count: give at most 10,000.",
        },
        widget=forms.NumberInput(attrs={"inputmode": "numeric"}),
    )
    size_mm = number("thickness", 1, 400, "mm")
    mass_g = number("mass", 1, 200000, "g", required=False)
    start_c = number("start", -40, 100, "°C")
    target_c = number("target", 0, 100, "°C")
    way = forms.ChoiceField(label="way", choices=())
    serve = forms.TimeField(
        label="on the plate at",
        required=False,
        input_formats=["%H:%M", "%H.%M", "%H:%M:%S"],
        widget=forms.TextInput(
            attrs={"inputmode": "numeric", "maxlength": "8", "placeholder": "any time", "autocomplete": "off"}
        ),
        error_messages={"invalid": "On the plate at: write a time such as 19:40."},
    )
    rules = forms.ChoiceField(label="rules", choices=RULES)
    guests = forms.ChoiceField(label="guests", choices=GUESTS)
    title = forms.CharField(label="title", max_length=200, required=False)

    def __init__(self, *args: Any, book: Book, own: str = "", foods: list[tuple[str, str]], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["food"].choices = foods  # type: ignore[attr-defined]
        cut_choices = [(c["id"], c["name"]) for c in book.cuts.values()]
        way_choices = [(w["id"], w["name"]) for w in book.ways.values()]
        if own:
            way_choices.append((OWN_WAY, "the file's own stages"))
            if own not in book.cuts:
                cut_choices.append((own, own))
        self.fields["cut"].choices = cut_choices  # type: ignore[attr-defined]
        self.fields["way"].choices = way_choices  # type: ignore[attr-defined]
        for field in self.fields.values():
            if isinstance(field, forms.ChoiceField):
                field.error_messages["invalid_choice"] = f"{str(field.label).capitalize()}: choose one from the list."
        for name, field in self.fields.items():
            field.widget.attrs.setdefault("class", f"part part-{name}")
            field.widget.attrs["aria-label"] = field.label
            if self.is_bound and name in self.errors:
                field.widget.attrs["aria-invalid"] = "true"
                field.widget.attrs["aria-describedby"] = f"error-{name}"


def initial(sentence: Sentence, kitchen: Kitchen) -> dict[str, Any]:
    """Form values of a sentence."""
    serve = sentence.serve_at
    return {
        "cut": sentence.cut or "own piece",
        "food": sentence.own_food.id if sentence.own_food else "",
        "count": sentence.count,
        "size_mm": f"{sentence.size_mm:g}",
        "mass_g": "" if sentence.mass_g is None else f"{sentence.mass_g:g}",
        "start_c": f"{sentence.start_c:g}",
        "target_c": f"{sentence.target_c:g}",
        "way": sentence.way,
        "serve": kitchen.local(serve).strftime("%H:%M")
        if serve and serve.tzinfo
        else (serve.strftime("%H:%M") if serve else ""),
        "rules": sentence.rules,
        "guests": sentence.guests,
        "title": sentence.title,
    }


def serve_moment(kitchen: Kitchen, clock: Any, now: datetime) -> datetime | None:
    """The next time the kitchen's clock shows ``clock``; up to 6 h ago still counts as today."""
    if clock is None:
        return None
    local = kitchen.local(now)
    moment = local.replace(hour=clock.hour, minute=clock.minute, second=0, microsecond=0)
    return moment + timedelta(days=1) if moment < local - timedelta(hours=6) else moment


def sentence_of(form: SentenceForm, kitchen: Kitchen, base: dict[str, Any], book: Book) -> Sentence:
    """The sentence a valid form says; cut and way stay in the version that the plan in ``base`` was made with."""
    d = form.cleaned_data
    way, piece = base.get("way", {}), base.get("piece", {})
    return Sentence(
        cut="" if d["cut"] == "own piece" else d["cut"],
        size_mm=d["size_mm"],
        start_c=d["start_c"],
        target_c=d["target_c"],
        way=d["way"],
        mass_g=d["mass_g"],
        count=d["count"] or 1,
        serve_at=serve_moment(kitchen, d["serve"], kitchen.now()),
        rules=d["rules"],
        guests=d["guests"],
        altitude_m=kitchen.altitude_m,
        air_c=kitchen.air_c,
        title=d["title"],
        house=house_document(kitchen),
        own_food=own_food(kitchen, d["food"], OwnFood.of_piece(base.get("piece", {}))),
        base=base,
        way_version=way.get("version") if way.get("id") == d["way"] else None,
        cut_version=piece.get("x-cut-version", 1) if piece.get("cut") == d["cut"] else None,
        book=book,
    )


def choices_for(book: Book, food: str) -> list[tuple[str, float]]:
    """Doneness names offered beside the target."""
    return list(book.doneness_names(food))
