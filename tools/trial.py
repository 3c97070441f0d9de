"""Pulls plugs on a running installation and writes what it measured to ``docs/operations/measured.md``: ``python tools/trial.py``.

It starts Open Ember as a kitchen would (``./ember demo`` on data of its own), and then

- kills the application server, the database server and the probe hub, in turn, while readings and
  marks go on, and counts what was acknowledged and lost, and how long each was away;
- opens 200 streams and asks pages meanwhile;
- fills the disk (as root only: data lie on a small file system of their own) and asks for both levels of health.

Run it with the interpreter of the clone's environment. It takes about ten minutes.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import os
import re
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx

ROOT = Path(__file__).resolve().parents[1]
KITCHEN = "/k/brackenfold-hut"
NAMES = {"server": "ember_web.config.asgi", "database": "postgres -D", "hub": "ember_sim.hub"}


class Installation:
    """One running ``./ember demo``."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.log = (folder.parent / "launcher.log").open("wb")
        env = {**os.environ, "EMBER_STATE": str(folder), "EMBER_PORT": "8790"}
        self.process = subprocess.Popen(
            [str(ROOT / "ember"), "demo"], env=env, stdout=self.log, stderr=self.log, start_new_session=True
        )
        end = time.monotonic() + 600
        while time.monotonic() < end and not (folder / "address").exists():
            time.sleep(0.2)
        self.url = (folder / "address").read_text().strip()
        self.wait("/readyz", 600)  # a clone whose solver is new compiles it first
        while not (folder / "hub" / "token").exists():
            time.sleep(0.1)
        self.token = (folder / "hub" / "token").read_text().strip()

    def wait(self, path: str, patience_s: float = 60.0) -> float:
        """Seconds until an address answers with success."""
        began = time.monotonic()
        while time.monotonic() - began < patience_s:
            try:
                if httpx.get(self.url + path, timeout=2.0, trust_env=False).status_code == 200:
                    return time.monotonic() - began
            except httpx.HTTPError:
                pass
            time.sleep(0.02)
        raise RuntimeError(f"{path} did not answer within {patience_s} s")

    def pid(self, name: str) -> int:
        """The process of a part: a descendant of our launcher."""
        for status in Path("/proc").glob("[0-9]*/status"):
            try:
                words = (status.parent / "cmdline").read_bytes().replace(b"\0", b" ").decode(errors="replace")
                parent = next(
                    int(line.split()[1]) for line in status.read_text().splitlines() if line.startswith("PPid")
                )
            except (OSError, StopIteration):
                continue
            if parent == self.process.pid and NAMES[name] in words:
                return int(status.parent.name)
        raise RuntimeError(f"no {name} runs")

    def stop(self) -> None:
        """Stop it as Ctrl-C does."""
        self.process.send_signal(signal.SIGINT)
        self.process.wait(60)
        self.log.close()


def sign_in(url: str, name: str) -> httpx.Client:
    """A person's browser."""
    client = httpx.Client(base_url=url, timeout=10.0, follow_redirects=True, trust_env=False)
    client.get("/sign-in/")
    data = {"username": name, "password": "brackenfold", "csrfmiddlewaretoken": client.cookies["csrftoken"]}
    client.post("/sign-in/", data=data, headers={"Referer": url}).raise_for_status()
    return client


