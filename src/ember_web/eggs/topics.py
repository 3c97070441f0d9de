"""Eggs out of their shells, cooked: poached, coddled, fried, baked, scrambled, omelettes."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.utils.translation import gettext

from ember_core.doneness.eggs import WHITES, YOLKS
from ember_core.eggs.fried import SCHOOLS as FRIED
from ember_core.eggs.fried import Dish, Fry, Opened, bake, fry, schools
from ember_core.eggs.omelette import EGG_G, SCHOOLS, Omelette, omelette
from ember_core.eggs.poached import MOVING_K, Poach, poach, rewarm_minutes, skin_mm, styles
from ember_core.eggs.question import EggAnswer
from ember_core.eggs.stirred import Pan, Scramble, Scrambled, scramble
from ember_core.eggs.stirred_plan import omelette_document, scrambled_document
from ember_core.errors import EmberError
from ember_core.heat.physics.boiling import boiling_point
from ember_core.wording.message import N_, Message, say
from ember_web.eggs.drawing import lying_of
from ember_web.eggs.fields import AIRS, COLD, EACH, NAMES, Answer, Part, Place, Table, Topic
from ember_web.tenancy.voice import current, tell
from ember_web.ui.templatetags.ember import to_the_second

US = "us-food-code-2022"
LATER = N_(
    "Chilled and warmed again it is no longer an egg for immediate service: 3-401.11(A)(2) asks for 68 °C for 17 s, or its equal."
)
LATER_ELSEWHERE = N_(
    "Chilled and warmed again it is no longer an egg for immediate service: the kitchen's own rules on reheating and on soft eggs hold."
)
MATERIALS = {"steel": N_("steel"), "cast-iron": N_("cast iron"), "aluminium": N_("aluminium"), "copper": N_("copper")}
PAN = (
    Part("diameter_mm", N_("pan diameter"), 240.0, 100.0, 600.0, "length"),
    Part("pan_g", N_("pan mass"), 1200.0, 100.0, 15000.0, "mass"),
    Part("material", N_("of"), "steel", choices=MATERIALS),
)
STIRRINGS = {
    "slow": N_("slow, with a spoon"),
    "whisked": N_("fast, with a whisk"),
    "folded": N_("seldom, in big folds"),
}
HEATS = {
    "400": N_("low"),
    "650": N_("medium low"),
    "1000": N_("medium"),
    "1600": N_("high"),
}  # W that reach the pan, about


def _pan(d: dict[str, Any], begin_c: float) -> Pan:
    return Pan(d["diameter_mm"], d["pan_g"] / 1000.0, d["material"], float(d["heat"]), begin_c)


STYLES = {"still": N_("still water"), "whirled": N_("whirled, one at a time")}


def _opened_to_water(way: str, d: dict[str, Any], place: Place) -> tuple[Poach, Any]:
    p = Poach(
        d["mass_g"], d["start_c"], d["count"], d["yolk"], d["stop"], place.altitude_m, d["litres"], rules=place.rules, way=way
    )  # fmt: skip
    return p, poach(p)


def _poached(d: dict[str, Any], place: Place) -> Answer:
    """Minutes in water that just moves, by school, and how to stop, keep and warm it again."""
    p, found = _opened_to_water("poached", d, place)
    water = boiling_point(place.altitude_m) - MOVING_K
    lines = [
        say(
            "As eaten: yolk {yolk}, white {white}, in {water_c:temp0}, {litres:g} litres and at least 10 cm deep, just moving.",
            yolk=say(YOLKS[found.state.yolk_word]), white=say(WHITES[found.state.white_word]), water_c=water, litres=d["litres"],
        ),
        say("Strain the thin white off, open the egg close to the water. Drag the water once so that it does not stick."),
        say(
            "Ten seconds in its shell first, the blunt end pricked, set a skin of {skin:length1} that holds the shape; a spoon of vinegar sets its outside sooner, and the ice washes it off.",
            skin=skin_mm(p),
        ),
        say("Ready: it rises, the white springs back, the yolk gives."),
    ]  # fmt: skip
    if not found.reached:
        lines.insert(0, say("It will not come out as wanted: choose another yolk, or more water."))
    lines += _for_later(p, d, place)
    rows = [
        [
            gettext(STYLES[s.name]), f"{s.lots} × {s.at_once}", to_the_second(60.0 * s.minutes), to_the_second(60.0 * s.all_minutes),
            current().units.shown("temp", s.falls_to_c, 1),
        ]
        for s in styles(p)
    ]  # fmt: skip
    head = [
        gettext("school"),
        gettext("lots"),
        gettext("each lot"),
        gettext("all ready after"),
        gettext("water falls to"),
    ]
    return Answer(
        gettext("In the water"),
        to_the_second(60.0 * found.minutes),
        lines,
        [Table("", head, rows)],
        [_plan(found, "poached")],
    )


def _plan(found: EggAnswer, way: str) -> tuple[str, dict[str, Any]]:
    names = {
        "poached": N_("Poached eggs, {word}"),
        "coddled": N_("Coddled eggs, {word}"),
    }
    title = tell(names[way], word=gettext(YOLKS[found.state.yolk_word]))
    return title, dict(found.plan.document)


def _for_later(p: Poach, d: dict[str, Any], place: Place) -> list[Message]:
    if d["stop"] != "ice":
        return []
    warm = rewarm_minutes(p, 62.0)
    said = say(
        "Kept cold and trimmed; {minutes:.0f} min in water of {water_c:temp0} make it warm again.",
        minutes=warm or 0.0,
        water_c=62.0,
    )
    return [said, say(LATER if place.rules == US else LATER_ELSEWHERE)]


def _coddled(d: dict[str, Any], place: Place) -> Answer:
    """Minutes in a lidded cup that stands in hot water."""
    p, found = _opened_to_water("coddled", d, place)
    lines = [
        say(
            "As eaten from its cup: yolk {yolk}, white {white}.", yolk=say(YOLKS[found.state.yolk_word]), white=say(WHITES[found.state.white_word])
        ),
        say("Butter the cup, close it, stand it in {water_c:temp0} up to its rim. A thicker wall takes longer: try one.", water_c=boiling_point(place.altitude_m) - MOVING_K),
        say("The cup goes on cooking it: open it, or stand it in cold water."),
    ]  # fmt: skip
    if not found.reached:
        lines.insert(0, say("It will not come out as wanted: choose another yolk, or more water."))
    lines += _for_later(p, d, place)
    return Answer(gettext("In the water"), to_the_second(60.0 * found.minutes), lines, [], [_plan(found, "coddled")])


KEPT_AT = {"120": N_("gentle"), "140": N_("medium"), "170": N_("hot")}
UNDERNEATH_BROWN_C, UNDERNEATH_DRY_C = 120.0, 140.0


def _fried(d: dict[str, Any], place: Place) -> Answer:
    """How long in the pan, by school, and how white, yolk and underside are then."""
    pan = Pan(d["diameter_mm"], d["pan_g"] / 1000.0, d["material"], float(FRIED_W[d["keeps"]]), float(d["keeps"]))
    f = Fry(d["count"], d["mass_g"], d["start_c"], d["school"], d["yolk"], pan, place.altitude_m, place.rules)
    found = fry(f)
    lines = _lies(found, d["yolk"], f.school != "open")
    if found.turn_s is not None:
        lines.insert(
            0,
            say(
                "Turn after {turn:.0f} s; then {more:.0f} s on the other side.",
                turn=found.turn_s,
                more=found.seconds - found.turn_s,
            ),
        )
    if found.under_c >= UNDERNEATH_DRY_C:
        lines.append(
            say(
                "Underneath it comes to {under_c:temp0}: brown and crisp at the rim, tough where it is dry.",
                under_c=found.under_c,
            )
        )
    elif found.under_c >= UNDERNEATH_BROWN_C:
        lines.append(
            say("Underneath it comes to {under_c:temp0}: lace at the rim, lightly coloured.", under_c=found.under_c)
        )
    else:
        lines.append(say("Underneath it stays at {under_c:temp0}: tender and pale.", under_c=found.under_c))
    rows = [
        [gettext(FRIED[key]), to_the_second(o.seconds), gettext(WHITES[o.white_word]), gettext(YOLKS[o.yolk_word]), gettext("veiled") if o.film >= VEILED else gettext("clear")]
        if o is not None
        else [gettext(FRIED[key]), "–", "", "", ""]
        for key, o in schools(f)
    ]  # fmt: skip
    head = [gettext("school"), gettext("after"), gettext("white"), gettext("yolk"), gettext("on top")]
    title = tell("Fried eggs, {word}, the column of the yolk", word=gettext(YOLKS[found.yolk_word]))
    return Answer(
        gettext("In the pan"),
        to_the_second(found.seconds),
        lines,
        [Table("", head, rows)],
        [(title, found.document)],
        lying_of(found.painted),
    )


FRIED_W = {"120": 600.0, "140": 900.0, "170": 1500.0}  # W that reach a pan that is kept so, about
VEILED = 0.9


def _lies(found: Opened, wanted: str, veils: bool) -> list[Message]:
    """White and yolk of an opened egg, and what to change when it is not as wanted."""
    lines = [
        say(
            "As eaten: yolk {yolk}, white {white}.",
            yolk=say(YOLKS[found.yolk_word]),
            white=say(WHITES[found.white_word]),
        )
    ]
    if not found.reached:
        past = list(YOLKS).index(found.yolk_word) > list(YOLKS).index(wanted)
        lines.append(
            say(
                "When the white has set, the yolk is past {wanted}: take less heat, or a warmer egg.",
                wanted=say(YOLKS[wanted]),
            )
            if past
            else say(
                "It will not get to {wanted} before it dries: put a lid on, baste or turn it.",
                wanted=say(YOLKS[wanted]),
            )
        )
    lines.append(
        say("The top of the yolk comes to {top_c:temp0} and is veiled with white.", top_c=found.top_c)
        if veils and found.film >= VEILED
        else say(
            "The top of the yolk stays at {top_c:temp0}, clear and raw: a dish with an advisory.", top_c=found.top_c
        )
    )
    return lines


def _baked(d: dict[str, Any], place: Place) -> Answer:
    """How long in the oven in a dish."""
    dish = Dish(
        d["count"], d["mass_g"], d["start_c"], d["yolk"], d["across_mm"], d["oven_c"], d["air"] == "fan", d["stands"] == "water",
        place.altitude_m, place.rules,
    )  # fmt: skip
    found = bake(dish)
    lines = _lies(found, d["yolk"], True)
    lines.append(
        say(
            "The dish goes on cooking it: take it out while the white round the yolk still trembles. Cream on top keeps it from drying."
        )
    )
    other = bake(replace(dish, water=not dish.water))
    rows = [
        [gettext(STANDS["water" if x.water else "shelf"]), to_the_second(o.seconds), gettext(WHITES[o.white_word]), gettext(YOLKS[o.yolk_word])]
        for x, o in ((dish, found), (replace(dish, water=not dish.water), other))
    ]  # fmt: skip
    head = [gettext("the dish"), gettext("after"), gettext("white"), gettext("yolk")]
    title = tell("Baked eggs, {word}, the column of the yolk", word=gettext(YOLKS[found.yolk_word]))
    return Answer(
        gettext("In the oven"),
        to_the_second(found.seconds),
        lines,
        [Table("", head, rows)],
        [(title, found.document)],
        lying_of(found.painted),
    )


STANDS = {"water": N_("in hot water"), "shelf": N_("on the shelf")}


# how it is stirred: common practice, no source
STROKES = {
    "slow": N_("Draw the set egg off the bottom without a pause, in slow rounds: no dry skin, small soft curds."),
    "whisked": N_("Whisk all the time and everywhere: a cream with fine grain; it goes fast, so be ready to stop it."),
    "folded": N_("Let it set for some seconds, then push it across in wide strokes: large curds, air between them."),
}
MANY, OSTRICH = (
    12,
    18,
)  # from so many eggs on an ostrich's is spoken of; about 18 hen's eggs, common practice, no source


def _scrambled(d: dict[str, Any], place: Place) -> Answer:
    """When it sets, when it leaves the heat, what stops it."""
    m = Scramble(d["count"] * EGG_G, d["start_c"], _pan(d, d["pan_c"]), d["stirring"], d["target_c"], place.air_c)
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
            say("That is a lot for {egg_g:mass} of egg: take it off sooner, or use a lighter pan.", egg_g=m.egg_g)
        )
    lines.append(say(STROKES[d["stirring"]]))
    if d["count"] >= MANY:
        lines.append(say("An ostrich egg counts as about {eggs} hen's eggs.", eggs=OSTRICH))
    rows = [[to_the_second(s), f"{current().units.number('temp', _egg_c(found, s), 0)}"] for s in _moments(ready)]
    return Answer(
        gettext("Off the heat"),
        to_the_second(found.off_s),
        lines,
        [Table("", [gettext("time"), tell("egg, {sign}", sign=current().units.sign("temp"))], rows)],
        [(
            tell("Scrambled eggs, {mass:mass}, {stirring}", mass=round(m.egg_g), stirring=gettext(STIRRINGS[d["stirring"]])),
            scrambled_document(m, altitude_m=place.altitude_m, rules=place.rules),
        )],
    )  # fmt: skip


def _egg_c(found: Scrambled, seconds: float) -> float:
    """The egg's temperature, °C, so many seconds in."""
    i = min(int(seconds), found.t.size - 1)
    return float(found.egg_c[i])


