"""Eggs: the question and its answer on a page, the map, where the minutes are true, and putting them on."""

from __future__ import annotations

import re

import pytest

from ember_core.data.loader import read_toml
from ember_core.doneness.eggs import YOLKS
from ember_core.eggs.question import STOPS, WATERS, YOLK_WORDS, EggQuestion, ask
from ember_web.eggs.forms import SPECIES, STOP_WORDS, WATER_WORDS
from ember_web.line.models import Cook
from ember_web.plans.models import Plan
from tests.web.acting import all_there
from tests.web.tenancy.test_voices import ALL_IMPERIAL


def test_every_choice_of_the_core_has_words():
    assert (tuple(YOLKS), tuple(WATER_WORDS), tuple(STOP_WORDS), tuple(SPECIES)) == (
        YOLK_WORDS, WATERS, STOPS, tuple(read_toml("eggs.toml")["species"]),
    )  # fmt: skip


def page(client, kitchen, **asked):
    """A page of Eggs, as text."""
    reply = client.get(f"/k/{kitchen.public_id}/eggs/", asked)
    return reply.status_code, reply.content.decode()


def minutes_of(text):
    """The minutes that the page shows, min."""
    m, s = re.search(r'egg-clock">(\d+):(\d\d)<', text).groups()
    return int(m) + int(s) / 60


def test_the_usual_question_is_answered_at_once(kitchen, as_):
    """Nothing stated: one hen's egg from the fridge, jammy, here: the minutes of the core, its states in words, a little sooner and later."""
    status, text = page(as_("viewer"), kitchen)
    assert status == 200
    expected = ask(EggQuestion(altitude_m=kitchen.altitude_m, air_c=kitchen.air_c, rules=kitchen.rules))
    assert minutes_of(text) == pytest.approx(expected.minutes, abs=0.02)
    assert "yolk" in text
    assert re.search(r"<b>\s*jammy", text)
    assert "sooner" in text
    assert "later" in text
    assert "data:image/png" in text
    assert "served with advisory" in text
    assert 'id="start"' not in text  # a viewer starts nothing


@pytest.mark.parametrize(
    ("asked", "low", "high"),
    [
        ({"yolk": "runny"}, 4, 7), ({"yolk": "dry"}, 9, 14), ({"start_c": "21"}, 5, 8), ({"species": "quail", "mass_g": "11"}, 1.5, 4),
        ({"water": "steam"}, 5, 10), ({"water": "cold"}, 8, 25), ({"stop": "plate"}, 5, 9), ({"litres": "2", "count": "12"}, 6, 10),
        ({"minutes": "6.5"}, 6.45, 6.55),
    ],
)  # fmt: skip
def test_every_part_of_the_sentence_counts(kitchen, as_, asked, low, high):
    status, text = page(as_("cook"), kitchen, **asked)
    assert status == 200
    assert low <= minutes_of(text) <= high


def test_a_bath_has_a_temperature_of_its_own(kitchen, as_):
    _, text = page(as_("cook"), kitchen, water="bath", yolk="fudgy")
    assert re.search(r"\d h \d\d|\d+ min", text)
    assert (
        "temperature of the bath"
        in as_("cook").get(f"/k/{kitchen.public_id}/eggs/map/?water=bath&yolk=fudgy").content.decode()
    )


def test_another_kind_of_egg_brings_its_size_and_another_yolk_its_time(kitchen, as_):
    _, text = page(as_("cook"), kitchen, species="goose", was_species="hen", mass_g="57")
    assert 'value="145"' in text
    _, text = page(as_("cook"), kitchen, yolk="dry", was_yolk="jammy", minutes="6")
    assert minutes_of(text) > 9


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"mass_g": "3000"}, "weighs 20 g to 150 g"),
        ({"mass_g": "egg"}, "write a number"),
        ({"count": "0"}, "Count: give at least 1"),
        ({"count": "400", "litres": "1"}, "do not lie in 1"),
        ({"water": "bath", "heat_c": "20", "yolk": "jammy"}, "without the yolk as wanted"),
        ({"yolk": "hard"}, "choose one from the list"),
        ({"serve": "soon"}, "write a time such as"),
        ({"minutes": "0.1"}, "Minutes: give at least"),
    ],
)
def test_what_cannot_be_is_said_and_nothing_entered_is_lost(kitchen, as_, asked, said):
    status, text = page(
        as_("cook"),
        kitchen,
        count=asked.get("count", "7"),
        start_c="9",
        **{k: v for k, v in asked.items() if k != "count"},
    )
    assert status in {200, 422}
    assert said in text
    assert 'value="9"' in text


