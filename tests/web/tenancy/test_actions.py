"""Every action with every kind of actor; nothing else writes; keys that hold the kitchen, for every pair of models."""

from __future__ import annotations

import ast
import importlib
import json
import uuid
from datetime import time
from pathlib import Path

import pytest
from django.apps import apps
from django.core.exceptions import PermissionDenied, ValidationError
from django.db import IntegrityError, connection, models, transaction

from ember_core.book.book import shipped
from ember_core.entry.sentence import Sentence
from ember_core.errors import InputError
from ember_core.line.fold import NOTE
from ember_web.book.actions.add_book_row import AddBookRow
from ember_web.book.actions.import_book import ImportBook
from ember_web.book.actions.store_food import StoreFood
from ember_web.book.actions.store_house_rules import StoreHouseRules
from ember_web.book.models import BookRow, Food, HouseRules
from ember_web.book.queries import book_of
from ember_web.jobs.actions.start_long_job import StartLongJob
from ember_web.jobs.models import LongJob
from ember_web.kitchens.actions.add_equipment import AddEquipment
from ember_web.kitchens.actions.admit_member import AdmitMember
from ember_web.kitchens.actions.change_password import ChangePassword
from ember_web.kitchens.actions.open_kitchen import OpenKitchen, open_kitchen
from ember_web.kitchens.actions.set_kitchen import SetKitchen
from ember_web.kitchens.actions.set_preferences import SetPreferences
from ember_web.kitchens.actions.set_service import SetService
from ember_web.kitchens.actions.set_station import SetStation
from ember_web.kitchens.actions.use_password_link import UsePasswordLink
from ember_web.kitchens.models import Equipment, Station, StationMember
from ember_web.kitchens.trail_words import ACTION_WORDS
from ember_web.line.actions.add_probe import AddProbe
from ember_web.line.actions.set_fault import SetFault
from ember_web.line.actions.set_kitchen_time import SetKitchenTime
from ember_web.line.actions.start_cook import StartCook
from ember_web.line.actions.take_readings import SentReading
from ember_web.line.models import Cook, Event, HubToken, MediumReading, Probe, Reading
from ember_web.logbook.models import Record
from ember_web.plans.actions.archive_plans import ArchivePlans
from ember_web.plans.actions.duplicate_plans import DuplicatePlans
from ember_web.plans.actions.keep_draft import KeepDraft
from ember_web.plans.actions.restore_plan import RestorePlan
from ember_web.plans.actions.revert_plans import RevertPlans
from ember_web.plans.actions.save_plan import SavePlan
from ember_web.plans.actions.schedule_plans import SchedulePlans
from ember_web.plans.actions.tag_plans import TagPlans
from ember_web.plans.models import Draft, Plan, PlanRevision
from ember_web.tenancy.action import ACTIONS
from ember_web.tenancy.actor import Actor, Kind, Rank
from ember_web.tenancy.checks import faults_of
from ember_web.tenancy.keys import SameKitchen
from ember_web.tenancy.models import Kitchen, KitchenOwned, Membership, Trail, User

pytestmark = pytest.mark.django_db
WEB = Path(__file__).resolve().parents[3] / "src" / "ember_web"
OUR_WAY = {"name": "our way", "shapes": ["slab"], "stage": [{"kind": "bath", "minutes": 60, "medium_c": 60}]}
FOOD = StoreFood("our lamb", "lamb", {"water": 73.0, "protein": 20.0, "fat": 6.0, "ash": 1.0}, "label")
# who may do an action besides the set-up: the least rank of a person, or None; and whether a hub may
MAY = {
    "save_plan": (Rank.COOK, False), "archive_plans": (Rank.COOK, False), "duplicate_plans": (Rank.COOK, False), "schedule_plans": (Rank.COOK, False), "revert_plans": (Rank.COOK, False), "tag_plans": (Rank.COOK, False), "keep_draft": (Rank.COOK, False), "restore_plan": (Rank.COOK, False), "add_equipment": (Rank.CHEF, False), "set_kitchen": (Rank.CHEF, False), "set_service": (Rank.CHEF, False), "set_station": (Rank.CHEF, False), "fill_summaries": (Rank.VIEWER, False), "store_food": (Rank.CHEF, False), "remove_food": (Rank.CHEF, False),
    "start_long_job": (Rank.COOK, False), "cancel_long_job": (Rank.COOK, False), "store_house_rules": (Rank.CHEF, False), "add_book_row": (Rank.CHEF, False), "import_book": (Rank.CHEF, False), "start_cook": (Rank.COOK, False),
    "take_events": (Rank.COOK, False), "take_readings": (None, True), "carry_clock_over_restart": (None, False), "follow_machine_clock": (None, False), "set_kitchen_time": (Rank.CHEF, False), "change_password": (Rank.VIEWER, False), "issue_password_link": (Rank.CHEF, False), "remove_member": (Rank.CHEF, False), "unlock_member": (Rank.CHEF, False), "use_password_link": (None, False),
    "add_probe": (Rank.CHEF, False), "set_fault": (Rank.CHEF, False), "issue_hub_token": (Rank.CHEF, False), "write_record": (Rank.COOK, False),
    "change_note": (Rank.COOK, False), "set_clock": (Rank.CHEF, False), "set_preferences": (Rank.VIEWER, False), "set_toured": (Rank.VIEWER, False), "admit_member": (Rank.CHEF, False),
}  # fmt: skip


