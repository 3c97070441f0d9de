"""The sentence as a form: every part a control, every error beside its part."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import datetime, time, timedelta
from typing import Any

from django import forms
from django.forms.utils import flatatt
from django.utils.html import conditional_escape
from django.utils.safestring import SafeString, mark_safe
from django.utils.text import capfirst
from django.utils.translation import gettext

from ember_core.book.book import Book, usual_mass
from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.entry.compiling import Known, heat_of, main_kind, stage_of
from ember_core.entry.sentence import OWN_WAY, OwnFood, Sentence, from_document
from ember_core.plan.shapes import BY_MASS
from ember_core.wording.message import N_
from ember_core.wording.quantities import Units
from ember_web.book.public import food_choices, house_document, own_food
from ember_web.kitchens.models import GEAR_OF, Equipment
from ember_web.plans.models import Plan
from ember_web.plans.shared_pieces import beside_of
from ember_web.plans.written import KINDS, TIMES, Written, exact, posted, read_written, stored
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, tell

GUESTS = (("general", N_("general guests")), ("susceptible", N_("highly susceptible guests")))
FIELDS = (
    *("cut", "food", "count", "size_mm", "sizes", "mass_g", "start_c", "target_c", "way", "heat_c", "minutes"),
    *("temper_min", "apart_s", "beside", "gear", "serve", "rules", "guests", "done", "unread"),
)
OPTIONAL = {"mass_g", "heat_c"}
LIMITS = {"size_mm": (1, 400), "mass_g": (1, 200000), "start_c": (-40, 100), "target_c": (0, 100), "heat_c": (-20, 400)}
LABELS = {
    "cut": N_("cut"),
    "food": N_("food"),
    "count": N_("count"),
    "size_mm": N_("thickness"),
    "mass_g": N_("mass"),
    "start_c": N_("start"),
    "target_c": N_("target"),
    "way": N_("way"),
    "heat_c": N_("heat"),
    "minutes": N_("minutes"),
    "sizes": N_("sizes"),
    "temper_min": N_("out of the cold before"),
    "apart_s": N_("laid in"),
    "beside": N_("in it too"),
    "gear": N_("gear"),
    "serve": N_("on the plate at"),
    "rules": N_("rules"),
    "guests": N_("guests"),
    "title": N_("title"),
    "done": N_("what was done to it"),
    "unread": N_("words not understood"),
}
DONE = {
    "": N_("as it is"),
    "scored": N_("scored"),
    "marinated": N_("marinated"),
    "rolled": N_("rolled"),
    "tenderised": N_("tenderised"),
    "injected": N_("injected"),
    "minced": N_("minced"),
    "stuffed": N_("stuffed"),
    "game-wild": N_("wild game"),
    "frozen": N_("frozen against parasites"),
    "pellet-fed": N_("farmed on pellets"),
    "cleanest-waters": N_("from the cleanest waters"),
}
OF_FISH = frozenset({"frozen", "pellet-fed"})


class Options(forms.Select):
    """A select of many options, written at once instead of by a template each: a plan's page has 150 of them."""

    def render(self, name: str, value: Any, attrs: Any = None, renderer: Any = None) -> SafeString:
        """As Django's own, for plain and grouped choices."""
        chosen = {str(v) for v in self.format_value(value)}
        parts = []
        for key, words in self.choices:
            if isinstance(words, (list, tuple)):
                inner = "".join(_option(k, w, chosen) for k, w in words)
                parts.append(f'<optgroup label="{conditional_escape(key)}">{inner}</optgroup>')
            else:
                parts.append(_option(key, words, chosen))
        given = flatatt(self.build_attrs(self.attrs, {"name": name, **(attrs or {})}))
        return mark_safe(f"<select{given}>{''.join(parts)}</select>")  # noqa: S308 - escaped above


def _option(key: Any, words: Any, chosen: set[str]) -> str:
    mark = " selected" if str(key) in chosen else ""
    return f'<option value="{conditional_escape(key)}"{mark}>{conditional_escape(words)}</option>'


