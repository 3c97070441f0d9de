"""A full service on one server: many pieces with probes, many screens, marks made now and then; prints its figures as JSON.

Run by ``./ember load``, which makes the kitchen. Every screen takes what changed from its stream, as the page does; every probe is
read every five seconds. It tells how long a reading and a mark take until every screen has them.
"""

from __future__ import annotations

import argparse
import asyncio
import json
import random
import sys
import time
import uuid
from collections import Counter
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx

KITCHEN = "/k/load-kitchen"
EVERY_S = 5.0
TARGET_MS = 500.0  # of 99 in 100: a reading, or a mark made elsewhere, until a screen has it
SCREENS_AT_REST = 40
LOOK_EVERY_S = 30.0  # at what was learned
MARK_EVERY_S = 60.0  # of a screen of forty: forty marks a minute on all, about ten times what sixty pieces need


KINDS = ("reading_to_screen", "mark_to_screen", "state", "event", "readings")
TIMELY = ("reading_to_screen", "mark_to_screen")


@dataclass
class Figures:
    """What was measured: seconds of each kind of request and until something is on a screen, and statuses."""

    screens: int
    seconds: dict[str, list[float]] = field(default_factory=lambda: {name: [] for name in KINDS})
    statuses: Counter[str] = field(default_factory=Counter)
    made: dict[str, float] = field(default_factory=dict)  # marks, by id: when, s since 1970
    words: int = 0
    bytes: int = 0
    counting: bool = False

    def note(self, kind: str, began: float, status: int) -> None:
        """One request."""
        if self.counting:
            self.seconds[kind].append(time.monotonic() - began)
            self.statuses[f"{kind} {status}"] += 1

    def shown(self, kind: str, seconds: float) -> None:
        """Something that a screen has now."""
        if self.counting:
            self.seconds[kind].append(seconds)


def quantiles(values: list[float]) -> dict[str, float]:
    """Count, and milliseconds: half, 95 and 99 in 100, the slowest."""
    ordered = sorted(values)
    if not ordered:
        return {"count": 0}
    return {"count": len(ordered)} | {
        name: round(1000 * ordered[min(int(share * len(ordered)), len(ordered) - 1)], 1)
        for name, share in (("p50_ms", 0.5), ("p95_ms", 0.95), ("p99_ms", 0.99), ("max_ms", 1.0))
    }


async def sign_in(url: str, name: str, password: str) -> httpx.AsyncClient:
    """A person's browser."""
    client = httpx.AsyncClient(base_url=url, timeout=30.0, follow_redirects=True, trust_env=False)
    await client.get("/sign-in/")
    data = {"username": name, "password": password, "csrfmiddlewaretoken": client.cookies["csrftoken"]}
    reply = await client.post("/sign-in/", data=data, headers={"Referer": url})
    if KITCHEN not in str(reply.url):
        raise RuntimeError(f"{name} could not sign in: {reply.status_code} at {reply.url}")
    return client


class Screen:
    """One board: the whole state at the opening, then what its stream says has changed; asks again after its own marks."""

    def __init__(self, client: httpx.AsyncClient, figures: Figures) -> None:
        self.client, self.figures = client, figures
        self.rev = ""
        self.seen: dict[str, set[str]] = {}
        self.read: dict[str, int] = {}

    async def ask(self) -> dict[str, Any] | None:
        """The state, or what of it changed."""
        began = time.monotonic()
        reply = await self.client.get(f"{KITCHEN}/line/state/", params={"since": self.rev})
        self.figures.note("state", began, reply.status_code)
        return reply.json() if reply.status_code == 200 else None

    def show(self, told: dict[str, Any]) -> None:
        """Take a state or a change: how old are the readings in it, and when were its marks made?"""
        first, now = not self.rev, time.time()
        self.rev = told["rev"]
        for cook in told["cooks"]:
            last = cook.get("lastReading")
            if last and self.read.get(cook["id"], 0) < last[0]:
                self.read[cook["id"]] = last[0]
                if not first:
                    self.figures.shown("reading_to_screen", now - last[0] / 1000.0)
            if "marks" not in cook:
                continue
            known = self.seen.get(cook["id"])
            self.seen[cook["id"]] = set(cook["marks"])
            for mark in () if known is None else self.seen[cook["id"]] - known:
                if mark in self.figures.made:
                    self.figures.shown("mark_to_screen", now - self.figures.made[mark])

    async def listen(self) -> None:
        """For ever."""
        while True:
            try:
                if not self.rev and (told := await self.ask()):
                    self.show(told)
                address = f"{KITCHEN}/line/stream/"
                async with self.client.stream("GET", address, params={"since": self.rev}, timeout=None) as reply:
                    if reply.status_code != 200:
                        self.figures.statuses[f"stream {reply.status_code}"] += 1
                        await asyncio.sleep(EVERY_S)
                        continue
                    async for line in reply.aiter_lines():
                        if line.startswith("data:"):
                            self.figures.words += 1
                            self.figures.bytes += len(line)
                            self.show(json.loads(line[5:]))
            except httpx.HTTPError as error:
                self.figures.statuses[f"stream {type(error).__name__}"] += 1
                await asyncio.sleep(1.0)

    async def mark(self, cooks: list[dict[str, Any]], rng: random.Random) -> None:
        """Somebody at the board, for ever: a minute more here, a note there."""
        while True:
            await asyncio.sleep(rng.uniform(0.0, 2.0) * MARK_EVERY_S * self.figures.screens / SCREENS_AT_REST)
            more = (
                {"kind": "extend", "seconds": 60} if rng.random() < 0.5 else {"kind": "note", "text": "turned the tray"}
            )
            made = time.time()
            event = {"id": str(uuid.uuid4()), "cook": rng.choice(cooks)["id"], "occurred_at": round(made * 1000)}
            body = {"events": [event | more | {"device": "load"}]}
            self.figures.made[event["id"]] = made
            began = time.monotonic()
            headers = {"X-CSRFToken": self.client.cookies["csrftoken"]}
            try:
                reply = await self.client.post(f"{KITCHEN}/line/events/", json=body, headers=headers)
                self.figures.note("event", began, reply.status_code)
                if reply.status_code == 200 and reply.json()["answers"][0]["status"] != "taken":
                    self.figures.statuses["event not taken"] += 1
                if self.rev and (told := await self.ask()):
                    self.show(told)
            except httpx.HTTPError as error:
                self.figures.statuses[f"event {type(error).__name__}"] += 1


