"""The demo scenario: Brackenfold Hut, an invented mountain hut. Nothing here is used outside the demo."""

from __future__ import annotations

from django.db import transaction

from ember_core.entry.sentence import Sentence
from ember_web.book.actions.store_food import StoreFood, store_food
from ember_web.kitchens.actions.admit_member import AdmitMember, admit_member
from ember_web.kitchens.actions.open_kitchen import OpenKitchen, open_kitchen
from ember_web.line.actions.add_probe import AddProbe, add_probe
from ember_web.line.actions.issue_hub_token import issue_hub_token
from ember_web.plans.actions.save_plan import SavePlan, save_plan
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen

PASSWORD = "brackenfold"  # noqa: S105 - the demo's printed password
SLUG = "brackenfold-hut"
PEOPLE = (("chef", "chef"), ("grill", "cook"), ("larder", "cook"), ("morning", "cook"), ("viewer", "viewer"))
PROBES = (("p1", "Probe 1, Grill"), ("p2", "Probe 2, Grill"), ("p3", "Probe 3, Larder"))
PLANS = (
    ("Bavette for the late table", {"cut_id": "bavette"}),
    ("Guinea fowl supreme, bath", {"cut_id": "guinea-fowl-supreme", "count": 6}),
    ("Hake loin, hot oven", {"cut_id": "hake-loin", "count": 4}),
    ("Veal cutlet", {"cut_id": "veal-cutlet", "target_c": 61.0}),
    ("Rabbit saddle", {"cut_id": "rabbit-saddle"}),
    ("Brisket point, bath", {"cut_id": "brisket-point"}),
    ("Hogget shoulder, low oven", {"cut_id": "hogget-shoulder", "target_c": 61.0}),
    ("Trout fillet", {"cut_id": "trout-fillet"}),
    ("Soft eggs for breakfast", {"cut_id": "soft-egg", "count": 12}),
    ("Baked custard", {"cut_id": "baked-custard", "count": 8}),
)
FOODS = (
    (
        "hogget shoulder, from the upper farm", "lamb-shoulder",
        {"water": 58.0, "protein": 16.1, "fat": 25.0, "ash": 0.9}, "made up for the demo",
    ),
    (
        "trout from the cold pond", "trout",
        {"water": 71.5, "protein": 20.8, "fat": 6.5, "ash": 1.2}, "made up for the demo",
    ),
)  # fmt: skip


@transaction.atomic
def seed(*, renew_token: bool = False) -> str | None:
    """Create the demo kitchen once; returns a new hub token when one was made."""
    kitchen = Kitchen.objects.filter(public_id=SLUG).first()
    fresh = kitchen is None
    if kitchen is None:
        kitchen = _open()
    if fresh or renew_token:
        return issue_hub_token(Actor.setup(kitchen), "simulated hub", instead=True)
    return None


def _open() -> Kitchen:
    machine = Actor.machine()
    kitchen = open_kitchen(
        machine, OpenKitchen("Brackenfold Hut", 1850.0, 24.0, "Europe/Vienna", simulated=True, public_id=SLUG)
    )
    other = open_kitchen(machine, OpenKitchen("Lower Barn", 420.0, simulated=True, public_id="lower-barn"))
    setup = Actor.setup(kitchen)
    members = [admit_member(setup, AdmitMember(name, role, PASSWORD, checked=False)) for name, role in PEOPLE]
    admit_member(Actor.setup(other), AdmitMember("other-chef", "chef", PASSWORD, checked=False))
    for name, label in PROBES:
        add_probe(setup, AddProbe(name, label))
    for name, like, parts, source in FOODS:
        store_food(setup, StoreFood(name, like, parts, source))
    chef = Actor.setup(kitchen, next(m.user for m in members if m.role == "chef"))
    for title, known in reversed(PLANS):
        sentence = Sentence.for_cut(**known, altitude_m=kitchen.altitude_m, air_c=kitchen.air_c, title=title)
        save_plan(chef, SavePlan(sentence.document()))
    return kitchen
