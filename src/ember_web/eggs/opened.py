"""Eggs out of their shells, and what is built on them: a short form and an answer for each."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from django import forms
from django.http import HttpResponse
from django.shortcuts import render
from django.utils.text import capfirst
from django.utils.translation import gettext
from django.views.decorators.http import require_GET

from ember_core.data.loader import read_toml
from ember_core.doneness.eggs import WHITES, YOLKS
from ember_core.eggs.built import Bound, bound_word, lands_c, pasta_c_for, sauce, water_steps, whisking
from ember_core.eggs.omelette import EGG_G, SCHOOLS, Omelette, omelette
from ember_core.eggs.poached import MOVING_K, Poach, poach, rewarm_minutes
from ember_core.eggs.stirred import Pan, Scramble, Scrambled, scramble
from ember_core.errors import EmberError
from ember_core.heat.physics.boiling import boiling_point
from ember_core.wording.message import N_, Message, say
from ember_web.tenancy.access import KitchenRequest, in_kitchen
from ember_web.tenancy.models import Kitchen
from ember_web.tenancy.voice import current, tell
from ember_web.ui.computing import solver


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


@dataclass(frozen=True, eq=False)
class Answer:
    """What a page says: the loudest number with its word, lines, a table."""

    word: str
    loud: str
    lines: list[Message]
    head: list[str] = field(default_factory=list)
    rows: list[list[Any]] = field(default_factory=list)


def _clock(seconds: float) -> str:
    return f"{round(seconds) // 60}:{round(seconds) % 60:02d}"


US = "us-food-code-2022"
LATER = N_(
    "Chilled and warmed again it is no longer an egg for immediate service: 3-401.11(A)(2) asks for 68 °C for 17 s, or its equal."
)
LATER_ELSEWHERE = N_(
    "Chilled and warmed again it is no longer an egg for immediate service: the kitchen's own rules on reheating and on soft eggs hold."
)
MATERIALS = {"steel": N_("steel"), "cast-iron": N_("cast iron"), "aluminium": N_("aluminium"), "copper": N_("copper")}
PAN = (
    Part("diameter_mm", N_("pan across"), 240.0, 100.0, 600.0, "length"),
    Part("pan_g", N_("pan weighs"), 1200.0, 100.0, 15000.0, "mass"),
    Part("material", N_("of"), "steel", choices=MATERIALS),
)
STIRRINGS = {
    "slow": N_("slow, with a spoon"),
    "whisked": N_("fast, with a whisk"),
    "folded": N_("seldom, in big folds"),
}
HEATS = {"250": N_("low"), "500": N_("medium low"), "900": N_("medium"), "1500": N_("high")}


def _pan(d: dict[str, Any], begin_c: float) -> Pan:
    return Pan(d["diameter_mm"], d["pan_g"] / 1000.0, d["material"], float(d["heat"]), begin_c)


def _poached(d: dict[str, Any], kitchen: Kitchen) -> Answer:
    """Minutes in water that just moves, and how to stop, keep and warm it again."""
    p = Poach(
        d["mass_g"],
        d["start_c"],
        d["count"],
        d["yolk"],
        d["stop"],
        kitchen.altitude_m,
        d["litres"],
        rules=kitchen.rules,
    )
    found = poach(p)
    water = boiling_point(kitchen.altitude_m) - MOVING_K
    lines = [
        say(
            "As eaten: yolk {yolk}, white {white}, in {water_c:temp0}, {litres:g} litres and at least 10 cm deep, just moving.",
            yolk=say(YOLKS[found.state.yolk_word]), white=say(WHITES[found.state.white_word]), water_c=water, litres=d["litres"],
        ),
        say("Strain the thin white off, open the egg close to the water; whirled water takes one at a time, still water as many as have room."),
        say("Ready: it rises, the white springs back, the yolk gives. Drag the water once so that it does not stick."),
    ]  # fmt: skip
    if not found.reached:
        lines.insert(0, say("So it does not come out as wanted: choose another yolk, or more water."))
    if d["stop"] == "ice":
        warm = rewarm_minutes(p, 62.0)
        lines.append(
            say(
                "Kept cold and trimmed; {minutes:.0f} min in water of {water_c:temp0} make it warm again.",
                minutes=warm or 0.0,
                water_c=62.0,
            )
        )
        lines.append(say(LATER if kitchen.rules == US else LATER_ELSEWHERE))
    return Answer(gettext("In the water"), _clock(60.0 * found.minutes), lines)


def _scrambled(d: dict[str, Any], kitchen: Kitchen) -> Answer:
    """When it sets, when it leaves the heat, what stops it."""
    m = Scramble(d["count"] * EGG_G, d["start_c"], _pan(d, d["pan_c"]), d["stirring"], d["target_c"], kitchen.air_c)
    found = scramble(m)
    ready = float(found.t[int((found.egg_c < m.target_c).sum()) - 1])
    lines = [
        say("Off the heat at {off_c:temp0}: the pan, at {pan_c:temp0}, lands it at {target_c:temp0}.", off_c=found.off_c, pan_c=found.pan_c, target_c=m.target_c),
        say("First curds after {begins:.0f} s. From soft to firm it is {window:.0f} s on this heat; less heat gives more.", begins=found.begins_s, window=found.window_s),
        say("Left on to {target_c:temp0} and in its pan it goes on to {over_c:temp0}.", target_c=m.target_c, over_c=found.over_c),
        say(
            "Or stop it there with {egg:mass} of raw egg held back, {cream:mass} of cold cream, or {butter:mass} of cold butter.",
            egg=round(found.stop_g["egg"]), cream=round(found.stop_g["cream"]), butter=round(found.stop_g["butter"]),
        ),
    ]  # fmt: skip
    if found.stop_g["egg"] > 0.2 * m.egg_g:
        lines.append(
            say("That is much for {egg_g:mass} of egg: take it off sooner, or use a lighter pan.", egg_g=m.egg_g)
        )
    rows = [[_clock(s), f"{current().units.number('temp', _egg_c(found, s), 0)}"] for s in _moments(ready)]
    return Answer(
        gettext("Off the heat"),
        _clock(found.off_s),
        lines,
        [gettext("time"), tell("egg, {sign}", sign=current().units.sign("temp"))],
        rows,
    )


def _egg_c(found: Scrambled, seconds: float) -> float:
    """The egg's temperature, °C, so many seconds in."""
    i = min(int(seconds), found.t.size - 1)
    return float(found.egg_c[i])