class QuantityInput(forms.TextInput):
    """A number in the reader's unit; the field behind it is in SI."""

    def __init__(self, show: Callable[[Any], Any], usual: Any = None) -> None:
        super().__init__(attrs={"inputmode": "decimal", "maxlength": "20", "autocomplete": "off"})
        self.show, self.usual = show, usual

    def format_value(self, value: Any) -> Any:
        """What is shown of a value in SI; of none the usual one."""
        value = self.usual if value in (None, "") else value
        return value if value in (None, "") else self.show(value)


def quantity(name: str, written: Written, units: Units) -> forms.FloatField:
    """A number with its unit, and range errors that name the part and the remedy."""
    kind, (least, most) = KINDS[name], LIMITS[name]
    label = capfirst(gettext(LABELS[name]))
    sign, low, high = units.sign(kind), units.shown(kind, least), units.shown(kind, most)
    return forms.FloatField(
        label=label,
        min_value=least,
        max_value=most,
        required=name not in OPTIONAL,
        widget=QuantityInput(lambda value: written.shown(name, value, units)),
        error_messages={
            "invalid": tell(
                "{label}: write a number in {unit}, such as {example}.",
                label=label,
                unit=sign,
                example=units.number(kind, least + (most - least) / 10, 0),
            ),
            "required": tell("{label}: give a number in {unit}.", label=label, unit=sign),
            "min_value": tell("{label}: give at least {least}.", label=label, least=low),
            "max_value": tell("{label}: give at most {most}.", label=label, most=high),
        },
    )


