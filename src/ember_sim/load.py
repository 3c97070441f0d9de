"""A full service on one server: many pieces with probes, many screens, marks made now and then; prints its figures as JSON.

Run by ``./ember load``, which makes the kitchen. Every screen listens to the stream and fetches the
state at each word, as the page does; every probe is read every five seconds.
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
TARGET_MS = 500.0  # of nineteen in twenty states, marks and batches of readings
MARK_EVERY_S = 60.0  # of a screen: forty a minute, about ten times what sixty pieces need


@dataclass
class Figures:
    """What was measured: seconds of each kind of request, and statuses."""

    seconds: dict[str, list[float]] = field(default_factory=lambda: {"state": [], "event": [], "readings": []})
    statuses: Counter[str] = field(default_factory=Counter)
    words: int = 0
    counting: bool = False

    def note(self, kind: str, began: float, status: int) -> None:
        """One request."""
        if self.counting:
            self.seconds[kind].append(time.monotonic() - began)
            self.statuses[f"{kind} {status}"] += 1


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


async def screen(client: httpx.AsyncClient, figures: Figures) -> None:
    """One board: a state at the opening and at every word of the stream."""
    while True:
        try:
            async with client.stream("GET", f"{KITCHEN}/line/stream/", timeout=None) as reply:
                if reply.status_code != 200:
                    figures.statuses[f"stream {reply.status_code}"] += 1
                    await asyncio.sleep(EVERY_S)
                    continue
                async for line in reply.aiter_lines():
                    if line.startswith("data:"):
                        figures.words += 1
                        began = time.monotonic()
                        state = await client.get(f"{KITCHEN}/line/state/")
                        figures.note("state", began, state.status_code)
        except httpx.HTTPError as error:
            figures.statuses[f"stream {type(error).__name__}"] += 1
            await asyncio.sleep(1.0)


async def marks(client: httpx.AsyncClient, cooks: list[dict[str, Any]], figures: Figures, rng: random.Random) -> None:
    """Somebody at the board: a minute more here, a note there."""
    while True:
        await asyncio.sleep(rng.uniform(0.0, 2.0) * MARK_EVERY_S)
        more = {"kind": "extend", "seconds": 60} if rng.random() < 0.5 else {"kind": "note", "text": "turned the tray"}
        at = round(time.time() * 1000)
        body = {
            "events": [
                {"id": str(uuid.uuid4()), "cook": rng.choice(cooks)["id"], "occurred_at": at, "device": "load", **more}
            ]
        }
        began = time.monotonic()
        try:
            reply = await client.post(
                f"{KITCHEN}/line/events/", json=body, headers={"X-CSRFToken": client.cookies["csrftoken"]}
            )
        except httpx.HTTPError as error:
            figures.statuses[f"event {type(error).__name__}"] += 1
            continue
        figures.note("event", began, reply.status_code)
        if reply.status_code == 200 and reply.json()["answers"][0]["status"] != "taken":
            figures.statuses["event not taken"] += 1


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
    figures, rng = Figures(), random.Random(8750)  # noqa: S311 - when screens are touched
    token = options.token_file.read_text(encoding="utf-8").strip()
    people = [await sign_in(options.url, f"load-{i}", options.password) for i in range(options.people)]
    state = (await people[0].get(f"{KITCHEN}/line/state/")).json()
    cooks = sorted(state["cooks"], key=lambda c: int(c["probe"].removeprefix("q")))
    tasks = [asyncio.create_task(hub(options.url, token, cooks, figures, rng))]
    for i in range(options.screens):
        tasks.append(asyncio.create_task(screen(people[i % len(people)], figures)))
        tasks.append(asyncio.create_task(marks(people[i % len(people)], cooks, figures, rng)))
    learned: list[int] = []
    try:
        await asyncio.sleep(options.before)
        figures.counting = True
        end = time.monotonic() + options.seconds
        while time.monotonic() < end:
            await asyncio.sleep(min(EVERY_S, options.seconds))
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
    """What was measured; ``good`` when all was answered, states and marks in time."""
    bad = sum(n for status, n in figures.statuses.items() if not status.endswith(" 200"))
    times = {name: quantiles(values) for name, values in figures.seconds.items()}
    now = time.time() * 1000.0
    late = sum(c["next"] is not None and c["moves"][c["next"]]["due"] < now for c in cooks)
    return {
        "pieces": len(cooks), "overdue": late, "screens": options.screens, "seconds": options.seconds, "reading_every_s": EVERY_S,
        **times,
        "words_heard": figures.words, "answers": dict(sorted(figures.statuses.items())), "bad_answers": bad,
        "pieces_learned_at_the_end": learned[-1] if learned else 0,
        "good": not bad and all(times[k].get("p95_ms", 1e9) <= TARGET_MS for k in times),
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