def modules():
    """Every module of actions."""
    return sorted(p for p in WEB.glob("*/actions/*.py") if not p.stem.startswith("_"))


def load(path):
    """The action of a module: the function of its name."""
    return getattr(importlib.import_module(f"ember_web.{path.parts[-3]}.actions.{path.stem}"), path.stem)


def arguments(name, kitchen, plan, cook):
    """What each action is asked, of rows of ``kitchen``."""
    event = {"id": str(uuid.uuid4()), "cook": cook.public_id, "kind": NOTE, "text": "hot", "occurred_at": kitchen.now().timestamp() * 1000}  # fmt: skip
    food = Food.objects.filter(kitchen=kitchen).first()
    record = Record.objects.filter(kitchen=kitchen).first()
    return {
        "save_plan": (SavePlan(Sentence.for_cut("bavette").document(), plan.public_id),),
        "keep_draft": (KeepDraft("cut=bavette", "words", plan.public_id),),
        "restore_plan": (RestorePlan(plan.public_id, 1),),
        "archive_plans": (ArchivePlans((plan.public_id,)),),
        "duplicate_plans": (DuplicatePlans((plan.public_id,)),),
        "schedule_plans": (SchedulePlans((plan.public_id,), kitchen.now()),),
        "revert_plans": (RevertPlans(((plan.public_id, 1),)),),
        "fill_summaries": ([plan],),
        "start_long_job": (StartLongJob("times-by-size", "Times", {}),),
        "cancel_long_job": (
            LongJob.objects.create(kitchen=kitchen, kind="times-by-size", title="x", asked={}).public_id,
        ),
        "add_equipment": (AddEquipment("oven", "Oven 1", true_offset_c=-8.0),),
        "set_service": (SetService("dinner", time(18, 30), time(21, 0)),),
        "set_station": (SetStation("Grill", 1, ("cook",)),),
        "set_kitchen": (SetKitchen("Hut", 1850.0, 24.0, "Europe/Vienna", "us-food-code-2022"),),
        "tag_plans": (TagPlans((plan.public_id,), "late"),),
        "store_food": (FOOD,),
        "remove_food": (food.public_id if food else "none",),
        "store_house_rules": (StoreHouseRules("us-food-code-2022", {}),),
        "add_book_row": (AddBookRow("way", "our-way", OUR_WAY),),
        "import_book": (
            ImportBook(
                json.dumps({"format": "open-ember.book/1", "ways": [{"id": "our-way", "version": 1} | OUR_WAY]})
            ),
        ),
        "start_cook": (StartCook(plan.public_id),),
        "take_events": ([event],),
        "take_readings": ([SentReading("p1", "b", 1, kitchen.now(), 40.0)],),
        "carry_clock_over_restart": (),
        "follow_machine_clock": (),
        "set_kitchen_time": (SetKitchenTime(),),
        "change_password": (ChangePassword("x", "a-long-pass-word"),),
        "issue_password_link": ("viewer",),
        "remove_member": ("viewer",),
        "unlock_member": ("viewer",),
        "use_password_link": (UsePasswordLink("token-of-a-link", "a-long-pass-word"),),
        "add_probe": (AddProbe("p9"),),
        "set_fault": (SetFault("p1", "out", on=True),),
        "issue_hub_token": ("another hub",),
        "write_record": (cook,),
        "change_note": (record.public_id if record else "none", "well done"),
        "set_clock": (10,),
        "set_toured": (True,),
        "set_preferences": (SetPreferences(temperature="F"),),
        "admit_member": (AdmitMember("newcomer", "viewer", "a-long-pass-word"),),
    }[name]


