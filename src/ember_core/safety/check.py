"""One check of how food was kept: what it found, the rows of the rules it goes by, the history it reads."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ember_core.data.loader import read_toml
from ember_core.errors import InputError, ValueRangeError
from ember_core.plan.finding import Finding, Level
from ember_core.safety.rules import profiles
from ember_core.wording.message import Message, say

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Check:
    """One check: ``met`` is True, False, or None when the profile has no number for it.

    ``used_s`` and ``limit_s`` are the time taken and the time allowed (None where they do not
    apply); ``message`` says what was found and, when it failed, what to do.
    """

    code: str
    profile: str
    clause: str
    met: bool | None
    used_s: float | None
    limit_s: float | None
    message: Message
    source: str
    unseen: bool = False  # it failed because a stretch was not read, not because it was too slow

    def finding(self) -> Finding:
        """As a finding: a failed check stops, a missing number asks for care."""
        level = {True: Level.NOTE, False: Level.STOP, None: Level.CARE}[self.met]
        return Finding(self.code, level, self.message, f"{self.source}, {self.clause}")


def rows_of(table: str, profile: str) -> list[dict[str, Any]]:
    """Rows of one table of ``keeping.toml`` for a profile, its own or kept from another; *house* has the Food Code's."""
    tables = read_toml("keeping.toml")
    if profile not in profiles() and all(profile != r["profile"] for r in tables[table]):
        raise InputError(
            say("Unknown rules {profile!r}; choose one of {choices}.", profile=profile, choices=", ".join(profiles())),
            path="/rules",
            code="choice",
        )
    base = standing_in("house") if profile == "house" else profile
    rows: list[dict[str, Any]] = tables[table]
    return [r for r in rows if r["profile"] == base or base in r.get("kept_in", ())]


def standing_in(what: str) -> str:
    """Whose numbers are taken where a profile has none: for a ``house`` without a base, the ``come_up``, ``guests``."""
    return str(read_toml("keeping.toml")["standing_in"][what])


def history(t_s: Array, temperature_c: Array) -> tuple[Array, Array]:
    """Times (s) and temperatures (°C) as arrays; two or more, finite, the times rising.

    Raises
    ------
    InputError, ValueRangeError
        When they are not.
    """
    t, c = np.asarray(t_s, dtype=float), np.asarray(temperature_c, dtype=float)
    if t.ndim != 1 or t.shape != c.shape or t.size < 2:
        raise InputError(say("A history needs two readings or more, a time for each."), path="/t_s", code="empty")
    if not (np.isfinite(t).all() and np.isfinite(c).all()):
        raise ValueRangeError(say("A time or temperature of the history is not a number."), path="/core_c")
    if not (np.diff(t) > 0).all():
        raise ValueRangeError(
            say("The history's times must increase; sort it and remove doubles."), path="/t_s", code="order"
        )
    return t, c


def missing(code: str, profile: str, what: str) -> Check:
    """A check for which a profile has no number; ``what`` it would be of, a text that can be said."""
    return Check(
        code, profile, "", None, None, None,
        say(
            "{profile} has no number here for {what}: follow the kitchen's own written plan and the local code.",
            profile=profile, what=say(what),
        ),
        profile,
    )  # fmt: skip
