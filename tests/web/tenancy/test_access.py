"""Every address with every role, another kitchen's member and nobody; every model keeps to its kitchen."""

from __future__ import annotations

import re
import uuid

import pytest
from django.apps import apps
from django.db import IntegrityError, connection, transaction
from django.urls import URLPattern, URLResolver, get_resolver

from ember_core.entry.sentence import Sentence
from ember_web.book.models import Food
from ember_web.jobs.models import LongJob
from ember_web.line.models import Cook, Event, Probe
from ember_web.logbook.models import Record
from ember_web.plans.models import Plan
from ember_web.tenancy.models import Kitchen, User
from tests.web.acting import take_events

# what a role may do: address name → least role to read, least role to write (None: the method is not offered)
RIGHTS = {
    "kitchen": ("viewer", None), "clock": (None, "chef"), "preferences": ("viewer", "viewer"), "plan": ("viewer", None), "plan-quick": ("viewer", None),
    "plan-forecast": ("viewer", None), "plans": ("viewer", None), "plan-save": (None, "cook"), "plan-import": ("cook", "cook"),
    "plan-saved": ("viewer", None), "plan-export": ("viewer", None), "line": ("viewer", None), "line-state": ("viewer", None),
    "line-stream": ("viewer", None), "line-strip": ("viewer", None),
    "line-pass": ("viewer", None), "line-worker": ("viewer", None), "line-wall": ("viewer", None), "line-handover": ("viewer", None), "line-events": (None, "cook"), "line-start": (None, "cook"),
    "line-sheet": ("viewer", None), "line-do": (None, "cook"), "log": ("viewer", None), "record": ("viewer", "cook"), "record-csv": ("viewer", None),
    "record-json": ("viewer", None), "book": ("viewer", None), "book-ways": ("viewer", None), "book-time": ("viewer", None),
    "book-doneness": ("viewer", None), "book-cut": ("viewer", None), "book-way": ("viewer", None), "book-foods": ("viewer", None),
    "book-change": ("chef", "chef"), "book-retire": (None, "chef"), "book-export": ("viewer", None), "book-import": ("chef", "chef"),
    "plan-schools": ("viewer", None), "plan-doubt": ("viewer", None), "plan-what-if": ("viewer", None), "plan-to-meet": ("viewer", None), "plan-thumb": ("viewer", None), "plan-papers": ("viewer", None), "plan-recipe": ("viewer", None), "plan-arrange": (None, "cook"), "plan-summaries": (None, "viewer"), "kitchen-page": ("viewer", None), "kitchen-place": (None, "chef"),
    "plan-times": ("viewer", "cook"), "plan-times-of": ("viewer", None), "plan-times-cancel": (None, "cook"), "plan-times-file": ("viewer", None),
    "line-clock": (None, "chef"), "kitchen-person": (None, "chef"), "kitchen-trail": ("chef", None), "password": (None, "viewer"),
    "kitchen-gear": (None, "chef"), "kitchen-people": (None, "chef"), "book-food-new": ("chef", "chef"), "book-food": ("chef", "chef"),
    "tour": (None, "viewer"), "plan-draft": (None, "cook"), "plan-undo": (None, "cook"), "plan-earlier": ("viewer", None), "plan-restore": (None, "cook"),
    "eggs": ("viewer", None), "eggs-map": ("viewer", None), "eggs-where": ("viewer", None), "eggs-keep": (None, "cook"), "eggs-sizes": ("viewer", None), "eggs-pairs": ("viewer", None), "eggs-open-keep": (None, "cook"), "eggs-open": ("viewer", None), "eggs-breakfast": ("viewer", None), "eggs-keep-all": (None, "cook"),
    "kitchen-service": (None, "chef"), "kitchen-station": (None, "chef"), "kitchen-another": (None, "chef"),
    "line-probe": (None, "chef"), "line-simulation": ("chef", "chef"), "line-set-out": ("cook", None), "line-hub": (None, "chef"), "book-food-remove": (None, "chef"), "book-rules": ("viewer", "chef"),
}  # fmt: skip
RANK = {"viewer": 0, "cook": 1, "chef": 2}


def addresses():
    """Name and route of every address below /k/<kitchen>/."""

    def walk(patterns, prefix=""):
        for p in patterns:
            route = prefix + str(p.pattern)
            if isinstance(p, URLResolver):
                yield from walk(p.url_patterns, route)
            elif isinstance(p, URLPattern) and route.startswith("k/<slug:kitchen>"):
                yield p.name, route

    return dict(walk(get_resolver().url_patterns))