def test_in_ounces_and_fahrenheit(kitchen, as_):
    """What is shown in another unit is that egg, and comes back as it."""
    chef = as_("chef")
    chef.post(f"/k/{kitchen.public_id}/preferences/", ALL_IMPERIAL)
    _, text = page(chef, kitchen)
    assert "°F" in text
    assert "oz" in text
    units = re.search(r'name="units" value="([^"]*)"', text)[1]
    _, again = page(chef, kitchen, units=units, mass_g="2", start_c="39.2")
    assert minutes_of(again) == pytest.approx(minutes_of(text), abs=0.1)


def test_the_map_and_where_the_minutes_are_true(kitchen, as_):
    cook = as_("cook")
    drawn = cook.get(f"/k/{kitchen.public_id}/eggs/map/").content.decode()
    assert all(word in drawn for word in ("runny", "jammy", "dry", "white unset", "data-egg-map"))
    where = cook.get(f"/k/{kitchen.public_id}/eggs/where/").content.decode()
    times = [int(m) * 60 + int(s) for m, s in re.findall(r"<td>(\d+):(\d\d)</td>", where)]
    assert len(times) == 4 * (2 if kitchen.altitude_m == 0 else 4)
    assert times[0] > times[1]  # from the fridge longer than from the counter
    assert times[0] < times[-2]  # the largest longest
    for bad in ("mass_g=3000", "count=x", "species=emu"):
        for part in ("map", "where"):
            assert cook.get(f"/k/{kitchen.public_id}/eggs/{part}/?{bad}").status_code == 200


def test_kept_as_a_plan_and_opened_there(kitchen, as_):
    cook = as_("cook")
    reply = cook.post(f"/k/{kitchen.public_id}/eggs/keep/", {"count": "12", "yolk": "syrupy", "go": "save"})
    plan = Plan.objects.get(kitchen=kitchen)
    assert reply.url == f"/k/{kitchen.public_id}/plan/{plan.public_id}/"
    assert plan.title == "Hen's eggs, syrupy"
    assert plan.document["piece"]["count"] == 12
    assert plan.document["stages"][0]["until"] == {"yolk": "syrupy"}
    shown = cook.get(reply.url).content.decode()
    assert "Pull" in shown
    assert "yolk syrupy, white tender" in shown
    assert "over the target" not in shown
    changed = cook.post(
        f"/k/{kitchen.public_id}/plan/save/", {"plan": plan.public_id, "count": "6", "title": plan.title}
    )
    assert changed.status_code == 302
    plan.refresh_from_db()
    assert plan.document["target"] == {"yolk": "syrupy"}
    assert plan.document["piece"]["count"] == 6
    assert cook.get(f"/k/{kitchen.public_id}/plan/list/").status_code == 200


def test_started_they_are_on_the_line_by_the_clock(kitchen, as_):
    cook = as_("cook")
    reply = cook.post(f"/k/{kitchen.public_id}/eggs/keep/", {"count": "12", "go": "start", "station": "Morning"})
    reply = all_there(cook, kitchen, reply)
    assert reply.url == f"/k/{kitchen.public_id}/line/"
    on = Cook.objects.get(kitchen=kitchen)
    assert on.station == "Morning"
    pull = [m for m in on.moves if m["kind"] == "pull"]
    assert len(pull) == 1
    expected = ask(EggQuestion(count=12, altitude_m=kitchen.altitude_m, air_c=kitchen.air_c, rules=kitchen.rules))
    assert pull[0]["offset_s"] == pytest.approx(60 * expected.minutes, abs=1.0)
    board = cook.get(reply.url).content.decode()
    assert "eggs, jammy" in board