def _moments(end_s: float) -> list[float]:
    step = max(round(end_s / 5.0 / 5.0) * 5.0, 5.0)
    return [i * step for i in range(1, 7)]


def _omelette(d: dict[str, Any], place: Place) -> Answer:
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
    lines.append(
        say(
            "Then {moved}; it ends {ends}; {folded}.",
            moved=say(row["moved"]),
            ends=say(row["ends"]),
            folded=say(row["folded"]),
        )
    )
    if o.school == "browned":
        lines.append(say("Where it browns, the egg has been past 140 °C and dry: that skin is tough, so keep it thin."))
    word = gettext("Fold after") if row["stirring"] else gettext("Turn after")
    title = tell("Omelette of {eggs} eggs, {school}", eggs=o.eggs, school=gettext(row["name"]))
    made = omelette_document(o, altitude_m=place.altitude_m, air_c=place.air_c, rules=place.rules)
    return Answer(word, to_the_second(found.set_s), lines, [_omelette_schools(o)], [(title, made)])


def _omelette_schools(o: Omelette) -> Table:
    """The schools beside each other, for these eggs in this pan: how hot it is, when each is folded, how it ends, which pan suits."""
    units = current().units
    rows = []
    for name, row in SCHOOLS.items():
        try:
            found = omelette(replace(o, school=name))
        except EmberError:
            continue
        pans = (
            f"{units.number('length', float(found.pans_mm[0]), 0)}–{units.shown('length', float(found.pans_mm[1]), 0)}"
        )
        ends = f"{units.shown('temp', row['fold_c'], 0)}, {gettext(row['ends'])}"
        rows.append(
            [gettext(row["name"]), units.number("temp", row["pan_c"], 0), to_the_second(found.set_s), ends, pans]
        )
    head = [
        gettext("school"),
        tell("pan, {sign}", sign=units.sign("temp")),
        gettext("after"),
        gettext("ends"),
        tell("pan for {eggs} eggs", eggs=o.eggs),
    ]
    return Table("", head, rows)


