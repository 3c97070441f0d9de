"""What is built on eggs: warm butter-and-yolk sauces, custards, pasta bound with egg; and the rules for eggs."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.utils.translation import gettext

from ember_core.data.loader import read_toml
from ember_core.eggs.built import Bound, bound_word, lands_c, pasta_c_for, water_steps
from ember_core.eggs.custard import Baked, Cup, Mix, Oven, Poured, bake, door_takes_k, infused_c, scaled, tempered
from ember_core.eggs.question import EggQuestion
from ember_core.eggs.ruled import boiled_to_rule, products, ruled
from ember_core.eggs.sauce import (
    BASES,
    OVER,
    Sauce,
    base_c_for,
    beaten_in_c,
    butter_off_heat_g,
    buttered_c,
    sauce,
    unthinned_g,
    whisking,
)
from ember_core.heat.physics.boiling import boiling_point
from ember_core.safety.check import rows_of
from ember_core.safety.keeping import (
    check_cooling,
)
from ember_core.safety.rules import profile_of
from ember_core.wording.message import N_, Message, say
from ember_web.eggs.fields import AIRS, COLD, EACH, NAMES, Answer, Part, Place, Table, Topic
from ember_web.tenancy.voice import current, tell
from ember_web.ui.templatetags.ember import span, to_the_second


def _sauce(d: dict[str, Any], place: Place) -> Answer:
    """Yolks, butter, water and acid; how the whisking goes; holding; what to do when it goes wrong."""
    made = sauce(**{d["known"]: d["count"]})
    row = read_toml("eggs_open.toml")["sauce"]
    low, high = row["thick_c"]
    begin, based = None, list[Message]()
    if d["base"] == "reduction":
        begin, based = _on_reduction(made, boiling_point(place.altitude_m), low - UNDER_THICK_K, row["scrambles_c"])
    found = whisking(made, d["over"], place.altitude_m, begin_c=begin)
    lines = [
        say(
            "{yolks} yolks, {butter:mass} of butter, {water:mass} of water, {acid:mass} of lemon or reduction: {total:mass}, {covers} covers.",
            yolks=made.yolks, butter=made.butter_g, water=made.water_g, acid=made.acid_g, total=round(made.total_g), covers=made.covers,
        ),
        *based,
        say("They thicken from {low_c:temp0} to {high_c:temp0}, when the whisk leaves tracks; above {scrambles_c:temp0} they scramble. That leaves {window:.0f} s on this heat.", low_c=low, high_c=high, scrambles_c=row["scrambles_c"], window=found.window_s),
        _buttered(made, d["butter"], row),
        say("The yolks carry {most:mass} of butter at the most.", most=made.most_butter_g),
        say(
            "Too thick: {step:mass} of warm water at a time. Too thin: {butter:mass} of butter for each {water:mass} of water too much, or back over the heat. Split: beat it into a fresh yolk and {fresh:mass} of warm water.",
            step=5.0, butter=round(unthinned_g(made, 10.0)), water=10.0, fresh=15.0,
        ),
        say("Hold at {low_c:temp0} to {high_c:temp0}, {minutes:g} min at the most (common practice).", low_c=row["hold_c"][0], high_c=row["hold_c"][1], minutes=row["hold_minutes"]),
        _held_by(place, float(row["hold_c"][1])),
        say(
            "Salmonella, by a model: {whisked} log10 while it is whisked. No rule is met by that: raw yolks, never for susceptible guests without pasteurised egg.",
            whisked=f"{found.log10:.1f}",
        ),
    ]  # fmt: skip
    units = current().units
    rows = [[to_the_second(s), units.number("temp", c, 0), f"{k:.1f}"] for s, c, k in found.rows()]
    head = [gettext("whisked for"), tell("yolks, {sign}", sign=units.sign("temp")), gettext("Salmonella, log10")]
    return Answer(gettext("Tracks after"), to_the_second(found.thick_s), lines, [Table("", head, rows)])


UNDER_THICK_K = (
    4.0  # yolks that are beaten into a reduction land so far below where they thicken; common practice: warm, not thick
)


def _on_reduction(made: Sauce, boil_c: float, wanted_c: float, scrambles_c: float) -> tuple[float, list[Message]]:
    """Where the whisking begins on a sharp reduction, °C, and what is said of it."""
    landed = beaten_in_c(made, boil_c)
    if landed < wanted_c:
        return landed, [say("Beaten into the boiling reduction they land at {landed:temp0}.", landed=landed)]
    cooled = base_c_for(made, wanted_c)
    words = say("Beaten into the reduction as it boils they would land at {landed:temp0}", landed=landed)
    end = say(": they scramble") if landed >= scrambles_c else ""
    return wanted_c, [
        say(
            "{words}{end}. Off the heat until it is at {cooled:temp0}; then they land at {wanted:temp0}, and the heat does the rest.",
            words=words, end=end, cooled=cooled, wanted=wanted_c,
        )
    ]  # fmt: skip


def _buttered(made: Sauce, butter: str, row: dict[str, Any]) -> Message:
    """What the butter does, melted or in cold cubes."""
    if butter == "warm":
        return say(
            "Then the butter, melted, at {warm:temp0}, drop by drop at first, off the heat: with all of it it is at {landed:temp0}.",
            warm=row["warm_c"], landed=buttered_c(made, made.butter_g, row["warm_c"]),
        )  # fmt: skip
    room = butter_off_heat_g(made, row["cold_c"])
    if room >= made.butter_g:
        return say("Then the butter in cold cubes, the heat off, one after another.")
    return say(
        "Then the butter in cold cubes, the heat off: {room:mass} takes it down to {least:temp0}, all of it to {landed:temp0}. So back over gentle heat in between.",
        room=round(room), least=row["hold_c"][0], landed=buttered_c(made, made.butter_g, row["cold_c"]),
    )  # fmt: skip


def _held_by(place: Place, most_c: float) -> Message:
    """What the kitchen's rules allow a sauce that is kept at no more than ``most_c`` °C."""
    profile = profile_of(place.rules, place.house)
    held, timed = rows_of("holding", profile.kept_by), rows_of("time_control", profile.kept_by)
    if held and held[0]["hot_c"] <= most_c:
        return say(
            "By your rules hot food is held at {hot:temp0} or more ({clause}); cooler than that its time is limited by the kitchen's own plan.",
            hot=held[0]["hot_c"], clause=held[0]["clause"],
        ) if not timed else say(
            "By your rules it is held at {hot:temp0} or more ({clause}), or by time alone for {limit:span} at the most, marked, then thrown away ({timed}).",
            hot=held[0]["hot_c"], clause=held[0]["clause"], limit=timed[0]["most_s"], timed=timed[0]["clause"],
        )  # fmt: skip
    if timed:
        return say(
            "Your rules hold hot food warmer than a sauce bears: by time alone, {limit:span} at the most, marked, then thrown away ({clause}).",
            limit=timed[0]["most_s"], clause=timed[0]["clause"],
        )  # fmt: skip
    return say(
        "Your rules hold hot food warmer than a sauce bears and have no number for time alone: the kitchen's own plan decides."
    )