@pytest.fixture
def filled(kitchen, stranger, plan, cook):
    """A kitchen with a row of every kind; returns a function that fills in an address."""
    finish = {
        "id": str(uuid.uuid4()),
        "cook": cook.public_id,
        "kind": "finish",
        "occurred_at": kitchen.now().timestamp() * 1000,
    }
    assert take_events(kitchen, User.objects.get(username="cook"), [finish])[0]["status"] == "taken"
    record = Record.objects.get()
    food = Food.objects.create(
        kitchen=kitchen, name="our lamb", like="lamb", water=73, protein=20, fat=6, ash=1, source="label"
    )

    document = Sentence.for_cut("bavette").document()
    told = {"document": document, "sizes": [20.0], "targets": [55.0], "likely": False}
    job = LongJob.objects.create(kitchen=kitchen, kind="times-by-size", title="Times", asked=told)

    def fill(route):
        for name, value in (
            ("kitchen", kitchen.public_id),
            ("plan", plan.public_id),
            ("cook", cook.public_id),
            ("record", record.public_id),
            ("food", food.public_id),
            ("kind", "cut"),
            ("key", "bath" if "ways/" in route else "bavette"),
            ("what", "poached"),
            ("job", job.public_id),
        ):
            route = route.replace(f"<slug:{name}>", value)
        return "/" + route

    return fill


def test_the_table_of_rights_is_complete():
    """A new address must be entered here."""
    assert set(addresses()) == set(RIGHTS)


@pytest.mark.parametrize("name", sorted(RIGHTS))
@pytest.mark.parametrize("method", ["get", "post"])
def test_rights(filled, as_, name, method):
    """Strangers see nothing at all, members what their role allows, nobody the sign-in page; each on untouched rows."""
    for who in (None, "stranger", "viewer", "cook", "chef"):
        if name == "line-stream" and method == "get" and who:
            continue  # on a thread of its own; tested against the real server
        with transaction.atomic():
            reply = getattr(as_(who), method)(filled(addresses()[name]))
            transaction.set_rollback(True)
        assert reply.status_code in answers(name, method, who), (who, reply.status_code, reply.content[:300])
        if who is None and reply.status_code == 302:
            assert reply["Location"].startswith("/sign-in/")
        if who == "stranger":
            assert b"Hut" not in re.sub(rb"[A-Za-z0-9]{64}", b"", reply.content)  # a form's token may spell anything


def answers(name, method, who):
    """The statuses with which an address may answer somebody."""
    least = RIGHTS[name][0 if method == "get" else 1]
    if name == "line-stream":
        return {405 if method == "post" else 401}
    if who is None and name in {"line-events", "line-state"}:
        return {401}  # a script is told, and keeps what it has
    if who is None:
        return {302} if least else {302, 405}
    if who == "stranger":
        return {404}
    if least is None:
        return {403, 405}
    return {403} if RANK[who] < RANK[least] else {200, 204, 302, 400, 404, 422}


def test_every_model_of_ours_belongs_to_a_kitchen():
    """Tenancy is a column on every row, and rows of two kitchens cannot be tied together."""
    free = {"User", "Kitchen", "Pulse"}
    for model in apps.get_models():
        if model.__module__.startswith("ember_web.") and model.__name__ not in free:
            assert any(f.name == "kitchen" for f in model._meta.fields), model


@pytest.mark.parametrize("model", [Event, Cook])
def test_the_database_keeps_kitchens_apart(kitchen, stranger, cook, model):
    """Composite foreign keys refuse a row that points into another kitchen."""
    barn = Kitchen.objects.get(public_id="barn")
    with pytest.raises(IntegrityError), transaction.atomic():
        if model is Event:
            Event.objects.create(kitchen=barn, cook=cook, kind="note", occurred_at=barn.now())
        else:
            Cook.objects.filter(pk=cook.pk).update(probe=Probe.objects.create(kitchen=barn, name="px"))
        with connection.cursor() as cursor:
            cursor.execute("SET CONSTRAINTS ALL IMMEDIATE")


def test_the_applications_role_may_little(db):
    """No superuser, makes no roles, bypasses nothing, and owns its tables."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT rolsuper, rolcreaterole, rolreplication, rolbypassrls FROM pg_roles WHERE rolname = current_user"
        )
        assert cursor.fetchone() == (False, False, False, False)
        cursor.execute("SELECT count(*) FROM pg_tables WHERE schemaname = 'public' AND tableowner <> current_user")
        assert cursor.fetchone() == (0,)


def test_another_kitchens_plan_cannot_be_started_or_saved_over(kitchen, stranger, plan, as_):
    """By its id inside one's own kitchen, either."""
    client = as_("stranger")
    assert client.post("/k/barn/line/start/", {"plan": plan.public_id}).status_code == 404
    assert client.post("/k/barn/plan/save/", {"plan": plan.public_id, "cut": "bavette"}).status_code == 404
    assert client.get(f"/k/barn/plan/{plan.public_id}/").status_code == 404
    assert not Plan.objects.exclude(kitchen=kitchen).exists()


def test_security_headers(as_):
    """A strict policy: own scripts and styles only."""
    policy = as_(None).get("/sign-in/")["Content-Security-Policy"]
    assert "default-src 'none'" in policy
    assert "unsafe" not in policy


@pytest.mark.parametrize("name", ["plan-save", "line-start", "plan-forecast"])
def test_hostile_ids(kitchen, as_, name):
    """An id with a null character is not found; it does not break the database."""
    path = "/" + addresses()[name].replace("<slug:kitchen>", "hut")
    client = as_("cook")
    reply = client.get(path, {"plan": "a\x00"}) if name == "plan-forecast" else client.post(path, {"plan": "a\x00"})
    assert reply.status_code == 404