def core_at(trace: list[list[float]], t_s: float) -> float:
    """The planned core, °C."""
    before = trace[0]
    for point in trace:
        if point[0] >= t_s:
            return before[1] + (point[1] - before[1]) * (t_s - before[0]) / max(point[0] - before[0], 1e-9)
        before = point
    return before[1]


async def hub(url: str, token: str, cooks: list[dict[str, Any]], figures: Figures, rng: random.Random) -> None:
    """Reads every probe every five seconds, a fifth of them each second."""
    boot, sequence = uuid.uuid4().hex[:16], 0
    async with httpx.AsyncClient(
        base_url=url, headers={"Authorization": f"Bearer {token}"}, timeout=30.0, trust_env=False
    ) as client:
        for second in range(10**9):
            begin = time.monotonic()
            batch = []
            for i in range(second % 5, len(cooks), 5):
                sequence += 1
                core = core_at(cooks[i]["trace"], time.time() - cooks[i]["started"] / 1000.0) + rng.gauss(0.0, 0.12)
                at = datetime.now(UTC).isoformat()
                batch.append({"probe": f"q{i}", "boot": boot, "sequence": sequence, "at": at, "core_c": core})
            try:
                reply = await client.post("/api/v1/readings", json={"readings": batch})
                figures.note("readings", begin, reply.status_code)
            except httpx.HTTPError as error:
                figures.statuses[f"readings {type(error).__name__}"] += 1
            await asyncio.sleep(max(0.0, EVERY_S / 5 - (time.monotonic() - begin)))


async def run(options: argparse.Namespace) -> None:
    """The whole service."""
    figures, rng = Figures(options.screens), random.Random(8750)  # noqa: S311 - when screens are touched
    token = options.token_file.read_text(encoding="utf-8").strip()
    people = [await sign_in(options.url, f"load-{i}", options.password) for i in range(options.people)]
    state = (await people[0].get(f"{KITCHEN}/line/state/")).json()
    cooks = sorted(state["cooks"], key=lambda c: int(c["probe"].removeprefix("q")))
    tasks = [asyncio.create_task(hub(options.url, token, cooks, figures, rng))]
    for i in range(options.screens):
        screen = Screen(people[i % len(people)], figures)
        tasks.append(asyncio.create_task(screen.listen()))
        tasks.append(asyncio.create_task(screen.mark(cooks, rng)))
    learned: list[int] = []
    try:
        await asyncio.sleep(options.before)
        figures.counting = True
        end = time.monotonic() + options.seconds
        while time.monotonic() < end:
            await asyncio.sleep(min(LOOK_EVERY_S, options.seconds))
            state = (await people[0].get(f"{KITCHEN}/line/state/")).json()
            learned.append(sum(c["learned"] is not None for c in state["cooks"]))
        figures.counting = False
        print(json.dumps(result_of(options, figures, cooks, learned), indent=1), flush=True)
        if options.linger:
            await asyncio.sleep(options.linger)
    finally:
        for task in tasks:
            task.cancel()
        await asyncio.gather(*tasks, return_exceptions=True)
        for client in people:
            await client.aclose()


def result_of(
    options: argparse.Namespace, figures: Figures, cooks: list[dict[str, Any]], learned: list[int]
) -> dict[str, Any]:
    """What was measured; ``good`` when all was answered, and readings and marks were on the screens in time."""
    bad = sum(n for status, n in figures.statuses.items() if not status.endswith(" 200"))
    times = {name: quantiles(values) for name, values in figures.seconds.items()}
    now = time.time() * 1000.0
    late = sum(c["next"] is not None and c["moves"][c["next"]]["due"] < now for c in cooks)
    return {
        "pieces": len(cooks), "overdue": late, "screens": options.screens, "seconds": options.seconds, "reading_every_s": EVERY_S,
        **times,
        "changes_heard": figures.words, "changes_mb": round(figures.bytes / 1e6, 1), "answers": dict(sorted(figures.statuses.items())), "bad_answers": bad,
        "pieces_learned_at_the_end": learned[-1] if learned else 0,
        "good": not bad and all(times[k].get("p99_ms", 1e9) <= TARGET_MS for k in TIMELY),
    }  # fmt: skip


def main() -> int:
    """Entry point."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--url", required=True)
    parser.add_argument("--token-file", type=Path, required=True)
    parser.add_argument("--password", required=True)
    parser.add_argument("--people", type=int, default=10)
    parser.add_argument("--screens", type=int, default=40)
    parser.add_argument(
        "--before", type=float, default=45.0, help="seconds before it is measured: every plan is prepared once"
    )
    parser.add_argument("--seconds", type=float, default=90.0)
    parser.add_argument("--linger", type=float, default=0.0, help="go on so long after it was measured and printed")
    asyncio.run(run(parser.parse_args()))
    return 0


if __name__ == "__main__":
    sys.exit(main())
