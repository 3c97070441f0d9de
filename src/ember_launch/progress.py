"""How far a start has come: a line on standard error, and the same as numbers for the page that waits for it."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import TextIO

SAY_EVERY_S = 15.0  # where the line cannot be written over
ALMOST = 0.97  # a step whose end nobody announces comes no nearer to it


@dataclass
class Step:
    """One step: what it is called, and how long it usually takes, s."""

    name: str
    words: str
    usual_s: float
    begun: float | None = None
    share: float | None = None  # as told; None: by the time gone
    done: bool = False

    def so_far(self, now: float) -> float:
        """Share of it that is done, 0 to 1."""
        if self.done:
            return 1.0
        if self.begun is None:
            return 0.0
        if self.share is not None:
            return min(self.share, ALMOST)
        gone = (now - self.begun) / self.usual_s
        return min(gone, ALMOST) if gone < 0.8 else ALMOST - (ALMOST - 0.8) * 0.8 / gone

    def left_s(self, now: float) -> float:
        """How long it will still take, s: by its own pace once that shows."""
        share = self.so_far(now)
        if self.begun is not None and self.share is not None and share > 0.1:
            return (now - self.begun) * (1.0 - share) / share
        return self.usual_s * (1.0 - share)


@dataclass
class Progress:
    """The steps of one start, in order; steps that are not begun count as to come."""

    steps: Sequence[Step] = ()
    out: TextIO = field(default_factory=lambda: sys.stderr)
    _ended: threading.Event = field(default_factory=threading.Event)
    _said: float = 0.0

    def state(self) -> dict[str, object]:
        """Words of the present step, which of how many, share done of all (0 to 1), and seconds to go."""
        now = time.monotonic()
        total = sum(s.usual_s for s in self.steps) or 1.0
        running = [s for s in self.steps if s.begun is not None and not s.done]
        current = running[-1] if running else next((s for s in self.steps if not s.done), None)
        return {
            "step": " · ".join(s.words for s in running) or (current.words if current else "Starting"),
            "number": self.steps.index(current) + 1 if current else len(self.steps),
            "of": len(self.steps),
            "share": round(sum(s.usual_s * s.so_far(now) for s in self.steps) / total, 3),
            "to_go_s": round(sum(s.left_s(now) for s in self.steps)),
        }

    @contextmanager
    def step(self, name: str) -> Iterator[Step]:
        """Do a step; one that was not foreseen is added at the end."""
        found = next((s for s in self.steps if s.name == name), None)
        if found is None:
            found = Step(name, name, 5.0)
            self.steps = [*self.steps, found]
        found.begun = time.monotonic()
        self._said = 0.0
        yield found
        found.done = True

    def drop(self, name: str) -> None:
        """A step that is not part of this start."""
        self.steps = [s for s in self.steps if s.name != name]

    def line(self) -> str:
        """The state in one line."""
        now = self.state()
        to_go = int(str(now["to_go_s"]))
        minutes = f"{to_go // 60} min {to_go % 60:02d} s" if to_go >= 60 else f"{to_go} s"
        return f"[{now['number']}/{now['of']}] {now['step']} · {100 * float(str(now['share'])):.0f} % done · about {minutes} to go"

    def _run(self) -> None:
        over = self.out.isatty()
        while not self._ended.wait(0.5):
            if not any(s.begun is not None and not s.done for s in self.steps):
                continue
            if over:
                self.out.write("\r\x1b[K" + self.line())
            elif time.monotonic() - self._said > SAY_EVERY_S:
                self.out.write(self.line() + "\n")
            else:
                continue
            self._said = time.monotonic()
            self.out.flush()
        if over:
            self.out.write("\r\x1b[K")
            self.out.flush()

    @contextmanager
    def shown(self) -> Iterator[Progress]:
        """Show the line while what is inside runs; nothing is shown when there is nothing to do."""
        thread = threading.Thread(target=self._run, name="progress", daemon=True)
        if self.steps:
            thread.start()
        try:
            yield self
        finally:
            self._ended.set()
            if thread.is_alive():
                thread.join(2.0)
