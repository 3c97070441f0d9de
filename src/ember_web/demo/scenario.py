"""The demo scenario: Brackenfold Hut, an invented mountain hut. Nothing here is used outside the demo."""

from __future__ import annotations

from datetime import time
from typing import Any

from django.db import transaction

from ember_core.entry.sentence import Sentence
from ember_web.book.actions.store_food import StoreFood, store_food
from ember_web.kitchens.actions.add_equipment import AddEquipment, add_equipment
from ember_web.kitchens.actions.admit_member import AdmitMember, admit_member
from ember_web.kitchens.actions.open_kitchen import OpenKitchen, open_kitchen
from ember_web.kitchens.actions.set_service import SetService, set_service
from ember_web.kitchens.actions.set_station import SetStation, set_station
from ember_web.line.actions.add_probe import AddProbe, add_probe
from ember_web.line.actions.issue_hub_token import issue_hub_token
from ember_web.plans.actions.save_plan import SavePlan, save_plan
from ember_web.plans.actions.tag_plans import TagPlans, tag_plans
from ember_web.tenancy.actor import Actor
from ember_web.tenancy.models import Kitchen

PASSWORD = "brackenfold"  # noqa: S105 - the demo's printed password
SLUG = "brackenfold-hut"
PEOPLE = (("chef", "chef"), ("grill", "cook"), ("larder", "cook"), ("morning", "cook"), ("viewer", "viewer"))
PROBES = (("p1", "Probe 1, Grill"), ("p2", "Probe 2, Grill"), ("p3", "Probe 3, Larder"))
PLANS: tuple[tuple[str, tuple[str, ...], dict[str, Any]], ...] = (
    ("Bavette for the late table", ("menu", "grill"), {"cut_id": "bavette"}),
    ("Bavette, turned often", ("grill",), {"cut_id": "bavette", "way": "hot-pan-turned-often", "count": 2}),
    ("Bavette straight from frozen", ("grill",), {"cut_id": "bavette", "way": "from-frozen", "start_c": -18.0}),
    ("Guinea fowl supreme, bath", ("menu", "larder"), {"cut_id": "guinea-fowl-supreme", "count": 6}),
    ("Guinea fowl, bath and crisp skin", ("menu",), {"cut_id": "guinea-fowl-supreme", "count": 6, "way": "bath-then-skin"}),
    ("Guinea fowl, cooked ahead", ("ahead",), {"cut_id": "guinea-fowl-supreme", "count": 12, "way": "bath-chill-reheat"}),
    ("Hake loin, hot oven", ("menu",), {"cut_id": "hake-loin", "count": 4}),
    ("Hake loin, skin crisp", ("menu", "grill"), {"cut_id": "hake-loin", "count": 4, "way": "skin-crisp-then-oven"}),
    ("Veal cutlet", ("menu",), {"cut_id": "veal-cutlet", "target_c": 61.0}),
    ("Veal cutlets of their own size", ("grill",), {
        "cut_id": "veal-cutlet", "target_c": 61.0, "count": 4, "size_mm": 20.0, "sizes_mm": (16.0, 18.0, 21.0, 25.0),
    }),
    ("Veal cutlet, tempered", ("school",), {"cut_id": "veal-cutlet", "target_c": 61.0, "temper_min": 20.0}),
    ("Rabbit saddle", ("menu",), {"cut_id": "rabbit-saddle"}),
    ("Rabbit saddle, rolled in the pan", ("school",), {"cut_id": "rabbit-saddle", "way": "pan-rolled"}),
    ("Brisket point, bath", ("ahead",), {"cut_id": "brisket-point"}),
    ("Brisket point, three days", ("ahead", "menu"), {"cut_id": "brisket-point", "way": "cured-bath-press-glaze"}),
    ("Brisket point, braised", ("school",), {"cut_id": "brisket-point", "way": "braise"}),
    ("Hogget shoulder, low oven", ("menu",), {"cut_id": "hogget-shoulder", "target_c": 61.0}),
    ("Hogget shoulder, low then hot", ("school",), {"cut_id": "hogget-shoulder", "target_c": 61.0, "way": "low-oven-hot-finish"}),
    ("Hogget shoulder under butter cloth", ("school",), {"cut_id": "hogget-shoulder", "target_c": 61.0, "way": "cloth-roast"}),
    ("Guinea fowl, whole", ("school",), {"cut_id": "whole-guinea-fowl"}),
    ("Brisket point, portioned cold", ("ahead",), {"cut_id": "brisket-point", "way": "long-bath-chill-reheat"}),
    ("Trout fillet", ("menu",), {"cut_id": "trout-fillet"}),
    ("Trout fillet, steamed", ("school",), {"cut_id": "trout-fillet", "way": "steam"}),
    ("Soft eggs for breakfast", ("morning",), {"cut_id": "soft-egg", "count": 12}),
    ("Baked custard", ("menu", "morning"), {"cut_id": "baked-custard", "count": 8}),
)  # fmt: skip
STATIONS = (
    SetStation("Grill", 1, ("grill",)),
    SetStation("Larder", 2, ("larder",)),
    SetStation("Morning", 3, ("morning",)),
)
SERVICES = (
    SetService("breakfast", time(7, 0), time(9, 30)),
    SetService("lunch", time(12, 0), time(14, 0)),
    SetService("dinner", time(18, 30), time(21, 0)),
)
EQUIPMENT: tuple[AddEquipment, ...] = (
    AddEquipment(
        "oven", "Oven 1, upper", station="Grill", litres=60.0, true_offset_c=-8.0, places=3, hub_name="oven-1"
    ),
    AddEquipment("oven", "Oven 2, lower", litres=60.0, watts=3000.0, true_offset_c=3.0, places=3, hub_name="oven-2"),
    AddEquipment("bath", "Bath", station="Larder", litres=26.0, watts=1500.0, places=12, hub_name="bath"),
    AddEquipment(
        "pan",
        "Pan, 28 cm, steel",
        places=4,
        watts=1400.0,
        mass_kg=2.1,
        material="steel",
        into_oven=True,
        hub_name="hob-1",
    ),
    AddEquipment(
        "pan",
        "Pan, 30 cm, coated",
        places=4,
        watts=1400.0,
        mass_kg=1.3,
        material="aluminium",
        into_oven=False,
        hub_name="hob-2",
    ),
    AddEquipment("hot-cabinet", "Hot cabinet", places=20, hub_name="cabinet"),
    AddEquipment("fridge", "Cold room", true_offset_c=0.0),
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
        machine, OpenKitchen("Brackenfold Hut", 1850.0, 24.0, "America/Denver", simulated=True, public_id=SLUG)
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
    for station in STATIONS:
        set_station(chef, station)
    for service in SERVICES:
        set_service(chef, service)
    for thing in EQUIPMENT:
        add_equipment(chef, thing)
    for title, tags, known in reversed(PLANS):
        sentence = Sentence.for_cut(**known, altitude_m=kitchen.altitude_m, air_c=kitchen.air_c, title=title)
        plan = save_plan(chef, SavePlan(sentence.document()))
        for tag in tags:
            tag_plans(chef, TagPlans((plan.public_id,), tag))
    return kitchen
