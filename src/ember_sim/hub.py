"""A simulated hub: reads simulated pieces and devices with lag, noise and drop-outs; stores and forwards.

Run: ``python -m ember_sim.hub --url http://127.0.0.1:8750 --token-file FILE --spool FILE``. It asks
the API what is on the line, what devices are turned to and what is to go wrong, and posts readings. Each reading is written to the spool first and
removed once the server has answered it, so neither a killed server nor a killed hub loses one.
"""

from __future__ import annotations

import argparse
import logging
import random
import signal
import sqlite3
import sys
import time
import uuid
from datetime import UTC, datetime
from pathlib import Path
from types import FrameType
from typing import Any

import httpx
import numpy as np

from ember_sim.device import KINDS, LIES_IN, Device
from ember_sim.piece import Piece, stage_at

log = logging.getLogger("hub")
LAG_S = 6.0
NOISE_C = 0.12
DROP_OUT = 0.02
EVERY_S = 5.0  # kitchen time between readings of a probe
EVERY_DEVICE_S, EVERY_IDLE_S = 10.0, 60.0  # and of a device with something in it, and of an empty one
TOUCHING = 0.45  # of the way from the core to what heats, when a tip touches it
SAID = {"dial_c": None, "faults": None}  # what is told of a device again and again
VALUES = {"probe": "core_c", "device": "medium_c"}


class Spool:
    """Readings on their way, in a file."""

    def __init__(self, path: str) -> None:
        self.db = sqlite3.connect(path)
        self.db.execute("PRAGMA journal_mode=WAL")
        self.db.execute(
            "CREATE TABLE IF NOT EXISTS readings (boot TEXT, sequence INTEGER, source TEXT, name TEXT, at TEXT, celsius REAL, PRIMARY KEY (boot, sequence))"
        )
        self.boot = uuid.uuid4().hex[:16]
        self.sequence = 0

    def add(self, name: str, at: float, celsius: float, source: str = "probe") -> None:
        """Keep one reading of a probe or a device until it is answered."""
        row = (self.boot, self.sequence, source, name, datetime.fromtimestamp(at, UTC).isoformat(), round(celsius, 3))
        self.db.execute("INSERT INTO readings VALUES (?, ?, ?, ?, ?, ?)", row)
        self.db.commit()
        self.sequence += 1

    def batch(self, most: int = 500) -> list[dict[str, Any]]:
        """The oldest readings still waiting."""
        rows = self.db.execute(
            "SELECT source, name, boot, sequence, at, celsius FROM readings ORDER BY at LIMIT ?", (most,)
        ).fetchall()
        return [
            {source: name, "boot": boot, "sequence": sequence, "at": at, VALUES[source]: celsius}
            for source, name, boot, sequence, at, celsius in rows
        ]

    def answered(self, answers: list[dict[str, Any]]) -> None:
        """Forget what the server has answered for good, refused ones too; what it wants later is kept."""
        self.db.executemany(
            "DELETE FROM readings WHERE boot = ? AND sequence = ?",
            [(a["boot"], a["sequence"]) for a in answers if a["status"] != "later"],
        )
        self.db.commit()