def _pasta(d: dict[str, Any], place: Place) -> Answer:
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
    boil = boiling_point(place.altitude_m)
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
        [Table("", [gettext("hot water"), gettext("lands at"), gettext("so it")], rows)],
    )


STANDS = {
    "firm": N_("firm: little cream on a yolk"), "usual": N_("as usual"), "loose": N_("barely set"), "runny": N_("too little egg to set"),
}  # fmt: skip
TENTS = {"tent": N_("a loose tent over the tray"), "open": N_("tray open")}


def _custard(d: dict[str, Any], place: Place) -> Answer:
    """The mix, cream poured into yolks, cups in the oven by size, and the cold after it."""
    cups = [Cup(d["across_mm"], d["deep_mm"], d["count"])]
    if d["other_count"]:
        cups.append(Cup(d["other_across_mm"], d["other_deep_mm"], d["other_count"]))
    base = Mix(d["yolks"], d["eggs"], d["cream_g"], d["milk_g"], d["sugar_g"])
    oven = Oven(d["oven_c"], d["air"] == "fan", d["tent"] == "tent", d["start_c"], place.altitude_m, rules=place.rules)
    found = bake(base, cups, oven)
    need = sum(c.ml * c.count for c in cups) * DENSITY
    mix = scaled(base, need)
    units = current().units
    first = found[0]
    lines = [
        say("For these cups: {parts} ({stands}).", parts=_parts_of(mix), stands=say(STANDS[base.word])),
        say(
            "The tray's water comes to {water_c:temp0} in this oven; the custard lands at {lands_c:temp0} in the middle and comes out before, its rim set and its middle trembling.",
            water_c=oven.water_c, lands_c=base.lands_c,
        ),
        say(
            "Water to half of the cups. Each {open_s:.0f} s with the oven's door open takes up to {fall_k:rise1} from it: look once, near the end.",
            open_s=DOOR_S, fall_k=door_takes_k(oven, DOOR_S, place.air_c, 0.5 * d["deep_mm"]),
        ),
        say("Infused for an hour under a lid the cream falls to {c:temp0}: warm it again, hot and not boiling, and strain.", c=infused_c(base, HOT_C, 60.0, place.air_c)),
        say("Burn {sugar:mass} of sugar on each at service, not before: it turns wet in the refrigerator.", sugar=round(first.sugar_g, 1)),
    ]  # fmt: skip
    if max(b.rim_c for b in found) >= read_toml("eggs_open.toml")["custard"]["curdles_c"]:
        lines.append(
            say(
                "At the wall it comes to {rim_c:temp0} and begins to curdle: less heat, or the tray open.",
                rim_c=max(b.rim_c for b in found),
            )
        )
    lines += [said for b in found[-1:] for said in _cooling(b, place)]
    baked = [
        [
            f"{b.cup.count} × {round(b.cup.ml)} ml", to_the_second(60.0 * b.minutes), units.shown("temp", b.pull_c, 1), units.shown("temp", b.lands_c, 1),
            "–" if b.cold_min is None else span(60.0 * b.cold_min),
        ]
        for b in found
    ]  # fmt: skip
    poured = [
        [units.shown("mass", p.cream_g), units.shown("temp", p.mix_c, 0), units.shown("temp", p.curdles_c, 0)]
        for p in _some(tempered(base, HOT_C, EGG_C))
    ]
    tables = [
        Table("", [gettext("cups"), gettext("in the oven"), gettext("out at"), gettext("lands at"), gettext("cold after")], baked),
        Table(
            tell("Cream of {hot_c:temp0} poured into yolks and sugar", hot_c=HOT_C),
            [gettext("cream in it"), gettext("comes to"), gettext("curdles from")], poured,
        ),
    ]  # fmt: skip
    titles = [
        (tell("Custards, {n} cups of {ml} ml", n=b.cup.count, ml=round(b.cup.ml)), dict(b.plan.document)) for b in found
    ]
    return Answer(gettext("First cups out after"), to_the_second(60.0 * first.minutes), lines, tables, titles)