def test_what_cannot_be_kept_is_said(kitchen, as_):
    reply = as_("cook").post(f"/k/{kitchen.public_id}/eggs/keep/", {"mass_g": "3000", "go": "start"}, follow=True)
    assert "cannot be kept" in reply.content.decode()
    assert not Plan.objects.filter(kitchen=kitchen).exists()


@pytest.mark.parametrize(
    ("what", "asked", "said"),
    [
        ("poached", {}, "just moving"),
        ("poached", {"stop": "ice"}, "no longer an egg for immediate service"),
        ("scrambled", {}, "raw egg held back"),
        ("scrambled", {"count": "40", "diameter_mm": "400", "pan_g": "4000", "heat": "1600"}, "lands it at"),
        ("omelette", {"school": "flat", "count": "6", "diameter_mm": "200"}, "Turn it, or grill it"),
        ("omelette", {"count": "2", "diameter_mm": "360"}, "suits this school"),
        ("sauce", {"count": "25"}, "yolks"),
        ("sauce", {"count": "500", "known": "butter_g"}, "5 yolks, 500 g of butter"),
        ("sauce", {"base": "reduction", "over": "medium"}, "they would land at .* Off the heat until it is at"),
        ("sauce", {"butter": "cold"}, "So back over gentle heat in between"),
        ("sauce", {}, "marked, then thrown away"),
        ("omelette", {"school": "browned"}, "that skin is tough"),
        ("omelette", {}, "in three, the last fold|still runny on top"),
        ("scrambled", {"count": "18", "diameter_mm": "360"}, "An ostrich egg counts as"),
        ("pasta", {}, "starchy water"),
        ("pasta", {"pasta_c": "60"}, "cannot be hot enough|warm the bowl|starchy water"),
        ("poached", {"count": "8"}, "whirled, one at a time"),
        ("fried", {}, "basted with its fat"),
        ("fried", {"yolk": "jammy"}, "put a lid on"),
        ("fried", {"school": "turned", "yolk": "jammy"}, "Turn after"),
        ("fried", {"school": "basted", "keeps": "170"}, "past runny"),
        ("baked", {}, "on the shelf"),
        ("coddled", {}, "Butter the cup"),
        ("custard", {}, "For these cups: 7 yolks"),
        ("custard", {"other_count": "4"}, r"4 × 127 ml"),
        ("custard", {"oven_c": "180"}, "begins to curdle"),
        ("custard", {"deep_mm": "70", "across_mm": "120"}, "Cool the cups in iced water first"),
        ("rules", {}, "3-202.13"),
        ("nothing", {}, "basted with its fat"),
    ],
)
def test_out_of_the_shell(kitchen, as_, what, asked, said):
    reply = as_("viewer").get(f"/k/{kitchen.public_id}/eggs/open/{what}/", asked)
    assert reply.status_code == 200
    assert re.search(said, reply.content.decode())


@pytest.mark.parametrize(
    ("what", "asked", "said"),
    [
        ("poached", {"mass_g": "3000"}, "give at most"),
        ("poached", {"yolk": "hard"}, "choose one from the list"),
        ("scrambled", {"count": "two"}, "whole number"),
        ("scrambled", {"count": "200", "heat": "400"}, "and no further"),
        ("omelette", {"diameter_mm": ""}, "write a number"),
        ("pasta", {"pasta_c": "x"}, "write a number"),
        ("sauce", {"count": "0"}, "whole number from 1"),
        ("fried", {"count": "12"}, "have no room beside each other"),
        ("baked", {"count": "9"}, "do not fit in a dish"),
        ("baked", {"across_mm": "300"}, "dries"),
        ("custard", {"yolks": "0"}, "give at least one"),
        ("custard", {"cream_g": "0"}, "give some grams"),
        ("custard", {"tent": "open", "oven_c": "120"}, "never gets to"),
        ("rules", {"mass_g": "3000"}, "give at most"),
    ],
)
def test_out_of_the_shell_what_cannot_be_is_said(kitchen, as_, what, asked, said):
    reply = as_("cook").get(f"/k/{kitchen.public_id}/eggs/open/{what}/", {"start_c": "9"} | asked)
    assert reply.status_code in {200, 422}
    assert said in reply.content.decode()
    assert what not in {"poached", "scrambled", "omelette"} or 'value="9"' in reply.content.decode()