def _moments(end_s: float) -> list[float]:
    step = max(round(end_s / 5.0 / 5.0) * 5.0, 5.0)
    return [i * step for i in range(1, 7)]


def _omelette(d: dict[str, Any], kitchen: Kitchen) -> Answer:
    """Seconds until it is folded, how thick it lies, which pan suits."""
    o = Omelette(
        d["count"], d["school"], d["diameter_mm"], d["pan_g"] / 1000.0, d["material"], float(d["heat"]), d["start_c"]
    )
    found = omelette(o)
    row = SCHOOLS[o.school]
    lines = [
        say("The pan is ready at {pan_c:temp0}: {butter}.", pan_c=row["pan_c"], butter=say(row["butter"])),
        say("It lies {thick:length1} thick, and is folded at {fold_c:temp0}, still moist; filling goes in just before.", thick=found.thick_mm, fold_c=row["fold_c"])
        if row["stirring"]
        else say("It lies {thick:length1} thick; under a lid its upper side is set at {fold_c:temp0}. Turn it, or grill it.", thick=found.thick_mm, fold_c=row["fold_c"]),
    ]  # fmt: skip
    if not found.suits:
        lines.insert(
            0,
            say(
                "For {eggs} eggs a pan of {small:length} to {large:length} suits this school.",
                eggs=o.eggs,
                small=float(found.pans_mm[0]),
                large=float(found.pans_mm[1]),
            ),
        )
    if o.school == "browned":
        lines.append(say("Where it browns, the egg has been past 140 °C and dry: that skin is tough, so keep it thin."))
    word = gettext("Fold after") if row["stirring"] else gettext("Turn after")
    return Answer(word, _clock(found.set_s), lines)


