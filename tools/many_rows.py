"""A kitchen after years: 100,000 cooks and records, 5 million readings; how long its pages take and what the server holds.

Prints a table for docs/operations/measured.md. Some minutes, and about 3 GB below the folder for data, given back at the end.
"""

from __future__ import annotations

import argparse
import json
import os
import statistics
import sys
import tempfile
import threading
import time
import uuid
from pathlib import Path
from typing import Any

import httpx
import psycopg
from psycopg.sql import SQL, Composed, Identifier

from ember_launch.cluster import APPLICATION
from tools.trial import KITCHEN, Installation, sign_in

PAGES = (
    "/log/", "/log/?q=bavette", "/log/?page=3000", "/kitchen/", "/kitchen/trail/", "/plan/list/", "/plan/?cut=bavette", "/line/", "/line/state/", "/book/",
)  # fmt: skip
TARGET_S = 0.3
UNWATCHED = 300_000  # readings of one running piece that no board has seen


def connection(place: Installation) -> psycopg.Connection[Any]:
    """The application's own database."""
    run = json.loads((place.folder / "running.json").read_text())
    password = (place.folder / "application-password").read_text().strip()
    return psycopg.connect(
        host="127.0.0.1", port=run["port"], dbname=run["database"], user=APPLICATION, password=password, autocommit=True
    )


def copied(link: psycopg.Connection[Any], table: str, own: dict[str, str], source: int, many: int) -> None:
    """Copy a row of a table ``many`` times, with the columns in ``own`` as SQL of ``g``, 1 to many."""
    found = link.execute(
        "SELECT column_name FROM information_schema.columns WHERE table_name = %s AND column_name <> 'id'", [table]
    )
    columns = [c for (c,) in found]
    values: list[Any] = [SQL(own[c]) if c in own else Identifier("r", c) for c in columns]  # type: ignore[arg-type]
    query: Composed = SQL("INSERT INTO {} ({}) SELECT {} FROM {} r, generate_series(1, {}) g WHERE r.id = {}").format(
        Identifier(table),
        SQL(", ").join(map(Identifier, columns)),
        SQL(", ").join(values),
        Identifier(table),
        many,
        source,
    )
    link.execute(query)


def cooked(client: httpx.Client, plan: str) -> None:
    """One plan put on and finished through the pages."""
    headers = {"Referer": str(client.base_url), "X-CSRFToken": client.cookies["csrftoken"]}
    client.post(f"{KITCHEN}/line/start/", data={"plan": plan, "all": "1"}, headers=headers)
    cook = client.get(f"{KITCHEN}/line/state/").json()["cooks"][-1]["id"]
    event = {"id": str(uuid.uuid4()), "cook": cook, "kind": "finish", "occurred_at": time.time() * 1000}
    client.post(f"{KITCHEN}/line/events/", json={"events": [event]}, headers=headers)


def fill(link: psycopg.Connection[Any], cooks: int, readings: int) -> None:
    """Copies of the one record there is and its cook, and readings of one probe over two years."""
    ((record, cook),) = link.execute("SELECT id, cook_id FROM logbook_record ORDER BY id DESC LIMIT 1").fetchall()
    ((last,),) = link.execute("SELECT max(id) FROM line_cook").fetchall()
    ago = "now() - g * interval '10 minutes'"
    copied(link, "line_cook", {"public_id": "'many' || g", "created_at": ago, "probe_id": "NULL"}, cook, cooks)
    ((first,),) = link.execute("SELECT min(id) FROM line_cook WHERE id > %s", [last]).fetchall()
    own = {"public_id": "'many' || g", "cook_id": f"{first - 1} + g", "started_at": ago, "finished_at": ago}
    copied(link, "logbook_record", own, record, cooks)
    link.execute(
        "INSERT INTO line_reading (kitchen_id, probe_id, boot_id, sequence, measured_at, received_at, core_c) "
        "SELECT p.kitchen_id, p.id, 'many', g, now() - g * interval '12 seconds' - interval '10 days', now(), 55 "
        "FROM line_probe p, generate_series(1, %s) g WHERE p.name = 'p1'",
        [readings],
    )
    link.execute("ANALYZE")