@pytest.mark.parametrize(
    ("what", "asked", "plans"),
    [("fried", {}, 1), ("poached", {"yolk": "jammy"}, 1), ("coddled", {}, 1), ("baked", {"stands": "shelf"}, 1), ("custard", {"other_count": "3"}, 2)],
)  # fmt: skip
def test_out_of_the_shell_kept_and_started(kitchen, as_, what, asked, plans):
    """Each becomes plans that open, and stand on the line by their clock."""
    cook = as_("cook")
    address = f"/k/{kitchen.public_id}/eggs/open/{what}/keep/"
    assert cook.post(address, asked | {"go": "save"}).status_code == 302
    found = list(Plan.objects.filter(kitchen=kitchen))
    assert len(found) == plans
    for plan in found:
        assert cook.get(f"/k/{kitchen.public_id}/plan/{plan.public_id}/").status_code == 200
    reply = cook.post(address, asked | {"go": "start", "station": "Morning"})
    reply = all_there(cook, kitchen, reply)
    assert reply.url == f"/k/{kitchen.public_id}/line/"
    assert Cook.objects.filter(kitchen=kitchen, station="Morning").count() == plans
    assert cook.get(reply.url).status_code == 200


@pytest.mark.parametrize(("what", "asked"), [("fried", {"count": "12"}), ("rules", {}), ("sauce", {}), ("emu", {})])
def test_out_of_the_shell_what_is_no_plan_is_not_kept(kitchen, as_, what, asked):
    reply = as_("cook").post(f"/k/{kitchen.public_id}/eggs/open/{what}/keep/", asked | {"go": "start"}, follow=True)
    assert "cannot be kept" in reply.content.decode() or "no room" in reply.content.decode()
    assert not Plan.objects.filter(kitchen=kitchen).exists()


@pytest.mark.parametrize(
    ("rules", "said", "number"),
    [("us-food-code-2022", "3-401.11", True), ("uk-fsa", "assurance scheme", True), ("anz-fsanz-3.2.2", "2.2.2", False), ("us-fsis-appendix-a", "not about eggs", False)],
)  # fmt: skip
def test_rules_for_eggs_are_the_kitchens_own(kitchen, as_, rules, said, number):
    kitchen.rules = rules
    kitchen.save()
    text = as_("viewer").get(f"/k/{kitchen.public_id}/eggs/open/rules/").content.decode()
    assert said in text
    assert bool(re.search(r'egg-clock">\d+:\d\d<', text)) is number


def test_in_turns_of_hot_and_cool_water(kitchen, as_):
    status, text = page(as_("cook"), kitchen, water="turns")
    assert status == 200
    assert minutes_of(text) % 4 == 0
    assert re.search(r"2:00 in boiling water, 2:00 in 30 °C, \d+ times", text)


@pytest.mark.parametrize(
    ("stop", "said"), [("held", "then peeled and held warm"), ("later", "then chilled, and warmed again")]
)
def test_held_or_warmed_again_it_is_no_egg_for_immediate_service(kitchen, as_, stop, said):
    status, text = page(as_("cook"), kitchen, stop=stop)
    assert status == 200
    assert said in text
    assert "3-401.11(A)(2)" in text