def _sauce(d: dict[str, Any], kitchen: Kitchen) -> Answer:
    """Yolks, butter, water and acid; how the whisking goes; holding; what to do when it goes wrong."""
    made = sauce(covers=d["count"])
    found = whisking(made, d["over"], kitchen.altitude_m)
    row = read_toml("eggs_open.toml")["sauce"]
    low, high = row["thick_c"]
    lines = [
        say(
            "{yolks} yolks, {butter:mass} of butter, {water:mass} of water, {acid:mass} of lemon or reduction: {total:mass}, {covers} covers.",
            yolks=made.yolks, butter=made.butter_g, water=made.water_g, acid=made.acid_g, total=round(made.total_g), covers=made.covers,
        ),
        say("They thicken from {low_c:temp0} to {high_c:temp0}, when the whisk leaves tracks; above {scrambles_c:temp0} they scramble. That is {window:.0f} s on this heat.", low_c=low, high_c=high, scrambles_c=row["scrambles_c"], window=found.window_s),
        say("Then the butter, drop by drop at first, off the heat; the yolks carry {most:mass} at the most.", most=made.most_butter_g),
        say("Too thick: {step:mass} of warm water at a time. Thin: more butter, or back over the heat. Split: beat it into a fresh yolk and {water:mass} of warm water.", step=5.0, water=15.0),
        say("Hold at {low_c:temp0} to {high_c:temp0}, {minutes:g} min at the most (common practice); the kitchen's own rules on time and temperature come first.", low_c=row["hold_c"][0], high_c=row["hold_c"][1], minutes=row["hold_minutes"]),
        say(
            "Salmonella, by a model: {whisked} log10 while it is whisked. No rule is met by that: raw yolks, never for susceptible guests without pasteurised egg.",
            whisked=f"{found.log10:.1f}",
        ),
    ]  # fmt: skip
    return Answer(gettext("Tracks after"), _clock(found.thick_s), lines)


def _pasta(d: dict[str, Any], kitchen: Kitchen) -> Answer:
    """Where the mixture lands, and what starchy water does to it."""
    b = Bound(d["pasta_g"], d["pasta_c"], d["egg_g"], d["cheese_g"], d["fat_g"], d["mix_c"], d["bowl_g"])
    landed = lands_c(b)
    words = {
        "thin": N_("stays thin"),
        "thick": N_("thickens"),
        "close": N_("close to scrambling"),
        "scrambled": N_("scrambles"),
    }
    steps = water_steps(b)
    best = next((s for s in steps if s[2] == "thick"), None)
    lines = [
        say(
            "Off the heat all comes together at {landed_c:temp0}: it {word}.",
            landed_c=landed,
            word=say(words[bound_word(landed)]),
        )
    ]
    wanted = pasta_c_for(b, 66.0)
    boil = boiling_point(kitchen.altitude_m)
    if best is not None and best[0] > 0:
        lines.append(
            say(
                "With {grams:mass} of hot starchy water, a little at a time, it lands at {c:temp0} and thickens.",
                grams=best[0],
                c=best[1],
            )
        )
    elif best is None and wanted > boil:
        lines.append(say("The pasta cannot be hot enough here: warm the bowl and the egg, or take less of it."))
    elif landed > 70.0:
        lines.append(say("Let the pasta cool to {pasta_c:temp0} first.", pasta_c=wanted))
    lines.append(
        say("Whites in the sauce and the raw yolk on the plate: a dish with an advisory, never for susceptible guests.")
    )
    rows = [
        [current().units.shown("mass", g), current().units.shown("temp", c, 0), gettext(words[w])]
        for g, c, w in steps[:6]
    ]
    return Answer(
        gettext("Lands at"),
        current().units.shown("temp", landed, 0),
        lines,
        [gettext("hot water"), gettext("lands at"), gettext("so it")],
        rows,
    )