def test_the_table_of_actions_is_complete():
    """A new action must be entered here; each module holds one, under its own name, with its rights."""
    found = {p.stem for p in modules()} - {"open_kitchen"}
    assert found == set(MAY)
    for path in modules():
        load(path)
    assert {n: (r.least, r.hubs) for n, r in ACTIONS.items()} == MAY
    assert set(ACTION_WORDS) == found | {"open_kitchen"}


@pytest.mark.parametrize("who", ["nobody", "viewer", "cook", "chef", "hub", "stranger"])
@pytest.mark.parametrize("name", sorted(MAY))
def test_rights(kitchen, stranger, plan, cook, name, who):
    """Who may not is refused and nothing is written; another kitchen's chef cannot reach rows of this one."""
    least, hubs = MAY[name]
    path = next(p for p in modules() if p.stem == name)
    do, asked = load(path), arguments(name, kitchen, plan, cook)
    barn = Kitchen.objects.get(public_id="barn")
    actor = {
        "nobody": Actor(kitchen, Kind.PERSON),
        "hub": Actor.hub(kitchen),
        "stranger": Actor.person(barn, stranger, "chef"),
    }.get(who) or Actor.person(kitchen, User.objects.get(username=who), who)
    allowed = hubs if who == "hub" else least is not None and actor.rank is not None and actor.rank >= least
    before = {m: m.objects.filter(kitchen=kitchen).count() for m in apps.get_models() if issubclass(m, KitchenOwned)}
    if not allowed:
        with pytest.raises(PermissionDenied):
            do(actor, *asked)
    else:
        try:
            with transaction.atomic():
                answer = do(actor, *asked)
        except (InputError, PermissionDenied, IntegrityError):
            answer = None  # it is not there, or not this kitchen's
            assert who == "stranger" or name in {"remove_food", "change_note"}
        if name == "take_events":
            assert answer[0]["status"] == ("refused" if who == "stranger" else "taken")
    if who == "stranger" or not allowed:
        after = {m: m.objects.filter(kitchen=kitchen).count() for m in before}
        assert after == before
        plan.refresh_from_db()
        assert plan.title.startswith("Bavette")


def test_the_trail_says_who_did_what(kitchen, plan):
    """One row an action that is no trail itself, with the person and what it left."""
    row = Trail.objects.get()
    assert (row.kitchen, row.action, row.actor.username, row.kind) == (kitchen, "save_plan", "chef", "person")
    assert plan.public_id in row.subject


def writes(source):
    """Calls in a module that change rows: (line, what)."""
    out = []
    for node in ast.walk(ast.parse(source)):
        if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Attribute)):
            continue
        name, of = node.func.attr, ast.unparse(node.func.value)
        many = name in {"bulk_create", "bulk_update", "get_or_create", "update_or_create", "set_password"}
        managed = ".objects" in of and name in {"create", "update", "delete"}
        if many or managed or (name in {"save", "delete"} and not of.startswith("Image")):
            out.append((node.lineno, f"{of}.{name}"))
    return out


def test_nothing_else_writes():
    """Outside of actions and migrations only the trail is left, the pulse of the application, and how far a worker is with its job."""
    allowed = {
        "tenancy/action.py": {"Trail.objects.create"}, "kitchens/health.py": {"Pulse.objects.update_or_create"},
        "jobs/long.py": {"LongJob.objects.filter(pk=job_id, state=State.RUNNING).update", "open_.update"},
        "jobs/tasks.py": {"LongJob.objects.filter(pk=job_id).update"},
    }  # fmt: skip
    found = []
    for path in WEB.rglob("*.py"):
        part = path.relative_to(WEB)
        if {"actions", "migrations"} & set(part.parts):
            continue
        for line, what in writes(path.read_text()):
            if what not in allowed.get(str(part), set()):
                found.append(f"{part}:{line} {what}")
    assert found == []
    assert writes("Food.objects.filter(a=1).delete()\nfood.save()\nForm().save()") != []


