"""A database that the version before left behind, brought up to date: its rows are as they were, and plans have a revision."""

from __future__ import annotations

import gzip
import json
import os
import subprocess
import sys
from pathlib import Path

import psycopg
import pytest
from django.db import connection

DUMPS = (
    Path(__file__).parents[1] / "data"
)  # of the demo's own data: before plans had versions, with two cooks; before labels were mended
LOOK = """
import json
from django.db import IntegrityError, connection, transaction
from ember_core.formats.plan import parse
from ember_core.planning.compute import compute
from ember_web.line.adapters import state_of
from ember_web.line.models import Cook, Event, Probe, Reading
from ember_web.logbook.models import Record
from ember_web.plans.models import Plan, PlanRevision
from ember_web.tenancy.models import Kitchen, Membership

hut, barn = (Kitchen.objects.get(public_id=i) for i in ("brackenfold-hut", "lower-barn"))
finished, running = Cook.objects.order_by("created_at")
record = Record.objects.get()
try:
    with transaction.atomic():
        Cook.objects.filter(pk=running.pk).update(probe=Probe.objects.create(kitchen=barn, name="px"))
        connection.cursor().execute("SET CONSTRAINTS ALL IMMEDIATE")
    kept = False
except IntegrityError:
    kept = True
print(json.dumps({
    "members": Membership.objects.filter(kitchen=hut).count(),
    "plans": Plan.objects.filter(kitchen=hut).count(),
    "revisions": [r.number for r in PlanRevision.objects.filter(kitchen=hut)],
    "as they were": all(r.document == r.plan.document for r in PlanRevision.objects.select_related("plan")),
    "computes": len(compute(parse(running.document), with_forecast=False).result["stages"]) > 0,
    "events": Event.objects.count(),
    "readings": Reading.objects.count(),
    "finished": [finished.finished, running.finished],
    "done": [m.done is not None for m in state_of(running).moves],
    "pulls": [[m["kind"] for m in moves].count("pull") for moves in (running.moves, record.document["moves"])],
    "kept apart": kept,
}))
"""


LOOK_BY_LABEL = """
import json
from django.apps import apps
from django.contrib.contenttypes.models import ContentType
from django.db import connection
from ember_web.kitchens.models import Equipment, Station, StationMember
from ember_web.plans.models import Plan, PlanRevision
from ember_web.tenancy.models import Kitchen, Membership, Trail, User

with connection.cursor() as cursor:
    cursor.execute("SELECT count(*) FROM pg_class WHERE relkind IN ('r', 'S') AND starts_with(relname, 'kitchen_place')")
    left = cursor.fetchone()[0]
    cursor.execute("SELECT count(*) FROM django_migrations WHERE app = 'kitchen_place'")
    left += cursor.fetchone()[0]
made = Equipment.objects.create(kitchen=Kitchen.objects.first(), kind="smoker", name="smoker of today")
print(json.dumps({
    "kitchens": Kitchen.objects.count(), "members": Membership.objects.count(), "equipment": Equipment.objects.count() - 1,
    "stations": Station.objects.count(), "at stations": StationMember.objects.count(), "plans": Plan.objects.count(),
    "revisions": PlanRevision.objects.count(), "trail": Trail.objects.count(), "left": left,
    "may sign in": all(u.has_usable_password() for u in User.objects.filter(is_active=True)),
    "labels": sorted({t.app_label for t in ContentType.objects.all() if t.model in {"kitchen", "equipment"}}),
    "new": made.pk is not None,
}))
"""


@pytest.fixture
def before(transactional_db, request):
    """The environment of a process on the old database; it is gone afterwards."""
    settings = connection.settings_dict
    where = {k: settings[k.upper()] for k in ("host", "port", "user", "password")}
    name = f"{settings['NAME']}_before"
    with psycopg.connect(**where, dbname=settings["NAME"], autocommit=True) as link:
        link.execute(f'DROP DATABASE IF EXISTS "{name}"')
        link.execute(f'CREATE DATABASE "{name}"')
    lines = gzip.decompress((DUMPS / request.param).read_bytes()).decode().splitlines()
    with psycopg.connect(**where, dbname=name, autocommit=True) as link:
        link.execute("\n".join(line for line in lines if not line.startswith("\\")))
    try:
        yield {**os.environ, "EMBER_DB_NAME": name}
    finally:
        with psycopg.connect(**where, dbname=settings["NAME"], autocommit=True) as link:
            link.execute(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')


def managed(before, *words):
    """What a command says on the old database."""
    call = [sys.executable, "-m", "ember_web.manage", *words]
    done = subprocess.run(call, env=before, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return done.stdout


@pytest.mark.parametrize("before", ["before_versions.sql.gz"], indirect=True)
def test_the_version_before_is_brought_up_to_date(before):
    """Kitchens, people, plans, cooks, events, readings and the record are there; what is new holds for them."""
    managed(before, "migrate", "-v", "0")
    found = json.loads(managed(before, "shell", "-v", "0", "-c", LOOK).splitlines()[-1])
    assert found.pop("done") == [True, False, False]
    assert found == {
        "members": 5, "plans": 10, "revisions": [1] * 10, "as they were": True, "computes": True, "events": 5,
        "readings": 40, "finished": [True, False], "pulls": [1, 1], "kept apart": True,
    }  # fmt: skip


@pytest.mark.parametrize("before", ["before_labels.sql.gz"], indirect=True)
def test_labels_are_mended_and_no_row_is_lost(before):
    """Twice: the second time there is nothing to do. Nothing is left under the old name, and new rows can be added."""
    for _ in range(2):
        managed(before, "migrate", "-v", "0")
    found = json.loads(managed(before, "shell", "-v", "0", "-c", LOOK_BY_LABEL).splitlines()[-1])
    assert found == {
        "kitchens": 2, "members": 6, "equipment": 7, "stations": 3, "at stations": 3, "plans": 25, "revisions": 25, "trail": 82,
        "left": 0, "may sign in": True, "labels": ["kitchens", "tenancy"], "new": True,
    }  # fmt: skip