@dataclass(frozen=True)
class Topic:
    """What a page is about: its name, the parts of its form, and how it is answered."""

    words: str
    parts: tuple[Part, ...]
    answer: Callable[[dict[str, Any], Kitchen], Answer]


COUNT = Part("count", N_("eggs"), 4, 1, 500)
START = Part("start_c", N_("from"), 6.0, 0.0, 40.0, "temp")
HEAT = Part("heat", N_("heat"), "500", choices=HEATS)
TOPICS = {
    "poached": Topic(
        N_("poached"),
        (
            COUNT, Part("mass_g", N_("each in its shell"), 57.0, 20.0, 150.0, "mass"), Part("start_c", N_("from"), 4.0, 0.0, 40.0, "temp"),
            Part("yolk", N_("yolk"), "runny", choices=dict(YOLKS)), Part("litres", N_("litres of water"), 4.0, 0.5, 200.0),
            Part("stop", N_("then"), "plate", choices={"plate": N_("to the plate"), "ice": N_("iced water, for later")}),
        ),
        _poached,
    ),
    "scrambled": Topic(
        N_("scrambled"),
        (
            Part("count", N_("eggs"), 3, 1, 400), START, Part("stirring", N_("stirred"), "slow", choices=STIRRINGS), HEAT,
            Part("target_c", N_("to"), 71.0, 64.0, 79.0, "temp"), *PAN, Part("pan_c", N_("pan begins at"), 100.0, 40.0, 220.0, "temp"),
        ),
        _scrambled,
    ),
    "omelette": Topic(
        N_("omelette"),
        (
            Part("count", N_("eggs"), 3, 1, 40), Part("start_c", N_("from"), 15.0, 0.0, 40.0, "temp"),
            Part("school", N_("school"), "pale", choices={k: v["name"] for k, v in SCHOOLS.items()}), Part("heat", N_("heat"), "900", choices=HEATS), *PAN,
        ),
        _omelette,
    ),
    "sauce": Topic(
        N_("yolk butter sauce"),
        (
            Part("count", N_("covers"), 10, 1, 2000),
            Part("over", N_("over"), "water", choices={"water": N_("a water bath"), "direct": N_("direct gentle heat")}),
        ),
        _sauce,
    ),
    "pasta": Topic(
        N_("pasta bound with egg"),
        (
            Part("pasta_g", N_("cooked pasta"), 200.0, 20.0, 20000.0, "mass"), Part("pasta_c", N_("at"), 90.0, 40.0, 100.0, "temp"),
            Part("egg_g", N_("egg"), 80.0, 10.0, 5000.0, "mass"), Part("cheese_g", N_("cheese"), 60.0, 0.0, 5000.0, "mass"),
            Part("fat_g", N_("fat"), 20.0, 0.0, 5000.0, "mass"), Part("mix_c", N_("these at"), 15.0, 0.0, 60.0, "temp"),
            Part("bowl_g", N_("cold bowl"), 0.0, 0.0, 10000.0, "mass"),
        ),
        _pasta,
    ),
}  # fmt: skip


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
        "topics": [(k, t.words) for k, t in TOPICS.items()],
        "part": part,
    }
    htmx = getattr(request, "htmx", None)
    template = part if htmx and not htmx.boosted else "eggs/page.html"
    return render(request, template, context, status=200 if form.is_valid() and good else 422)


@in_kitchen()
@require_GET
def opened(request: KitchenRequest, what: str) -> HttpResponse:
    """One topic: its form and its answer."""
    topic = TOPICS.get(what, TOPICS["poached"])
    form = form_of(topic.parts, request.GET)
    answer, why = None, ""
    if form.is_valid():
        try:
            answer = solver.run(topic.answer, form.cleaned_data, request.kitchen)
        except EmberError as error:
            why = current().say(error.message)
    context = {"answer": answer, "why": why, "what": what if what in TOPICS else "poached", "name": topic.words}
    return shown(request, "eggs/_opened.html", form, topic.parts, context)
