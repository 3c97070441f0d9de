"""Whether a probe is still where it was: a core cannot jump, and what its readings jump to tells where the tip is now.

Against a straight line through the readings of the minute before, a jump is what no core does; then the level that the readings settle at is compared
with the air, with what heats, and with the other pieces. The cook is asked: nothing is believed or dropped on this alone.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.wording.message import N_, Message, say

BEFORE_S, APART_S = (
    60.0,
    12.0,
)  # of readings that the line is drawn through, and how far they lie before those that are looked at
LEAST = 5  # readings of that line
NOISE_C = 0.25  # of one reading, standard deviation, K
JUMP = 6.0  # deviations that are a jump
BENT = 0.25  # of what the line rises meanwhile may be bent, without a jump
SETTLE_S = 25.0  # a sensor's way to where its tip is now
EARLY_S = 120.0  # after its start a probe may be put in late, and a core begins to move
NEAR_AIR_K, NEAR_PIECE_K, NEAR_HEAT = (
    3.0,
    2.0,
    0.12,
)  # how near a level must come; of the heat as a share of its distance
OUT, HEAT, OTHER, SWAPPED, TOUCHES, SLIPPED = "out", "heat", "other", "swapped", "touches", "slipped"

QUESTIONS = {
    OUT: N_("The probe jumped from {before:temp0} to {now:temp0}: is it out of the piece?"),
    HEAT: N_("The probe jumped from {before:temp0} to {now:temp0}: does it read what heats, not the core?"),
    OTHER: N_("The probe jumped from {before:temp0} to {now:temp0}: is it in another piece ({piece})?"),
    SWAPPED: N_("The probe jumped from {before:temp0} to {now:temp0}: was it swapped with that of {piece}?"),
    TOUCHES: N_("The probe jumped from {before:temp0} to {now:temp0}: does its tip touch bone, the pan, or lie in fat?"),
    SLIPPED: N_("The probe jumped from {before:temp0} to {now:temp0}: has it slipped?"),
}  # fmt: skip


@dataclass(frozen=True)
class Fault:
    """A probe that is no longer where it was: what kind, since when, s, what it read before and reads now, °C, and the other piece."""

    kind: str
    at_s: float
    before_c: float
    now_c: float
    piece: str = ""

    def question(self) -> Message:
        """What the cook is asked."""
        return say(QUESTIONS[self.kind], before=self.before_c, now=self.now_c, piece=self.piece)


@dataclass(frozen=True, eq=False)
class Neighbour:
    """Another piece: its name, its core now as far as it is known, °C, and its probe's readings (s, °C), none without one."""

    name: str
    core_c: float
    t_s: Array
    c: Array


def jump_at(t_s: Array, c: Array, since_s: float = 0.0, look_s: float = 0.0) -> int | None:
    """The first reading that is a jump, by its number; None: there is none.

    Parameters
    ----------
    t_s, c : ndarray (readings,)
        s, rising; °C.
    since_s, look_s : float
        Nothing before the one counts; nothing before the other is looked at once more.
    """
    t, c = np.asarray(t_s, dtype=float), np.asarray(c, dtype=float)
    for i in range(LEAST, t.size):
        if t[i] < max(since_s, look_s):
            continue
        before = (t >= max(t[i] - APART_S - BEFORE_S, since_s)) & (t <= t[i] - APART_S)
        n = int(before.sum())
        if n < LEAST:
            continue
        tb, cb = t[before], c[before]
        mid = tb.mean()
        wide = float(((tb - mid) ** 2).sum())
        a, b = np.triu_indices(
            n, 1
        )  # the line of the middle slope (Theil 1950, Sen 1968): one reading that slipped does not bend it
        slope = float(np.median((cb[b] - cb[a]) / (tb[b] - tb[a])))
        level = float(np.median(cb - slope * (tb - mid)))
        ahead = t[i] - mid
        own = NOISE_C * np.sqrt(1.0 + 1.0 / n + ahead**2 / wide)
        off = abs(c[i] - level - slope * ahead)
        again = i + 1 < t.size and abs(c[i + 1] - level - slope * (t[i + 1] - mid)) > 0.7 * off
        if off > JUMP * own + BENT * abs(slope) * ahead and (again or i + 1 == t.size):
            return i
    return None


def fault(
    t_s: Array,
    c: Array,
    *,
    air_c: float,
    heat_c: float | None,
    others: Mapping[str, Neighbour],
    since_s: float = EARLY_S,
    look_s: float = 0.0,
) -> Fault | None:
    """Whether a probe is no longer where it was, and where it is.

    Parameters
    ----------
    t_s, c : ndarray (readings,)
        Of the probe, s since the cook began, rising; °C.
    air_c, heat_c : float
        Of the kitchen, and of what heats the piece now; None: nothing does.
    others : mapping of str to Neighbour
        The other pieces on the line, their times in the same clock.
    since_s : float
        The cook said that it was right then.
    look_s : float
        What lies before it was looked at already.
    """
    i = jump_at(t_s, c, since_s, look_s)
    if i is None:
        return None
    t, c = np.asarray(t_s, dtype=float), np.asarray(c, dtype=float)
    begun = float(t[i])
    before = (
        float(np.median(c[(t < begun - 5.0) & (t >= begun - 45.0)]))
        if (t < begun - 5.0).any()
        else float(c[max(i - 1, 0)])
    )
    after = c[(t >= begun + SETTLE_S)]
    now = float(np.median(after[-3:])) if after.size else float(c[-1])
    for key, n in others.items():
        if n.t_s.size and abs(now - _at(n.t_s, n.c, begun - 10.0)) < NEAR_PIECE_K + 0.05 * abs(now - before):
            j = jump_at(n.t_s, n.c, max(begun - 60.0, 0.0))
            if j is not None and abs(float(n.t_s[j]) - begun) < 45.0:
                return Fault(SWAPPED, begun, before, now, n.name or key)
    if abs(now - air_c) < NEAR_AIR_K and abs(before - air_c) > NEAR_AIR_K:
        return Fault(OUT, begun, before, now)
    if heat_c is not None and abs(now - heat_c) < max(NEAR_HEAT * abs(heat_c - before), NEAR_AIR_K):
        return Fault(HEAT, begun, before, now)
    near = min(others.values(), key=lambda n: abs(now - n.core_c), default=None)
    if near is not None and abs(now - near.core_c) < NEAR_PIECE_K:
        return Fault(OTHER, begun, before, now, near.name)
    if heat_c is not None and min(before, heat_c) < now < max(before, heat_c):
        return Fault(TOUCHES, begun, before, now)
    return Fault(SLIPPED, begun, before, now)


def _at(t: Array, c: Array, moment: float) -> float:
    return float(np.interp(moment, t, c))
