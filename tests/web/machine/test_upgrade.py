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

BEFORE = Path(__file__).parents[1] / "data" / "before_versions.sql.gz"  # the demo's own data, with two cooks
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


@pytest.fixture
def before(transactional_db):
    """The environment of a process on the old database; it is gone afterwards."""
    settings = connection.settings_dict
    where = {k: settings[k.upper()] for k in ("host", "port", "user", "password")}
    name = f"{settings['NAME']}_before"
    with psycopg.connect(**where, dbname=settings["NAME"], autocommit=True) as link:
        link.execute(f'DROP DATABASE IF EXISTS "{name}"')
        link.execute(f'CREATE DATABASE "{name}"')
    lines = gzip.decompress(BEFORE.read_bytes()).decode().splitlines()
    with psycopg.connect(**where, dbname=name, autocommit=True) as link:
        link.execute("\n".join(line for line in lines if not line.startswith("\\")))
    try:
        yield {**os.environ, "EMBER_DB_NAME": name}
    finally:
        with psycopg.connect(**where, dbname=settings["NAME"], autocommit=True) as link:
            link.execute(f'DROP DATABASE IF EXISTS "{name}" WITH (FORCE)')


def test_the_version_before_is_brought_up_to_date(before):
    """Kitchens, people, plans, cooks, events, readings and the record are there; what is new holds for them."""

    def manage(*words):
        call = [sys.executable, "-m", "ember_web.manage", *words]
        done = subprocess.run(call, env=before, capture_output=True, text=True)
        assert done.returncode == 0, done.stderr
        return done.stdout

    manage("migrate", "-v", "0")
    found = json.loads(manage("shell", "-v", "0", "-c", LOOK).splitlines()[-1])
    assert found.pop("done") == [True, False, False]
    assert found == {
        "members": 5, "plans": 10, "revisions": [1] * 10, "as they were": True, "computes": True, "events": 5,
        "readings": 40, "finished": [True, False], "pulls": [1, 1], "kept apart": True,
    }  # fmt: skip