def test_revisions_of_a_plan_are_kept(kitchen, plan):
    """Each saving is a revision; the plan is the newest."""
    from tests.web.acting import save_plan

    chef = User.objects.get(username="chef")
    save_plan(kitchen, chef, Sentence.for_cut("bavette", size_mm=22).document(), plan=plan)
    rows = list(PlanRevision.objects.order_by("number"))
    assert [r.number for r in rows] == [1, 2]
    assert [r.document["piece"]["shape"]["thickness_mm"] for r in rows] == [28, 22]
    plan.refresh_from_db()
    assert plan.document == rows[1].document


def test_a_kitchens_own_version_of_a_way(kitchen, stranger):
    """It is the next version after the shipped one, in this kitchen's book only; a plan's own stays."""
    do = load(WEB / "book" / "actions" / "add_book_row.py")
    way = {k: v for k, v in book_of(kitchen).ways["bath"].items() if k not in {"id", "version"}}
    row = do(
        Actor.person(kitchen, User.objects.get(username="chef"), "chef"),
        AddBookRow("way", "bath", {**way, "name": "our bath"}),
    )
    assert row.version == 2
    assert book_of(kitchen).ways["bath"]["name"] == "our bath"
    assert book_of(kitchen).way("bath", 1)["name"] == "bath"
    assert book_of(Kitchen.objects.get(public_id="barn")).ways["bath"]["version"] == 1
    with pytest.raises(InputError) as caught:
        do(Actor.setup(kitchen), AddBookRow("pan", "x", {}))
    assert caught.value.path == "kind"


def test_a_kitchens_own_spreads(kitchen, plan):
    """Whole, and such as a plan may state; a cook goes on the line with them."""
    do = load(WEB / "book" / "actions" / "add_book_row.py")
    usual = {k: v for k, v in shipped().spreads(1).items() if k != "drift_share"}
    for key, body, path in (
        ("mine", usual, "key"), ("usual", {"thickness_mm": 1.0}, "body"),
        ("usual", usual | {"start_c": 99.0}, "/forecast/spreads/start_c"), ("usual", usual | {"x": 1}, "/forecast/spreads/x"),
    ):  # fmt: skip
        with pytest.raises(InputError) as caught:
            do(Actor.setup(kitchen), AddBookRow("spread", key, body))
        assert caught.value.path == path
    do(Actor.setup(kitchen), AddBookRow("spread", "usual", usual | {"thickness_mm": 3.0}))
    book = book_of(kitchen)
    assert (book.spreads_version, book.spreads()["thickness_mm"], book.spreads(1)["thickness_mm"]) == (2, 3.0, 0.9)
    from tests.web.acting import save_plan

    start = load(WEB / "line" / "actions" / "start_cook.py")
    made = save_plan(kitchen, User.objects.get(username="chef"), Sentence.for_cut("bavette", book=book).document())
    assert start(Actor.setup(kitchen), StartCook(made.public_id)).document["forecast"]["spreads"]["thickness_mm"] == 3.0
    assert "forecast" not in start(Actor.setup(kitchen), StartCook(plan.public_id)).document


def rows_of(kitchen, cook, plan):
    """A row of each model in a kitchen, by model."""
    member = Membership.objects.filter(kitchen=kitchen).first()
    station = Station.objects.create(kitchen=kitchen, name="Grill")
    return {
        Plan: plan, Cook: cook, Probe: Probe.objects.filter(kitchen=kitchen).first() or Probe.objects.create(kitchen=kitchen, name="p1"),
        Station: station, Membership: member, Equipment: Equipment.objects.create(kitchen=kitchen, kind="bath", name="bath"),
    }  # fmt: skip


def pairs():
    """Every key from a model of a kitchen to another."""
    return [
        (model, c.field)
        for model in apps.get_models()
        if issubclass(model, KitchenOwned)
        for c in model._meta.constraints
        if isinstance(c, SameKitchen)
    ]