class Sensor:
    """A probe in one piece: the truth, seen late and with noise. Past moves are followed when they change."""

    def __init__(self, cook: dict[str, Any]) -> None:
        self.id = cook["id"]
        self.weighs = bool(cook.get("weighs", True))  # the same bird takes its heat once
        self.devices: dict[str, Device] = {}  # by kind of stage
        self.faults: set[str] = set()
        self.feels: Sensor = self  # whose piece the tip is in
        self.probe = cook["probe"]
        self.rng = random.Random(cook["id"])  # noqa: S311 - a sensor's noise, not a secret
        self.restart(cook)
        self.next_reading = self.at

    def restart(self, cook: dict[str, Any]) -> None:
        """Begin again from the raw piece; used at first and when a past move was changed."""
        self.plan = cook["plan"]
        self.piece = Piece(shaped(self.plan, cook.get("shape")), cook["id"])
        self.at = float(cook["started"])
        self.shown = self.piece.core_c
        self.history: list[tuple[float, int | None]] = []

    def tip_c(self, stage: int | None) -> float:
        """What its tip feels, °C: the piece's core, as long as nothing is wrong with it."""
        if "out" in self.faults:
            return self.piece.air_c
        core = self.feels.piece.core_c
        if "touches" in self.faults and stage is not None:
            heat = max(float(np.max(face[1])) for face in self.piece.faces(stage))
            return core + TOUCHING * (heat - core)
        return core

    def takes_w(self, device: Device) -> float:
        """What its pieces take from a device now, W."""
        if not self.weighs:
            return 0.0
        current = self.piece.stage
        kind = None if current is None else self.plan["stages"][current]["kind"]
        return self.piece.takes_w() if kind is not None and self.devices.get(kind) is device else 0.0

    def follow(self, cook: dict[str, Any], now: float, spool: Spool) -> None:
        """Advance to ``now`` along the moves really done, and read on the way."""
        stages = stage_at(cook["moves"], now)
        passed = [e for e in stages if e[0] <= self.at]
        if cook["plan"] != self.plan or [e for e in self.history if e[0] <= self.at] != passed:
            self.restart(cook)  # a move of the past was undone or moved, or its heat is another
        self.history = stages
        while self.at + 0.5 <= now:
            current = [s for since, s in stages if since <= self.at + 1e-6]
            stage = current[-1] if current else None
            end = min([since for since, _ in stages if since > self.at + 1e-6] + [now, self.at + EVERY_S])
            step = max(end - self.at, 1e-3)
            self.piece.meets = {kind: d.true_c(self.at) for kind, d in self.devices.items()}
            self.piece.advance(step, stage)
            self.at += step
            self.shown += (self.tip_c(stage) - self.shown) * min(1.0, step / LAG_S)
            if self.at >= self.next_reading - 1e-6:
                self.next_reading = max(self.next_reading + EVERY_S, self.at)
                if self.probe is not None and "silent" not in self.faults and self.rng.random() > DROP_OUT:
                    spool.add(self.probe, self.at, self.shown + self.rng.gauss(0.0, NOISE_C))


def shaped(plan: dict[str, Any], shape: dict[str, Any] | None) -> dict[str, Any]:
    """A plan with the plain shape that a part of its bird cooks as."""
    return plan if shape is None else {**plan, "piece": {**plan["piece"], "shape": shape}}


