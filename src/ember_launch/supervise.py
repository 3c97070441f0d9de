"""Keeps a few child processes alive and stops them in order."""

from __future__ import annotations

import ctypes
import os
import shutil
import signal
import subprocess
import time
from collections.abc import Callable, Mapping
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from ember_launch.places import Stop, say

PR_SET_PDEATHSIG = 1
LIBC = ctypes.CDLL(None, use_errno=True)


LONGEST_WAIT_S = 2.0  # before a child that keeps ending is started again
SETTLED_S = 5.0  # one that lived so long is started again at once
LOOK_S = 0.1
LOG_BYTES, LOGS_KEPT = 5_000_000, 3


def rotate(log: Path, most: int = LOG_BYTES, kept: int = LOGS_KEPT) -> bool:
    """Put a log that has grown beyond ``most`` bytes aside, ``kept`` of them, and empty it in place: its writer appends."""
    if not log.exists() or log.stat().st_size <= most:
        return False
    for number in range(kept - 1, 0, -1):
        older = log.with_name(f"{log.name}.{number}")
        if older.exists():
            older.replace(log.with_name(f"{log.name}.{number + 1}"))
    try:
        shutil.copyfile(log, log.with_name(f"{log.name}.1"))
    except OSError:  # no room for the copy: what is written now matters more
        log.with_name(f"{log.name}.1").unlink(missing_ok=True)
    os.truncate(log, 0)
    return True


@dataclass
class Child:
    """One process: how to start it, which signal ends it gently, when it counts as ready."""

    name: str
    command: Callable[[], list[str]]
    log: Path
    env: Mapping[str, str] | None = None
    stop_signal: int = signal.SIGTERM
    ready: Callable[[], bool] = lambda: True
    account: Mapping[str, object] = field(default_factory=dict)
    patience_s: float = 60.0
    before: Callable[[], None] = lambda: None
    process: subprocess.Popen[bytes] | None = None
    started: float = 0.0
    failures: int = 0
    due: float | None = None  # when it is started again, monotonic s; None while it runs

    def start(self) -> None:
        """Start the process in a session of its own; it is ended when the launcher dies."""
        self.before()
        ending = self.stop_signal

        def tie() -> None:
            LIBC.prctl(PR_SET_PDEATHSIG, ending)

        with self.log.open("ab") as sink:
            self.process = subprocess.Popen(  # type: ignore[call-overload]
                self.command(),
                stdout=sink,
                stderr=subprocess.STDOUT,
                stdin=subprocess.DEVNULL,
                cwd="/",
                env=dict(self.env) if self.env is not None else None,
                start_new_session=True,
                preexec_fn=tie,
                **self.account,
            )
        self.started = time.monotonic()
        self.due = None

    def look(self, now: float) -> None:
        """Start it again when it has ended and its wait is over; never waits itself."""
        if self.process is None or self.process.poll() is None:
            return
        if self.due is None:
            self.failures = 0 if now - self.started > SETTLED_S else self.failures + 1
            wait = 0.0 if self.failures == 0 else min(0.2 * 2 ** (self.failures - 1), LONGEST_WAIT_S)
            self.due = now + wait
            say(f"{self.name} ended (code {self.process.returncode}); starting it again")
        if now >= self.due:
            try:
                self.start()
            except OSError as error:  # no room, no memory: the next look tries again
                say(f"{self.name} could not be started: {error}")
                self.due = now + LONGEST_WAIT_S

    def wait_ready(self) -> None:
        """Wait until it answers; stop with the end of its log when it does not."""
        end = time.monotonic() + self.patience_s
        while time.monotonic() < end:
            assert self.process is not None
            if self.process.poll() is not None:
                break
            if self.ready():
                return
            time.sleep(0.1)
        tail = self.log.read_text(errors="replace").splitlines()[-15:]
        raise Stop(f"{self.name} did not start. The end of {self.log}:\n" + "\n".join(tail), code=1)

    def stop(self) -> None:
        """End it gently, then firmly."""
        if self.process is None or self.process.poll() is not None:
            return
        self.process.send_signal(self.stop_signal)
        try:
            self.process.wait(10)
        except subprocess.TimeoutExpired:
            self.process.kill()
            self.process.wait(5)


class Supervisor:
    """Starts children in order, restarts those that die, stops them in reverse order."""

    def __init__(self) -> None:
        self.children: list[Child] = []
        self.ending = False

    def add(self, child: Child) -> Child:
        """Start a child and wait until it is ready."""
        child.start()
        self.children.append(child)
        child.wait_ready()
        return child

    def watch(self) -> None:
        """Until a signal asks for the end: restart what died, ever more slowly if it keeps dying."""

        def end(_number: int, _frame: object) -> None:
            self.ending = True

        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, end)
        while not self.ending:
            time.sleep(LOOK_S)
            for child in self.children:
                if self.ending:
                    break
                child.look(time.monotonic())
                with suppress(OSError):
                    rotate(child.log)

    def stop(self) -> None:
        """Stop everything that was started, last first."""
        for child in reversed(self.children):
            child.stop()