class Writer(threading.Thread):
    """Sends readings and marks all the time; keeps what was acknowledged; tries again what was not."""

    def __init__(self, place: Installation) -> None:
        super().__init__(daemon=True)
        self.place, self.ending = place, False
        self.readings: set[tuple[str, int]] = set()
        self.marks: set[str] = set()
        self.answers: dict[str, int] = {}

    def run(self) -> None:
        """Until told to end."""
        person = sign_in(self.place.url, "grill")
        plans = person.get(f"{KITCHEN}/plan/list/").text
        plan = re.search(rf'href="{KITCHEN}/plan/([^/"]{{12}})/"', plans).group(1)  # type: ignore[union-attr]
        csrf = {"Referer": self.place.url, "X-CSRFToken": person.cookies["csrftoken"]}
        start = {"plan": plan, "event": str(uuid.uuid4()), "all": "1", "reason": "a trial"}
        person.post(f"{KITCHEN}/line/start/", data=start, headers=csrf)
        cook = person.get(f"{KITCHEN}/line/state/").json()["cooks"][0]["id"]
        boot, sequence = uuid.uuid4().hex[:12], 0
        while not self.ending:
            sequence += 1
            reading = {
                "probe": "p3",
                "boot": boot,
                "sequence": sequence,
                "core_c": 20.0,
                "at": datetime.now(UTC).isoformat(),
            }
            mark = {
                "id": str(uuid.uuid4()),
                "cook": cook,
                "kind": "note",
                "text": f"n{sequence}",
                "occurred_at": time.time() * 1000,
                "device": "trial",
            }
            headers = {"Authorization": f"Bearer {self.place.token}"}
            url, body = self.place.url + "/api/v1/readings", {"readings": [reading]}
            if self.send(
                lambda u=url, b=body, h=headers: httpx.post(u, json=b, headers=h, timeout=5.0, trust_env=False)
            ):
                self.readings.add((boot, sequence))
            if self.send(lambda m=mark: person.post(f"{KITCHEN}/line/events/", json={"events": [m]}, headers=csrf)):
                self.marks.add(mark["id"])
            time.sleep(0.02)

    def send(self, call: Any) -> bool:
        """Until it is acknowledged; whether it was."""
        while not self.ending:
            try:
                reply = call()
                self.answers[str(reply.status_code)] = self.answers.get(str(reply.status_code), 0) + 1
                if reply.status_code == 200:
                    status = reply.json()["answers"][0]["status"]
                    if status not in {"taken", "known"}:
                        raise RuntimeError(f"{reply.json()['answers'][0]}")
                    return True
            except httpx.HTTPError as error:
                self.answers[type(error).__name__] = self.answers.get(type(error).__name__, 0) + 1
            time.sleep(0.05)
        return False


def stored(place: Installation) -> tuple[set[tuple[str, int]], set[str]]:
    """What the database holds, asked with the application's own role."""
    import psycopg

    port = next(
        w
        for w in Path(f"/proc/{place.pid('database')}/cmdline").read_bytes().decode().split("\0")
        if w.startswith("port=")
    )
    password = (place.folder / "application-password").read_text().strip()
    with psycopg.connect(
        host="127.0.0.1", port=port.split("=")[1], user="ember_app", password=password, dbname="ember_demo"
    ) as link:
        readings = {(b, s) for b, s in link.execute("SELECT boot_id, sequence FROM line_reading")}
        marks = {str(i) for (i,) in link.execute("SELECT id FROM line_event")}
    return readings, marks


def kills(place: Installation, count: int) -> list[str]:
    """Kill each part in turn."""
    writer = Writer(place)
    writer.start()
    time.sleep(3)
    away: dict[str, list[float]] = {name: [] for name in NAMES}
    for i in range(count):
        name = list(NAMES)[i % 3]
        before = place.pid(name)
        os.kill(before, signal.SIGKILL)
        began = time.monotonic()
        while True:
            try:
                if place.pid(name) != before:
                    break
            except RuntimeError:
                pass
            time.sleep(0.01)
        if name != "hub":
            place.wait("/readyz")
        away[name].append(time.monotonic() - began)
        time.sleep(2.0)
    writer.ending = True
    writer.join(20)
    readings, marks = stored(place)
    return [
        f"{count} kills ({count - count // 3 * 2} or so of each) while {len(writer.readings):,} readings and {len(writer.marks):,} marks were "
        f"acknowledged: {len(writer.readings - readings)} readings and {len(writer.marks - marks)} marks lost. Answers meanwhile: "
        f"{json.dumps(dict(sorted(writer.answers.items())))}.",
        "",
        "| killed | times | back after, s: median | slowest |",
        "|---|---|---|---|",
        *(f"| {n} | {len(v)} | {statistics.median(v):.1f} | {max(v):.1f} |" for n, v in away.items() if v),
    ]