def by_probe(cooks: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """What is on the line, a bird with two probes as two: its first probe is in the part that leads."""
    out = []
    for cook in cooks:
        parts = cook.get("parts") or {}
        lead = next(iter(parts), None)
        out.append({**cook, "shape": parts.get(lead)})
        second = cook.get("second")
        if second is not None:
            own = {"id": f"{cook['id']}/{second['part']}", "probe": second["probe"], "shape": parts[second["part"]]}
            out.append({**cook, **own, "weighs": False})
    return out


def connect(line: dict[str, Any], sensors: dict[str, Sensor], devices: dict[str, Device]) -> None:
    """Turn the devices, put each piece into its own, and let go wrong what is to."""
    for row in line.get("devices", ()):
        if row["kind"] not in KINDS:
            continue
        if row["name"] not in devices or {**devices[row["name"]].row, **SAID} != {**row, **SAID}:
            devices[row["name"]] = Device(row, float(line["now"]))
        devices[row["name"]].turn(row["dial_c"], row["faults"])
    wrong = {p["name"]: {f["kind"] for f in p["faults"]} for p in line.get("probes", ())}
    by_probe = sorted((s for s in sensors.values() if s.probe is not None), key=lambda s: s.probe)
    for cook in line["cooks"]:
        sensor = sensors[cook["id"]]
        own = cook.get("devices", {})
        sensor.devices = {stage: devices[own[kind]] for stage, kind in LIES_IN.items() if own.get(kind) in devices}
        sensor.faults, sensor.feels = wrong.get(sensor.probe, set()), sensor
    for i, sensor in enumerate(by_probe):
        if "swapped" in sensor.faults and len(by_probe) > 1:
            other = by_probe[(i + 1) % len(by_probe)]
            sensor.feels, other.feels = other, sensor


def go_on(
    live: dict[str, Any], now: float, sensors: dict[str, Sensor], devices: dict[str, Device], spool: Spool
) -> None:
    """Let pieces and devices go on together to now, in short steps, each feeling the other."""
    at = min([d.at for d in devices.values()] + [now])
    while True:
        at = min(at + EVERY_S, now)
        for device in devices.values():
            inside = [s for s in sensors.values() if device in s.devices.values()]
            device.advance(at, sum(s.takes_w(device) for s in inside))
            if at - device.read_at >= (EVERY_IDLE_S if device.dial_c is None else EVERY_DEVICE_S):
                device.read_at = at
                value = device.reading()
                if value is not None:
                    spool.add(device.name, device.stamp_s, value, "device")
        for key, sensor in sensors.items():
            sensor.follow(live[key], at, spool)
        if at >= now:
            return


def run(url: str, token: str, spool: Spool, *, period_s: float = 0.5, should_stop: Any = lambda: False) -> None:
    """Poll and post until told to stop."""
    sensors: dict[str, Sensor] = {}
    devices: dict[str, Device] = {}
    first = True
    with httpx.Client(
        base_url=f"{url}/api/v1", headers={"Authorization": f"Bearer {token}"}, timeout=5.0, trust_env=False
    ) as client:
        while not should_stop():
            begin = time.monotonic()
            try:
                line = client.get("/line").raise_for_status().json()
                line["cooks"] = by_probe(line["cooks"])
                live = {c["id"]: c for c in line["cooks"]}
                for gone in set(sensors) - set(live):
                    del sensors[gone]
                for cook in live.values():
                    if cook["id"] not in sensors:
                        sensors[cook["id"]] = Sensor(cook)
                        if first:  # the hub was away: nobody read the probe meanwhile
                            sensors[cook["id"]].next_reading = float(line["now"])
                connect(line, sensors, devices)
                go_on(live, float(line["now"]), sensors, devices, spool)
                first = False
                while batch := spool.batch():
                    reply = client.post("/readings", json={"readings": batch}).raise_for_status().json()
                    spool.answered(reply["answers"])
                    for answer in reply["answers"]:
                        if answer["status"] in {"refused", "later"}:
                            log.warning("%s: %s", answer["status"], answer["message"])
                    if all(a["status"] == "later" for a in reply["answers"]):
                        break
            except (httpx.HTTPError, KeyError, ValueError) as error:
                log.warning("no answer (%s); readings are kept", type(error).__name__)
                time.sleep(1.0)
            time.sleep(max(0.0, period_s - (time.monotonic() - begin)))


def main() -> int:
    """Entry point."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--url", required=True)
    parser.add_argument("--token-file", required=True)
    parser.add_argument("--spool", required=True)
    arguments = parser.parse_args()
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(levelname)s %(message)s")
    logging.getLogger("httpx").setLevel(logging.WARNING)
    stopping = False

    def stop(_number: int, _frame: FrameType | None) -> None:
        nonlocal stopping
        stopping = True

    signal.signal(signal.SIGTERM, stop)
    signal.signal(signal.SIGINT, stop)
    run(
        arguments.url,
        Path(arguments.token_file).read_text(encoding="utf-8").strip(),
        Spool(arguments.spool),
        should_stop=lambda: stopping,
    )
    return 0


if __name__ == "__main__":
    sys.exit(main())