def memory_mb(place: Installation) -> float:
    """What the server holds."""
    status = Path(f"/proc/{place.pid('server')}/status").read_text().splitlines()
    return next(int(line.split()[1]) for line in status if line.startswith("VmRSS")) / 1024.0


def timed(client: httpx.Client, path: str, times: int = 5) -> list[float]:
    """Seconds that a page takes, warm."""
    out = []
    for _ in range(times + 1):
        began = time.monotonic()
        reply = client.get(KITCHEN + path)
        assert reply.status_code == 200, (path, reply.status_code)
        out.append(time.monotonic() - began)
    return out[1:]


def unwatched(place: Installation, link: psycopg.Connection[Any], client: httpx.Client, plan: str) -> list[str]:
    """A piece whose 300,000 readings no board has seen: the first state, and what other boards wait meanwhile."""
    headers = {"Referer": str(client.base_url), "X-CSRFToken": client.cookies["csrftoken"]}
    client.post(f"{KITCHEN}/line/start/", data={"plan": plan, "all": "1", "probe": "p2"}, headers=headers)
    ((cook,),) = link.execute("SELECT max(id) FROM line_cook WHERE NOT finished").fetchall()
    link.execute("UPDATE line_event SET occurred_at = occurred_at - interval '6 hours' WHERE cook_id = %s", [cook])
    link.execute(
        "UPDATE line_cook SET probe_id = (SELECT id FROM line_probe WHERE name = 'p2' LIMIT 1) WHERE id = %s", [cook]
    )
    link.execute(
        "INSERT INTO line_reading (kitchen_id, probe_id, boot_id, sequence, measured_at, received_at, core_c) "
        "SELECT p.kitchen_id, p.id, 'many', g, now() - g * interval '0.07 seconds', now(), 20 + g * 1e-4 "
        "FROM line_probe p, generate_series(1, %s) g WHERE p.name = 'p2'",
        [UNWATCHED],
    )
    waited: list[float] = []
    over = threading.Event()

    def look() -> None:
        other = sign_in(place.url, "grill")
        while not over.is_set():
            began = time.monotonic()
            other.get(f"{KITCHEN}/line/state/")
            waited.append(time.monotonic() - began)

    thread = threading.Thread(target=look)
    thread.start()
    time.sleep(4.0)
    over.set()
    thread.join()
    return [
        f"{UNWATCHED:,} readings that no board has seen: slowest state of a board {max(waited):.2f} s, median {statistics.median(waited):.3f} s."
    ]


def main() -> int:
    """Fill, measure, print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cooks", type=int, default=100_000)
    parser.add_argument("--readings", type=int, default=5_000_000)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(dir="/var/lib" if os.geteuid() == 0 else None) as base:
        Path(base).chmod(0o755)
        place = Installation(Path(base) / "state")
        try:
            client = sign_in(place.url, "chef")
            with connection(place) as link:
                ((plan,),) = link.execute(
                    "SELECT public_id FROM plans_plan WHERE title ILIKE '%%bavette%%' LIMIT 1"
                ).fetchall()
                cooked(client, plan)
                few = {p: timed(client, p) for p in PAGES}
                before = memory_mb(place)
                fill(link, options.cooks, options.readings)
                many = {p: timed(client, p) for p in PAGES}
                after = memory_mb(place)
                rows = [
                    f"{options.cooks:,} cooks and records, {options.readings:,} readings; the server held {before:.0f} MB before its pages were "
                    f"asked for and {after:.0f} MB after.",
                    "",
                    "| page | as shipped, s | then: median, s | slowest of 5 |",
                    "|---|---|---|---|",
                    *(
                        f"| `{p}` | {statistics.median(few[p]):.2f} | {statistics.median(many[p]):.2f} | {max(many[p]):.2f} |"
                        for p in PAGES
                    ),
                    "",
                    *unwatched(place, link, client, plan),
                ]
        finally:
            place.stop()
    print("\n".join(rows))
    return 0 if max(statistics.median(v) for v in many.values()) <= TARGET_S else 1


if __name__ == "__main__":
    sys.exit(main())