COUNT = Part("count", N_("eggs"), 4, 1, 500)
START = Part("start_c", N_("from"), 6.0, 0.0, 40.0, "temp")
HEAT = Part("heat", N_("heat"), "650", choices=HEATS)
YOLK = Part("yolk", N_("yolk"), "runny", choices=dict(YOLKS))
TOPICS = {
    "fried": Topic(
        NAMES["fried"],
        (
            Part("count", N_("eggs"), 2, 1, 60), EACH, COLD, Part("school", N_("school"), "open", choices=dict(FRIED)), YOLK,
            Part("keeps", N_("pan"), "140", choices=KEPT_AT), *PAN,
        ),
        _fried,
    ),
    "poached": Topic(
        NAMES["poached"],
        (
            COUNT, EACH, COLD, YOLK, Part("litres", N_("litres of water"), 4.0, 0.5, 200.0),
            Part("stop", N_("then"), "plate", choices={"plate": N_("to the plate"), "ice": N_("iced water, for later")}),
        ),
        _poached,
    ),
    "scrambled": Topic(
        NAMES["scrambled"],
        (
            Part("count", N_("eggs"), 3, 1, 400), START, Part("stirring", N_("stirred"), "slow", choices=STIRRINGS), HEAT,
            Part("target_c", N_("to"), 71.0, 64.0, 79.0, "temp"), *PAN, Part("pan_c", N_("pan begins at"), 100.0, 40.0, 220.0, "temp"),
        ),
        _scrambled,
    ),
    "omelette": Topic(
        NAMES["omelette"],
        (
            Part("count", N_("eggs"), 3, 1, 40), Part("start_c", N_("from"), 15.0, 0.0, 40.0, "temp"),
            Part("school", N_("school"), "pale", choices={k: v["name"] for k, v in SCHOOLS.items()}), Part("heat", N_("heat"), "1000", choices=HEATS), *PAN,
        ),
        _omelette,
    ),
    "baked": Topic(
        NAMES["baked"],
        (
            Part("count", N_("eggs a dish"), 1, 1, 30), EACH, COLD, YOLK, Part("across_mm", N_("dish across"), 85.0, 40.0, 400.0, "length"),
            Part("oven_c", N_("oven"), 180.0, 120.0, 260.0, "temp"), Part("air", N_("air"), "still", choices=AIRS),
            Part("stands", N_("the dish"), "water", choices=STANDS),
        ),
        _baked,
    ),
    "coddled": Topic(
        NAMES["coddled"],
        (
            COUNT, EACH, COLD, YOLK, Part("litres", N_("litres of water"), 4.0, 0.5, 200.0),
            Part("stop", N_("then"), "plate", choices={"plate": N_("to the plate"), "ice": N_("iced water, for later")}),
        ),
        _coddled,
    ),
}  # fmt: skip