class SentenceForm(forms.Form):
    """The parts of a plan's sentence; quantities in SI, shown in the reader's units."""

    has_gear = False
    busy = False  # nothing is wrong with it, but it could not be computed now

    cut = forms.ChoiceField(choices=(), widget=Options)
    food = forms.ChoiceField(choices=(), required=False, widget=Options)
    count = forms.IntegerField(
        min_value=1, max_value=10000, required=False, widget=forms.NumberInput(attrs={"inputmode": "numeric"})
    )
    size_mm = forms.FloatField()
    mass_g = forms.FloatField(required=False)
    start_c = forms.FloatField()
    target_c = forms.FloatField()
    way = forms.ChoiceField(choices=(), widget=Options)
    heat_c = forms.FloatField(required=False)
    minutes = forms.FloatField(min_value=0.1, max_value=20160, required=False)
    sizes = forms.CharField(max_length=200, required=False)
    temper_min = forms.FloatField(min_value=0, max_value=240, required=False, widget=forms.HiddenInput())
    apart_s = forms.FloatField(min_value=0, max_value=600, required=False, widget=forms.HiddenInput())
    beside = forms.CharField(max_length=400, required=False, widget=forms.HiddenInput())
    gear = forms.ChoiceField(choices=(), required=False, widget=Options)
    serve = forms.TimeField(required=False, input_formats=TIMES, widget=QuantityInput(str))
    rules = forms.ChoiceField(widget=Options)
    guests = forms.ChoiceField(widget=Options)
    done = forms.ChoiceField(choices=(), required=False, widget=Options)
    unread = forms.CharField(max_length=300, required=False, widget=forms.HiddenInput())
    title = forms.CharField(max_length=200, required=False)

    def __init__(
        self,
        written: Written,
        *,
        book: Book,
        own: str = "",
        foods: list[tuple[str, str]],
        gear: list[str],
        units: Units,
    ) -> None:
        super().__init__(written.values)
        self.has_gear = bool(gear)
        self.fields["gear"].widget.attrs["translate"] = "no"  # its names are the kitchen's
        self.fields["gear"].choices = [("", gettext("any")), *((name, name) for name in gear)]  # type: ignore[attr-defined]
        self.written, self.units = written, units
        for name in KINDS:
            self.fields[name] = quantity(name, written, units)
        self.fields["minutes"].widget = QuantityInput(str)
        self.fields["sizes"].widget = forms.HiddenInput()
        self.fields["serve"].widget = QuantityInput(self._time)
        self.fields["serve"].widget.attrs |= {"maxlength": "8", "placeholder": gettext("any time")}
        self._choices(book, own, foods)
        self._messages()
        for name, field in self.fields.items():
            field.label = gettext(LABELS[name])
            field.widget.attrs.setdefault("class", f"part part-{name}")
            field.widget.attrs["aria-label"] = field.label
            if name in self.errors:
                field.widget.attrs["aria-invalid"] = "true"
                field.widget.attrs["aria-describedby"] = f"error-{name}"

    def _choices(self, book: Book, own: str, foods: list[tuple[str, str]]) -> None:
        cuts: list[Any] = grouped(book)
        ways = [(w["id"], gettext(w["name"])) for w in book.ways.values()]
        if own:
            ways.append((OWN_WAY, gettext("the file's own stages")))
            if own not in book.cuts:
                cuts.append((own, own))
        for name, found in {
            "cut": cuts,
            "way": ways,
            "food": [(key, gettext(words)) for key, words in foods],
            "rules": [(r["id"], gettext(r["short"])) for r in book.rules.values()],
            "guests": [(key, gettext(words)) for key, words in GUESTS],
            "done": [
                (key, ", ".join(gettext(DONE.get(k, k)) for k in (key.split() or [""])))
                for key in done_choices(
                    book, str(self.written.values.get("cut")), str(self.written.values.get("done") or "")
                )
            ],
        }.items():
            self.fields[name].choices = found  # type: ignore[attr-defined]

    def usual_heat(self, heat_c: float | None) -> None:
        """What the way's heat is as long as the sentence states none, °C; None: it is not set by a number."""
        self.fields["heat_c"].widget.usual = None if heat_c is None else f"{heat_c:g}"

    @property
    def heat_shown(self) -> str:
        """The heat as it stands on the page while the sentence states none: sent along, so that it is not taken as stated."""
        widget: Any = self.fields["heat_c"].widget
        return "" if self["heat_c"].value() or widget.usual is None else str(widget.format_value(""))

    def clean_sizes(self) -> tuple[float, ...]:
        """The pieces' own sizes, mm."""
        try:
            sizes = tuple(float(s) for s in self.cleaned_data["sizes"].split())
        except ValueError:
            sizes = ()
        return sizes if len(sizes) > 1 and all(1 <= s <= 400 for s in sizes) else ()

    def _messages(self) -> None:
        self.fields["minutes"].error_messages |= {
            "invalid": gettext("Minutes: write a number, such as 35."),
            "min_value": gettext("Minutes: give at least 0.1."),
            "max_value": gettext("Minutes: give at most 20,160."),
        }
        for name, field in self.fields.items():
            if isinstance(field, forms.ChoiceField):
                label = capfirst(gettext(LABELS[name]))
                field.error_messages["invalid_choice"] = tell("{label}: choose one from the list.", label=label)
        self.fields["count"].error_messages |= {
            "invalid": gettext("Count: write a whole number."),
            "min_value": gettext("Count: give at least 1."),
            "max_value": gettext("Count: give at most 10,000."),
        }
        example = self.units.moment(time(19, 40))
        self.fields["serve"].error_messages["invalid"] = tell(
            "On the plate at: write a time such as {example}.", example=example
        )

    def _time(self, value: Any) -> str:
        """A time of day as the reader writes it."""
        try:
            return self.units.moment(value if isinstance(value, time) else time.fromisoformat(str(value)))
        except ValueError:
            return str(value)

    @property
    def si(self) -> dict[str, Any]:
        """The quantities as they are, SI text."""
        return {name: self[name].value() for name in KINDS}

    @property
    def exact(self) -> str:
        """For the page to send back, see :func:`ember_web.plans.written.exact`."""
        return exact(self.si, self.units)

    @property
    def entered(self) -> str:
        """What is to be kept of how it was written, as JSON."""
        return json.dumps(self.written.entered(self.si))


def done_choices(book: Book, cut: str, stated: str) -> list[str]:
    """What can have been done to a cut beside what its row says, and what is stated of it; nothing of a plant, or an egg in its shell."""
    row = book.cuts.get(cut)
    food = food_row(row["food"]) if row else None
    found = [""]
    if row is not None and food is not None and food["species"] not in {"plant", "egg"}:
        forms_of = read_toml("forms.toml")
        allowed = forms_of["forms"][str(food["form"])]
        bivalve = food["id"] in forms_of["bivalves"]["foods"]
        for name in DONE:
            if not name or name in row.get("handling", ()) or name == row["form"]:
                continue
            if name in OF_FISH:
                fits = food["species"] == "fish"
            elif name == "cleanest-waters":
                fits = bivalve
            else:
                fits = name in allowed or name in {"scored", "marinated", "rolled"}
            found += [name] if fits else []
    return found if stated in found or not set(stated.split()) <= set(DONE) else [*found, stated]


