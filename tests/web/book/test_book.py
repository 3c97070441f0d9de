"""A kitchen's own foods: kept apart, checked, and used in a plan."""

from __future__ import annotations

import pytest

from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_core.safety.rules import bases, profiles
from ember_web.book.forms import in_words, read_rows
from ember_web.book.models import Food, HouseRules
from ember_web.plans.models import Plan
from ember_web.tenancy.models import Kitchen
from tests.web.plans.test_plan import SENTENCE

pytestmark = pytest.mark.django_db
FORM = {
    "name": "our hogget", "like": "lamb-shoulder", "water": "58", "protein": "16", "fat": "25", "carbohydrate": "0", "fibre": "0",
    "ash": "1", "source": "label",
}  # fmt: skip
LAMB = SENTENCE | {"cut": "hogget-shoulder", "size_mm": "90", "mass_g": "1900", "target_c": "60", "way": "low-oven"}


@pytest.fixture
def food(kitchen):
    """A fat hogget of the kitchen's own."""
    return Food.objects.create(
        kitchen=kitchen, name="our hogget", like="lamb-shoulder", water=58, protein=16, fat=25, ash=1, source="label"
    )


def test_a_chef_adds_changes_and_deletes_a_food(kitchen, as_):
    """Form to table and back; the list shows what follows from the parts."""
    chef = as_("chef")
    assert chef.post("/k/hut/book/foods/new/", FORM).status_code == 302
    food = Food.objects.get()
    assert (food.kitchen, food.fat) == (kitchen, 25)
    page = as_("viewer").get("/k/hut/book/foods/").content.decode()
    assert "our hogget" in page
    assert "beef, lean" in page
    assert f"/foods/{food.public_id}/" not in page
    assert chef.post(f"/k/hut/book/foods/{food.public_id}/", FORM | {"fat": "26", "water": "57"}).status_code == 302
    food.refresh_from_db()
    assert food.fat == 26
    assert chef.post(f"/k/hut/book/foods/{food.public_id}/remove/").status_code == 302
    assert not Food.objects.exists()


@pytest.mark.parametrize(
    ("part", "value", "says"),
    [
        ("name", "", "Name: say what"), ("like", "unicorn", "unicorn"), ("like", "", "Closest food: choose"), ("water", "20", "The parts sum to 62.0 %"),
        ("fat", "-1", "greater than or equal to 0"), ("protein", "much", "Protein: write a number"), ("ash", "", "Ash: give a number"),
        ("source", "", "Source: say where"), ("fat", "nan", "Fat: write a number"),
    ],
)  # fmt: skip
def test_bad_numbers_are_named_and_kept(kitchen, as_, part, value, says):
    """The message names the part, and what was typed stays."""
    reply = as_("chef").post("/k/hut/book/foods/new/", FORM | {part: value})
    page = reply.content.decode()
    assert reply.status_code == 422
    assert says in page
    assert part == "source" or 'value="label"' in page
    assert not Food.objects.exists()


def test_a_name_is_taken_once_in_a_kitchen(kitchen, food, as_):
    """A second one of the same name is refused; another kitchen's does not matter."""
    assert b"choose another name" in as_("chef").post("/k/hut/book/foods/new/", FORM | {"name": "Our Hogget"}).content
    Food.objects.filter(pk=food.pk).update(kitchen=Kitchen.objects.create(public_id="far", name="Far"))
    assert as_("chef").post("/k/hut/book/foods/new/", FORM).status_code == 302


def test_search_of_the_table(kitchen, food, as_):
    """Words narrow both lists; htmx gets the rows alone."""
    page = as_("viewer").get("/k/hut/book/foods/", {"q": "squid"}).content.decode()
    assert "squid" in page
    assert "beef, lean" not in page
    assert "our hogget" not in page
    rows = as_("viewer").get("/k/hut/book/foods/", {"q": "our"}, headers={"HX-Request": "true"}).content.decode()
    assert "<html" not in rows
    assert "our hogget" in rows


def test_a_plan_takes_the_kitchens_food(kitchen, food, as_):
    """The sentence offers it to its own species; the saved plan carries the composition and outlives the food."""
    cook = as_("cook")
    assert "our hogget" not in cook.get("/k/hut/plan/", SENTENCE).content.decode()
    assert "our hogget" in cook.get("/k/hut/plan/", LAMB).content.decode()
    assert cook.post("/k/hut/plan/save/", LAMB | {"food": food.public_id, "title": "fat one"}).status_code == 302
    plan = Plan.objects.get()
    piece = plan.document["piece"]
    assert piece["composition"]["fat"] == 0.25
    assert piece["food"] == "lamb-shoulder"
    plain = compute(
        parse({**plan.document, "piece": {k: v for k, v in piece.items() if k != "composition"} | {"food": "lamb"}})
    )
    own = compute(parse(plan.document))
    assert abs(own.cook.pull_s - plain.cook.pull_s) > 20
    food.delete()
    page = cook.get(f"/k/hut/plan/{plan.public_id}/").content.decode()
    assert "our hogget" in page
    assert "Save changes" not in page