HOT_C, EGG_C, DENSITY = 80.0, 15.0, 1.05
DOOR_S = 20.0  # a look into an oven; common practice, no published source


def _parts_of(mix: Mix) -> list[Message]:
    """What goes into a mix."""
    units = ((mix.yolks, say("{n} yolks", n=mix.yolks)), (mix.eggs, say("{n} whole eggs", n=mix.eggs)))
    grams = (
        (mix.cream_g, say("{g:mass} of cream", g=round(mix.cream_g))), (mix.milk_g, say("{g:mass} of milk", g=round(mix.milk_g))),
        (mix.sugar_g, say("{g:mass} of sugar", g=round(mix.sugar_g))),
    )  # fmt: skip
    return [words for amount, words in (*units, *grams) if amount]


def _some(poured: tuple[Poured, ...]) -> list[Poured]:
    """At most six of the additions, the last among them."""
    step = max(-(-(len(poured) - 1) // 5), 1)
    return [*poured[:-1:step], poured[-1]]


def _cooling(b: Baked, place: Place) -> list[Message]:
    """Whether the largest cups get cold within the kitchen's rule."""
    begin = b.cook.stages[0].end_s
    after = b.cook.t >= begin
    hottest = np.maximum(b.cook.field.max(axis=1), b.cook.core)[after]
    profile = profile_of(place.rules, place.house).kept_by
    checks = check_cooling(profile, b.cook.t[after] - begin, hottest, end_of_heat_s=0.0, measured=False)
    bad = [c for c in checks if c.met is False]
    if not bad:
        return [
            say("Chilled after 20 min, by the kitchen's rule: {clause}.", clause=c.clause) for c in checks[:1] if c.met
        ]
    return [c.message for c in bad[:1]] + [say("Cool the cups in iced water first, or take smaller ones.")]


USES = {"egg-now": N_("broken for one order, served at once"), "egg-later": N_("pooled, or for later")}
LEVELS = {"stop": N_("never"), "care": N_("only so"), "note": N_("allowed")}


def _rules(d: dict[str, Any], place: Place) -> Answer:
    """What the kitchen's rules say of eggs, each with its clause, and how long one boils until it is there."""
    house = place.house
    profile = profile_of(place.rules, house)
    question = EggQuestion(
        mass_g=d["mass_g"], start_c=d["start_c"], altitude_m=place.altitude_m, rules=place.rules, stop="plate"
    )
    minutes = boiled_to_rule(question, d["use"], house)
    lines = [
        say("By {profile}. Time and temperature at the coldest point, in boiling water here; the kitchen's own plan and local code come first.", profile=profile.name)
        if minutes is not None
        else say("{profile} has no number for this: {guidance}", profile=profile.name, guidance=say(profile.guidance) if profile.guidance else say("follow the kitchen's own plan.")),
    ]  # fmt: skip
    rows = [
        [gettext(r.topic), current().say(r.words), r.clause, gettext(LEVELS[r.level])]
        for r in ruled(place.rules, house)
    ]
    tables = [Table("", [gettext("what"), gettext("rule"), gettext("clause"), ""], rows)] if rows else []
    if not rows:
        lines.append(say("These rules are not about eggs: the kitchen's own plan and local code hold."))
    liquid = [
        [
            gettext(p.name),
            f"{current().units.shown('temp', p.at_c, 1)}, {to_the_second(p.seconds)}",
            p.clause,
            f"{p.log10:.1f}",
        ]
        for p in products(place.rules, house)
    ]
    if liquid:
        words = gettext(
            "Pasteurised liquid egg: the rule, and beside it what a model of Salmonella (in beef) says; neither proves the other"
        )
        tables.append(Table(words, [gettext("egg"), gettext("held at"), gettext("clause"), "log10"], liquid))
    return Answer(
        gettext("Boiled to its rule after"), "–" if minutes is None else to_the_second(60.0 * minutes), lines, tables
    )


TOPICS = {
    "custard": Topic(
        NAMES["custard"],
        (
            Part("yolks", N_("yolks"), 5, 0, 400), Part("eggs", N_("whole eggs"), 0, 0, 400), Part("cream_g", N_("cream"), 500.0, 0.0, 50000.0, "mass"),
            Part("milk_g", N_("milk"), 0.0, 0.0, 50000.0, "mass"), Part("sugar_g", N_("sugar"), 90.0, 0.0, 20000.0, "mass"),
            Part("start_c", N_("mix at"), 55.0, 0.0, 75.0, "temp"), Part("oven_c", N_("oven"), 140.0, 90.0, 220.0, "temp"),
            Part("air", N_("air"), "still", choices=AIRS), Part("tent", N_("over it"), "tent", choices=TENTS),
            Part("count", N_("cups"), 6, 1, 200), Part("across_mm", N_("across"), 80.0, 30.0, 300.0, "length"), Part("deep_mm", N_("filled"), 30.0, 8.0, 100.0, "length"),
            Part("other_count", N_("other cups"), 0, 0, 200), Part("other_across_mm", N_("across"), 60.0, 30.0, 300.0, "length"),
            Part("other_deep_mm", N_("filled"), 45.0, 8.0, 100.0, "length"),
        ),
        _custard,
    ),
    "sauce": Topic(
        NAMES["sauce"],
        (
            Part("count", N_("for"), 10, 1, 100000),
            Part("known", N_("counted in"), "covers", choices={"covers": N_("covers"), "yolks": N_("yolks"), "butter_g": N_("grams of butter")}),
            Part("base", N_("on"), "lemon", choices=BASES), Part("over", N_("over"), "water", choices=OVER),
            Part("butter", N_("butter"), "warm", choices={"warm": N_("melted"), "cold": N_("in cold cubes")}),
        ),
        _sauce,
    ),
    "pasta": Topic(
        NAMES["pasta"],
        (
            Part("pasta_g", N_("cooked pasta"), 200.0, 20.0, 20000.0, "mass"), Part("pasta_c", N_("at"), 90.0, 40.0, 100.0, "temp"),
            Part("egg_g", N_("egg"), 80.0, 10.0, 5000.0, "mass"), Part("cheese_g", N_("cheese"), 60.0, 0.0, 5000.0, "mass"),
            Part("fat_g", N_("fat"), 20.0, 0.0, 5000.0, "mass"), Part("mix_c", N_("these at"), 15.0, 0.0, 60.0, "temp"),
            Part("bowl_g", N_("cold bowl"), 0.0, 0.0, 10000.0, "mass"),
        ),
        _pasta,
    ),
    "rules": Topic(
        NAMES["rules"],
        (
            Part("use", N_("the egg is"), "egg-now", choices=USES), EACH, COLD,
        ),
        _rules,
    ),
}  # fmt: skip
