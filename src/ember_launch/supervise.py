"""Keeps a few child processes alive and stops them in order."""

from __future__ import annotations

import ctypes
import signal
import subprocess
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from ember_launch.places import Stop, say

PR_SET_PDEATHSIG = 1
LIBC = ctypes.CDLL(None, use_errno=True)


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
            time.sleep(0.25)
            for child in self.children:
                if child.process is None or child.process.poll() is None or self.ending:
                    continue
                lived = time.monotonic() - child.started
                child.failures = 0 if lived > 60 else child.failures + 1
                say(f"{child.name} ended (code {child.process.returncode}); starting it again")
                time.sleep(min(0.2 * 2**child.failures, 10.0))
                child.start()

    def stop(self) -> None:
        """Stop everything that was started, last first."""
        for child in reversed(self.children):
            child.stop()
