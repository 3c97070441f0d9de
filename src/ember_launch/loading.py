"""``./ember load``: a full service against a server of its own, on a database as durable as in service; what it cost, and kills."""

from __future__ import annotations

import argparse
import json
import os
import secrets
import signal
import statistics
import subprocess
import sys
import threading
import time
import urllib.request
from contextlib import suppress
from pathlib import Path
from typing import Any

from ember_launch.places import PYTHON, say
from ember_launch.supervise import LOOK_S, Child, Supervisor

BEFORE_S = 45.0
BETWEEN_S = 20.0  # from one kill to the next: the boards come back meanwhile
GIVEN_UP_S = 60.0
TICK = os.sysconf("SC_CLK_TCK")


def options(arguments: list[str]) -> argparse.Namespace:
    """What was asked."""
    parser = argparse.ArgumentParser(
        prog="./ember load",
        description="60 pieces with probes, a fifth of them overdue, 40 screens, readings every 5 s, for 15 minutes; then the server "
        "and the database are killed in turn while it goes on. The database stores as durably as in service.",
    )
    parser.add_argument("--pieces", type=int, default=60)
    parser.add_argument("--screens", type=int, default=40)
    parser.add_argument("--seconds", type=float, default=900.0)
    parser.add_argument("--overdue", type=float, default=0.2, help="share of the pieces whose next move is long due")
    parser.add_argument("--kills", type=int, default=3, help="of the server and of the database each")
    return parser.parse_args(arguments)


def tree(pid: int) -> list[int]:
    """A process and all that it started."""
    out, wanted = [], [pid]
    while wanted:
        one = wanted.pop()
        out.append(one)
        with suppress(OSError, ValueError):
            for task in Path(f"/proc/{one}/task").iterdir():
                wanted += [int(p) for p in (task / "children").read_text().split()]
    return out


def cost_of(pid: int) -> dict[str, float]:
    """Processor time so far, s, and memory held, MB, of a process and all that it started."""
    cpu_s = memory_mb = 0.0
    for one in tree(pid):
        with suppress(OSError, ValueError, IndexError):
            fields = Path(f"/proc/{one}/stat").read_text().rpartition(")")[2].split()
            cpu_s += (int(fields[11]) + int(fields[12])) / TICK
            for line in Path(f"/proc/{one}/smaps_rollup").read_text().splitlines():
                if line.startswith("Pss:"):
                    memory_mb += int(line.split()[1]) / 1024.0
    return {"cpu_s": round(cpu_s, 1), "memory_mb": round(memory_mb)}


def written_bytes(folder: Path) -> int:
    """Bytes that lie below a folder."""
    total = 0
    for path in folder.rglob("*"):
        with suppress(OSError):
            total += path.stat().st_size if path.is_file() else 0
    return total


def is_able(address: str) -> bool:
    """Whether what a kitchen marks can be stored."""
    try:
        with urllib.request.urlopen(f"{address}/readyz", timeout=2) as reply:  # noqa: S310 - our own loopback address
            return bool(reply.status == 200)
    except OSError:
        return False


def back_after_s(child: Child, address: str) -> float:
    """Kill a child and wait until marks can be stored again, s; GIVEN_UP_S when they cannot."""
    assert child.process is not None
    killed = child.process
    began = time.monotonic()
    os.kill(killed.pid, signal.SIGKILL)
    killed.wait(10)
    while time.monotonic() - began < GIVEN_UP_S:
        time.sleep(0.05)
        if child.process is not killed and is_able(address):
            break
    return round(time.monotonic() - began, 2)


def run(
    asked: argparse.Namespace,
    supervisor: Supervisor,
    env: dict[str, str],
    folder: Path,
    address: str,
    server: Child,
) -> int:
    """Prepare the kitchen, start the server, load it, kill; prints JSON.

    Parameters
    ----------
    asked : Namespace
        Of :func:`options`.
    supervisor : Supervisor
        With the database running.
    env, folder, address
    server : Child
        Not started yet.
    """
    token, password = folder / "hub-token", secrets.token_hex(8)
    people = max(5, asked.screens // 4)
    overdue = round(asked.overdue * asked.pieces)
    made = [
        "--pieces",
        asked.pieces,
        "--overdue",
        overdue,
        "--people",
        people,
        "--token-file",
        token,
        "--password",
        password,
    ]
    for words in (["prepare"], ["load_kitchen", *made]):
        subprocess.run([PYTHON, "-m", "ember_web.manage", *map(str, words)], env=env, stdout=sys.stderr, check=True)
    database = supervisor.children[0]
    supervisor.add(server)
    over = threading.Event()

    def watch() -> None:
        while not over.wait(LOOK_S):
            for child in supervisor.children:
                child.look(time.monotonic())

    threading.Thread(target=watch, daemon=True).start()
    linger = 2 * asked.kills * (BETWEEN_S + GIVEN_UP_S / 4)
    call = [
        PYTHON,
        "-m",
        "ember_sim.load",
        "--url",
        address,
        "--token-file",
        token,
        "--password",
        password,
        "--people",
        people,
    ]
    call += ["--screens", asked.screens, "--before", BEFORE_S, "--seconds", asked.seconds, "--linger", linger]
    load = subprocess.Popen([str(w) for w in call], env=env, stdout=subprocess.PIPE, text=True)
    try:
        assert load.stdout is not None
        assert server.process is not None
        assert database.process is not None
        stored = written_bytes(folder)
        text = ""
        for line in load.stdout:
            text += line
            if line.rstrip() == "}":
                break
        figures: dict[str, Any] = json.loads(text or "{}")
        spent = BEFORE_S + asked.seconds
        figures["cost"] = {
            "seconds": spent,
            "server": cost_of(server.process.pid),
            "database": cost_of(database.process.pid),
            "stored_mb": round((written_bytes(folder) - stored) / 1e6, 1),
            "fsync": "on",
        }
        back: dict[str, list[float]] = {"server": [], "database": []}
        for _ in range(asked.kills if figures and load.poll() is None else 0):
            for name, child in (("server", server), ("database", database)):
                say(f"killing the {name} under load")
                back[name].append(back_after_s(child, address))
                time.sleep(BETWEEN_S)
        figures["back_after_kill_s"] = {
            name: {"median": statistics.median(v), "slowest": max(v), "times": len(v)} for name, v in back.items() if v
        }
        print(json.dumps(figures, indent=1), flush=True)
        return 0 if figures.get("good") else 1
    finally:
        load.terminate()
        load.wait(20)
        over.set()