def grouped(book: Book) -> list[tuple[str, list[tuple[str, str]]]]:
    """The cuts of a book by species, in the book's order; names in the reader's language."""
    groups: dict[str, list[tuple[str, str]]] = {}
    for cut in book.cuts.values():
        row = food_row(cut["food"])
        groups.setdefault(str(row["species"]) if row else "", []).append((cut["id"], gettext(cut["name"])))
    return [(capfirst(gettext(species)) if species else "–", found) for species, found in groups.items()]


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
        "gear": str(sentence.gear.get("name", "")) if sentence.gear else "",
        "heat_c": "" if sentence.heat_c is None else f"{sentence.heat_c:g}",
        "minutes": "" if sentence.minutes is None else f"{sentence.minutes:g}",
        "sizes": " ".join(f"{s:g}" for s in sentence.sizes_mm),
        "temper_min": f"{sentence.temper_min:g}" if sentence.temper_min else "",
        "apart_s": f"{sentence.apart_s:g}" if sentence.apart_s else "",
        "beside": " ".join(str(o["x-plan"]) for o in sentence.beside if "x-plan" in o),
        "serve": kitchen.local(serve).strftime("%H:%M")
        if serve and serve.tzinfo
        else (serve.strftime("%H:%M") if serve else ""),
        "rules": sentence.rules,
        "guests": sentence.guests,
        "done": " ".join(sentence.done),
        "unread": " ".join(sentence.unread),
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
        heat_c=d["heat_c"],
        minutes=d["minutes"],
        sizes_mm=d["sizes"],
        temper_min=d["temper_min"] or 0.0,
        apart_s=d["apart_s"] or 0.0,
        beside=beside_of(kitchen, d["beside"], base),
        gear=_gear(kitchen, d["gear"], base),
        mass_g=d["mass_g"],
        count=d["count"] or 1,
        serve_at=serve_moment(kitchen, d["serve"], kitchen.now()),
        rules=d["rules"],
        guests=d["guests"],
        altitude_m=kitchen.altitude_m,
        air_c=kitchen.air_c,
        title=d["title"],
        done=tuple(d["done"].split()),
        unread=tuple(d["unread"].split()),
        house=house_document(kitchen),
        own_food=own_food(kitchen, d["food"], OwnFood.of_piece(base.get("piece", {}))),
        base=base,
        way_version=way.get("version") if way.get("id") == d["way"] else None,
        cut_version=piece.get("x-cut-version", 1) if piece.get("cut") == d["cut"] else None,
        spreads_version=base.get("x-spreads-version", 1) if base else None,
        book=book,
    )


def _gear(kitchen: Kitchen, name: str, base: dict[str, Any]) -> dict[str, Any] | None:
    """The kitchen's gear by name as it is now; one that is gone as the saved plan has it."""
    if not name:
        return None
    found = Equipment.objects.filter(kitchen=kitchen, name=name).first()
    if found is not None:
        store = found.store()
        return {"name": found.name, "offset_c": found.true_offset_c, **({} if store is None else {"store": store})}
    kept = base.get("x-gear")
    return dict(kept) if isinstance(kept, dict) and kept.get("name") == name else None


def choices_for(book: Book, food: str) -> list[tuple[str, float]]:
    """Doneness names offered beside the target."""
    return list(book.doneness_names(food))


def _first(kitchen: Kitchen, book: Book) -> Sentence:
    first = "bavette" if "bavette" in book.cuts else next(iter(book.cuts))
    return Sentence.for_cut(first, book=book, rules=kitchen.rules, altitude_m=kitchen.altitude_m, air_c=kitchen.air_c)