def streams(place: Installation, count: int = 200) -> list[str]:
    """Many streams of one viewer and of others, and pages meanwhile."""

    async def go() -> list[str]:
        people = [sign_in(place.url, name) for name in ("viewer", "grill", "larder", "morning", "chef")]
        limits = httpx.Limits(max_connections=None)
        statuses: list[int] = []
        async with httpx.AsyncClient(base_url=place.url, timeout=30.0, trust_env=False, limits=limits) as client:
            opened = []
            for i in range(count):
                cookies = "; ".join(f"{k}={v}" for k, v in people[0 if i < count // 2 else i % 5].cookies.items())
                request = client.build_request("GET", f"{KITCHEN}/line/stream/", headers={"Cookie": cookies})
                opened.append(asyncio.create_task(client.send(request, stream=True)))
            replies = [
                r for r in await asyncio.gather(*opened, return_exceptions=True) if isinstance(r, httpx.Response)
            ]
            statuses = [r.status_code for r in replies]
            seconds, answers = [], []
            cookies = "; ".join(f"{k}={v}" for k, v in people[1].cookies.items())
            for i in range(60):
                path = (f"{KITCHEN}/line/state/", f"{KITCHEN}/plan/", f"{KITCHEN}/log/", "/readyz")[i % 4]
                began = time.monotonic()
                answers.append((await client.get(path, headers={"Cookie": cookies})).status_code)
                seconds.append(time.monotonic() - began)
            for reply in replies:
                await reply.aclose()
        for person in people:
            person.close()
        told = ", ".join(f"{n} × {s}" for s, n in sorted({s: statuses.count(s) for s in statuses}.items()))
        return [
            f"{count} streams asked for at once, half of them by one viewer: {told}. 60 pages meanwhile: "
            f"{sum(a == 200 for a in answers)} answered with 200, median {1000 * statistics.median(seconds):.0f} ms, slowest {1000 * max(seconds):.0f} ms."
        ]

    return asyncio.run(go())


def full_disk(place: Installation) -> list[str]:
    """Fill what is left, ask, make room, ask again."""
    filler = place.folder / "filler"
    try:
        with filler.open("wb") as sink:
            while True:
                sink.write(bytes(1_000_000))
    except OSError:
        pass
    alive, able = (httpx.get(place.url + p, timeout=10.0, trust_env=False) for p in ("/healthz", "/readyz"))
    words = [f["message"] for f in able.json()["faults"]]
    filler.unlink()
    back = place.wait("/readyz", 60)
    return [
        f"Disk full: alive {alive.status_code}, able {able.status_code} ({' '.join(words)}). Room made: able again after {back:.1f} s."
    ]


def main() -> int:
    """Run all, write the page."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--kills", type=int, default=51)
    options = parser.parse_args()
    own = os.geteuid() == 0
    with tempfile.TemporaryDirectory(dir="/var/lib" if own else None) as base:
        Path(base).chmod(0o755)
        state = Path(base) / "state"
        state.mkdir()
        if own and subprocess.run(["mount", "-t", "tmpfs", "-o", "size=600m", "tmpfs", state]).returncode:
            own = False
        place = Installation(state)
        rows = []
        try:
            user = next(
                line.split()[1]
                for line in Path(f"/proc/{place.pid('server')}/status").read_text().splitlines()
                if line.startswith("Uid")
            )
            rows += [f"Started by user {os.geteuid()}, the application server runs as user {user}.", ""]
            rows += [*streams(place), ""]
            rows += [*kills(place, options.kills), ""]
            rows += full_disk(place) if own else ["The full disk was not tried: that takes root."]
        finally:
            place.stop()
            if own:
                subprocess.run(["umount", state], check=False)
    text = "# Measured under trial\n\nWritten by `tools/trial.py`.\n\n" + "\n".join(rows) + "\n"
    page = ROOT / "docs" / "operations" / "measured.md"
    page.parent.mkdir(exist_ok=True)
    page.write_text(text, encoding="utf-8")
    print(text)
    return 0


if __name__ == "__main__":
    sys.exit(main())