def test_a_batch_of_mixed_sizes_by_the_minute(kitchen, as_):
    """Smallest, stated, largest and an old egg: their strips, and from when to when they come out; alike there is one less."""
    cook = as_("cook")
    address = f"/k/{kitchen.public_id}/eggs/sizes/"
    mixed = cook.get(address, {"sizes": "mixed"}).content.decode()
    assert mixed.count("data:image/png") == 4
    first, last = re.search(r"small ones out at (\d+:\d\d), the large ones at (\d+:\d\d)", mixed).groups()
    assert first < last
    assert "yolk at the shell" in mixed
    alike = cook.get(address, {"sizes": "alike"}).content.decode()
    assert alike.count("data:image/png") == 2
    for bad in ("mass_g=3000", "sizes=odd", "water=bath&heat_c=500"):
        assert cook.get(f"{address}?{bad}").status_code == 200


def test_which_pairs_can_be_had(kitchen, as_):
    """What one water cannot do is asked of two; each pair is a question of its own, whose answer is that pair."""
    cook = as_("cook")
    text = cook.get(f"/k/{kitchen.public_id}/eggs/pairs/").content.decode()
    asked = re.findall(r'href="([^"]*eggs/\?[^"]*)"', text)
    assert len(asked) >= 8
    assert "in a bath" in text
    assert cook.get(asked[0].replace("&amp;", "&")).status_code == 200
    assert cook.get(f"/k/{kitchen.public_id}/eggs/pairs/?mass_g=3000").status_code == 200


def test_out_of_the_shell_in_other_units(kitchen, as_):
    chef = as_("chef")
    before = chef.get(f"/k/{kitchen.public_id}/eggs/open/scrambled/").content.decode()
    chef.post(f"/k/{kitchen.public_id}/preferences/", ALL_IMPERIAL)
    after = chef.get(f"/k/{kitchen.public_id}/eggs/open/scrambled/").content.decode()
    assert "°F" in after
    assert minutes_of(after) == pytest.approx(minutes_of(before), abs=0.05)


def test_a_breakfast_of_batches(kitchen, as_):
    """Each batch with its times and its pot, kept as a plan for its minute; what is no batch is said and stays as written."""
    cook = as_("cook")
    address = f"/k/{kitchen.public_id}/eggs/breakfast/"
    usual = cook.get(address).content.decode()
    assert "12 × syrupy" in usual
    assert "Pot 1" in usual
    reply = cook.get(address, {"batches": "12 green 7:30"})
    assert reply.status_code == 422
    assert "is no batch" in reply.content.decode()
    assert "12 green 7:30" in reply.content.decode()
    kept = cook.post(f"{address}keep/", {"batches": "12 soft 7:30\n4 poached 7:45"})
    assert kept.status_code == 302
    plans = list(Plan.objects.filter(kitchen=kitchen).order_by("id"))
    assert {p.document["serve_at"][11:16] for p in plans} == {"07:30", "07:45"}
    assert {p.document["piece"]["count"] for p in plans} == {12, 4}
    for plan in plans:
        assert cook.get(f"/k/{kitchen.public_id}/plan/{plan.public_id}/").status_code == 200
    begun = cook.post(
        f"{address}keep/", {"batches": "12 soft 7:30\n4 poached 7:45", "start": "0", "station": "Morning"}
    )
    assert all_there(cook, kitchen, begun).url == f"/k/{kitchen.public_id}/line/"
    assert Cook.objects.get(kitchen=kitchen).document["piece"]["count"] in {12, 4}
    Plan.objects.filter(kitchen=kitchen).order_by("-id").first().delete()
    refused = cook.post(f"{address}keep/", {"batches": "none"}, follow=True)
    assert "is no batch" in refused.content.decode()
    assert Plan.objects.filter(kitchen=kitchen).count() == 2


@pytest.mark.parametrize(
    ("rules", "said"), [("us-food-code-2022", "3-401.11(A)(2)"), ("uk-fsa", "own rules on reheating")]
)
def test_kept_for_later_by_the_kitchens_own_rules(kitchen, as_, rules, said):
    kitchen.rules = rules
    kitchen.save()
    reply = as_("cook").get(f"/k/{kitchen.public_id}/eggs/open/poached/", {"stop": "ice"})
    assert said in reply.content.decode()