@pytest.mark.parametrize(("model", "field"), pairs(), ids=lambda x: getattr(x, "__name__", x))
def test_the_database_refuses_a_row_that_joins_two_kitchens(kitchen, stranger, plan, cook, model, field):
    """Whatever the code does: for every pair of models."""
    barn = Kitchen.objects.get(public_id="barn")
    there = rows_of(barn, cook, plan)  # cook and plan stay the hut's: they are what must not be reached from the barn
    now = kitchen.now()
    made = {
        Cook: lambda k, own: Cook(kitchen=k, title="x", document={}, result={}, trace=[], moves=[], created_at=now),
        Event: lambda k, own: Event(kitchen=k, cook=cook, kind="note", occurred_at=now),
        Reading: lambda k, own: Reading(
            kitchen=k, probe=own[Probe], boot_id="b", sequence=1, measured_at=now, core_c=1.0
        ),
        Record: lambda k, own: Record(
            kitchen=k, cook=cook, title="x", started_at=now, finished_at=now, state="none", document={}
        ),
        Draft: lambda k, own: Draft(
            kitchen=k, user=User.objects.get(username="cook"), plan=plan, state="a=1", words="x"
        ),
        PlanRevision: lambda k, own: PlanRevision(kitchen=k, plan=plan, number=9, title="x", document={}),
        StationMember: lambda k, own: StationMember(kitchen=k, station=own[Station], membership=own[Membership]),
        Equipment: lambda k, own: Equipment(kitchen=k, kind="oven", name="oven", station=own[Station]),
        MediumReading: lambda k, own: MediumReading(
            kitchen=k, equipment=own[Equipment], boot_id="b", sequence=1, measured_at=now, medium_c=1.0
        ),
    }[model]
    here = rows_of(kitchen, cook, plan)
    target = model._meta.get_field(field).related_model
    if target in {Plan, Cook}:  # the row is the barn's, what it refers to the hut's
        row = made(barn, there)
        setattr(row, field, here[target])
    else:
        row = made(kitchen, here)
        setattr(row, field, there[target])
    constraint = next(c for c in model._meta.constraints if isinstance(c, SameKitchen) and c.field == field)
    with pytest.raises(ValidationError):
        constraint.validate(model, row)
    with pytest.raises(IntegrityError, match=constraint.name), transaction.atomic():
        row.save()
        with connection.cursor() as cursor:
            cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")


def test_the_check_finds_a_model_that_is_not_held():
    """No kitchen, no key that holds it, no key to refer to; the models that are there pass."""
    assert [f for m in apps.get_models() if m.__module__.startswith("ember_web.") for f in faults_of(m)] == []

    class Loose(models.Model):  # noqa: DJ008 - it has no rows
        class Meta:
            app_label = "tenancy"
            managed = False

    class Joined(KitchenOwned):
        food = models.ForeignKey(Food, on_delete=models.CASCADE)

        class Meta:
            app_label = "tenancy"
            managed = False

    try:
        assert [f.id for f in faults_of(Loose)] == ["ember.E001"]
        assert [f.id for f in faults_of(Joined)] == ["ember.E002", "ember.E003"]
    finally:
        for name in ("loose", "joined"):
            apps.all_models["tenancy"].pop(name)
        apps.clear_cache()


def test_what_happened_cannot_be_deleted_by_cascade(kitchen, cook):
    """Events and readings outlive an attempt to delete what they hang on."""
    Reading.objects.create(kitchen=kitchen, probe=Probe.objects.get(), boot_id="b", sequence=1, measured_at=kitchen.now(), core_c=1.0)  # fmt: skip
    for row in (cook, Probe.objects.get(), kitchen):
        with pytest.raises(models.ProtectedError), transaction.atomic():
            row.delete()


def test_kitchens_are_opened_at_the_machine_or_by_a_chef(kitchen):
    """Not by a cook or a hub; with a place that can be."""
    cook = Actor.person(kitchen, User.objects.get(username="cook"), "cook")
    for other in (cook, Actor.hub(kitchen)):
        with pytest.raises(PermissionDenied):
            open_kitchen(other, OpenKitchen("Barn"))
    for wrong in ({"altitude_m": 9000.0}, {"zone": "Nowhere/At-all"}):
        with pytest.raises((ValidationError, KeyError)):
            open_kitchen(Actor.machine(), OpenKitchen("Barn", **wrong))
    made = open_kitchen(Actor.machine(), OpenKitchen("Barn", 500.0))
    assert Trail.objects.get(kitchen=made).action == "open_kitchen"
    assert not HubToken.objects.filter(kitchen=made).exists()
    assert not HouseRules.objects.filter(kitchen=made).exists()
    assert not BookRow.objects.filter(kitchen=made).exists()