def test_another_kitchens_food_is_not_taken(kitchen, stranger, food, as_):
    """By its id inside one's own kitchen, either."""
    reply = as_("stranger").post("/k/barn/plan/save/", LAMB | {"food": food.public_id})
    assert reply.status_code == 422
    assert not Plan.objects.exists()
    assert as_("stranger").get(f"/k/barn/book/foods/{food.public_id}/").status_code == 404


CLAUSES = len(bases()["us-food-code-2022"].clauses)
RULES = {
    "base": "us-food-code-2022",
    **{f"rows_{i}": "" for i in range(CLAUSES)},
    "written_plan": "",
    "rows_sent": CLAUSES,
}
RULES |= {"rows_2": "76 °C 0 s"}


def test_rules_that_lost_some_of_their_rows_are_refused(kitchen, as_):
    """Cut off anywhere, or with another number of rows than the form had: what was stored stays."""
    chef = as_("chef")
    assert chef.post("/k/hut/book/rules/", RULES).status_code == 302
    sent = list(RULES.items())
    changed = [dict(sent[:n]) for n in range(1, len(sent))] + [
        {k: v for k, v in RULES.items() if k != f"rows_{i}"} | {"rows_2": "80 °C 0 s"} for i in range(CLAUSES) if i != 2
    ]
    for part in [*changed, RULES | {"rows_sent": CLAUSES - 1}, RULES | {"rows_sent": "all"}]:
        reply = chef.post("/k/hut/book/rules/", part)
        assert reply.status_code == 422
        assert "did not arrive whole" in reply.content.decode()
    assert HouseRules.objects.get().rows == {"3-401.11(A)(3)": [[76.0, 0.0]]}


def test_a_chef_records_house_rules_and_plans_go_by_them(kitchen, as_):
    """Stricter rows are stored and go into plans; a cook may read them only."""
    assert as_("cook").post("/k/hut/book/rules/", RULES).status_code == 403
    assert as_("chef").post("/k/hut/book/rules/", RULES).status_code == 302
    house = HouseRules.objects.get(kitchen=kitchen)
    assert house.rows == {"3-401.11(A)(3)": [[76.0, 0.0]]}
    assert "76 °C at once" in as_("viewer").get("/k/hut/book/rules/").content.decode()
    supreme = SENTENCE | {"cut": "guinea-fowl-supreme", "target_c": "75", "way": "bath", "rules": "house"}
    page = as_("cook").get("/k/hut/plan/", supreme).content.decode()
    assert "76.0 °C" in page
    assert as_("cook").post("/k/hut/plan/save/", supreme).status_code == 302
    assert Plan.objects.get().document["x-house"] == house.document()


def test_weaker_house_rules_need_their_written_plan(kitchen, as_):
    """Refused with what was typed kept; taken with a plan that is named; nonsense is named with the remedy."""
    chef = as_("chef")
    weak = RULES | {"rows_2": "63 °C 10 min"}
    reply = chef.post("/k/hut/book/rules/", weak)
    assert reply.status_code == 422
    assert "record the written plan" in reply.content.decode()
    assert "63 °C 10 min" in reply.content.decode()
    assert b"such as 65" in chef.post("/k/hut/book/rules/", RULES | {"rows_2": "quite hot"}).content
    assert not HouseRules.objects.exists()
    assert chef.post("/k/hut/book/rules/", weak | {"written_plan": "HACCP 7"}).status_code == 302
    assert HouseRules.objects.get().written_plan == "HACCP 7"
    assert "core time and temperature" in chef.get("/k/hut/book/rules/", {"base": "uk-fsa"}).content.decode()
    assert chef.get("/k/hut/book/rules/", {"base": "x\x00"}).status_code == 200


@pytest.mark.parametrize("clause", [c for p in profiles().values() for c in p.clauses], ids=lambda c: c.id)
def test_rows_in_words_are_read_back(clause):
    """What the page says of a clause is what it would read."""
    read = read_rows(in_words(clause.rows))
    assert [c for c, _ in read] == pytest.approx([c for c, _ in clause.rows], abs=1e-4)
    assert [s for _, s in read] == pytest.approx([s for _, s in clause.rows], rel=1e-5)