def form_of(book: Book, kitchen: Kitchen, plan: Plan | None, data: Any) -> tuple[SentenceForm, dict[str, Any]]:
    """The sentence's form: from the address, filled up from the saved plan or the cut's usual values."""
    base = dict(plan.document) if plan else {}
    start = from_document(base, kitchen.altitude_m, kitchen.air_c, book) if plan else _first(kitchen, book)
    data = {k: data.get(k) for k in data}
    if data.get("heat_c") is not None and data["heat_c"] == data.get("was_heat"):
        data["heat_c"] = ""  # the way's own heat, as it was shown
    written = read_written(data)
    said, typed = written.values, {**stored(plan.entered if plan else {}), **posted(str(data.get("entered", "")))}
    chosen, before = said.get("cut"), said.get("was")
    if chosen in book.cuts and before is not None and before != chosen:
        # another cut brings its own size, mass, doneness and way; what the cook set for the service stays
        kept = {k: said.get(k) for k in ("count", "start_c", "serve", "rules", "guests") if k in said}
        typed.pop("heat_c", None)
        values = initial(Sentence.for_cut(chosen, book=book), kitchen) | kept
    else:
        values = initial(start, kitchen)
        if plan is None and chosen in book.cuts and chosen != start.cut:
            values = initial(Sentence.for_cut(chosen, book=book, rules=kitchen.rules), kitchen)
        values |= {k: said.get(k) for k in (*FIELDS, "title") if k in said}
        values["mass_g"] = _mass_of(book, values, said.get("was_size"))
        if said.get("was_size") not in (None, "", values["size_mm"]):
            values["sizes"] = ""  # one size was written in place of several
        if said.get("was_way") not in (None, values["way"]):
            values |= {"heat_c": "", "minutes": ""}  # another way has its own
            kinds = {_main_kind(book, str(w)) for w in (said["was_way"], values["way"])}
            values |= {} if len(kinds) == 1 else {"gear": "", "beside": ""}
    own = str(initial(start, kitchen)["cut"]) if plan is not None else ""
    usual = book.cuts.get(str(values["cut"]), {}).get("food", "")
    foods = food_choices(kitchen, usual, start.own_food)
    gear = gear_names(kitchen, _main_kind(book, str(values["way"])), str((start.gear or {}).get("name", "")))
    form = SentenceForm(
        Written(values, typed | written.typed), book=book, own=own, foods=foods, gear=gear, units=current().units
    )
    form.usual_heat(_own_heat(book, values))
    return form, base


def gear_names(kitchen: Kitchen, kind: str, known: str) -> list[str]:
    """The kitchen's own gear of the kind of the main heat; one that a saved plan names stays."""
    found = list(Equipment.objects.filter(kitchen=kitchen, kind=GEAR_OF.get(kind, "")).values_list("name", flat=True))
    return [*found, *([known] if known and known not in found else [])]


def _main_kind(book: Book, way: str) -> str:
    """The kind of stage that does the cooking of a way."""
    row = book.way(way)
    return "" if row is None else main_kind(row)


def heat_shown_of(form: SentenceForm) -> float | None:
    """The way's own heat, °C; None when it is not set by a number."""
    usual = form.fields["heat_c"].widget.usual
    return None if usual is None else float(usual)


def _own_heat(book: Book, values: dict[str, Any]) -> float | None:
    """The heat of a way's main stage, °C, when it is a number a cook sets."""
    way = book.way(str(values["way"]))
    try:
        size, start, target = (float(values[k]) for k in ("size_mm", "start_c", "target_c"))
    except (TypeError, ValueError):
        return None
    known = Known(size, start, target, 0.0)
    return None if way is None else heat_of([stage_of(s, known) for s in way["stage"]])


def _mass_of(book: Book, values: dict[str, Any], was_size: str | None) -> Any:
    """The mass in the sentence; the usual one of a cut follows the size that a cook changes."""
    cut = book.cuts.get(str(values["cut"]))
    if cut is None or cut["shape"] in BY_MASS:
        return values["mass_g"]
    try:
        size, before = float(values["size_mm"]), float(was_size or cut["size_mm"])
    except (TypeError, ValueError):
        return values["mass_g"]
    usual = values["mass_g"] == f"{usual_mass(cut, before):g}"
    return f"{usual_mass(cut, size):g}" if usual and 1 <= size <= 400 else values["mass_g"]
