"""What a measured log is evidence of: gaps, readings that cannot be the core's, frozen probes, contradictions.

A reading that cannot be the core's is left out, as if it had not been taken; what follows a jump is not trusted until the
readings come back to where they could have been. Limits are our reading, no published source.
"""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ember_core.plan.finding import Finding, Level
from ember_core.wording.message import Message, say

Array = NDArray[np.float64]
Flags = NDArray[np.bool_]

APART_S = 300.0  # a reading counts for no longer than this
GAP_FACTOR, GAP_LEAST_S = 5.0, 20.0  # in a dense log a hole is a hole: so many usual steps, and at least this
CORE_MOST_C = 105.0  # the core of a piece that holds water is never hotter
BOILS_C, BOILS_READINGS = 101.0, 2  # so many readings above it are in another unit, or of no core
JUMP_K, JUMP_K_S = 5.0, 0.5  # a core moves no faster: noise and placement, and K/s (a thin steak in a hot pan)
UNKNOWN_K_S = 0.25  # the fastest core of a piece of which no size is told: 20 mm, heated from both sides
AGREES_K = 2.0  # no reading counts for more than this above the warmer of its two neighbours
SETTLES_S = 10.0  # a tip that was moved shows within so long how cold it was before; an estimate
SWING_K, SWING_SHARE, SWING_LEAST = 3.0, 0.1, 4  # a core does not swing so far to and fro, so often
DOUBTED_SHARE, DOUBTED_LEAST = 0.2, 5  # a log of which more readings, and so many, cannot be the core's shows nothing
STOPS_K_S = 0.5 / 60.0  # a core that rises so fast does not stand still at once: the probe is stuck
STEP_K = 40.0  # nor further than this from one reading to the next, however far apart they are
PEAK_K = 20.0  # a single reading so far above both its neighbours is none of the core
SPIKE_READINGS = 2  # so few readings after a jump are a spike
SUPPORT_K = 2.0  # surface and medium may read so much below the core they heat: errors of two probes
NOTHING_C = -60.0  # what a reading without evidence shows: below every row
FROZEN_S, FROZEN_READINGS = 900.0, 10  # unchanged to 0.001 K for longer: the probe may be stuck


@dataclass(frozen=True)
class Evidence:
    """Which readings of a log count.

    Attributes
    ----------
    trusted : ndarray of bool (n,)
        Readings that can be the core's.
    possible : ndarray of bool (n,)
        Those, and the ones of which it cannot be told: after a jump that stays, or against surface and medium.
    left : int
        Index from which the probe was no longer in the piece (a fall that no piece makes); n when it stayed.
    why : str
        Why it cannot be told; empty when it can.
    findings : tuple of finding
    doubt : str
        Why the log as a whole shows nothing: unit, stuck probe, two pieces in one column; empty when it does.
    """

    trusted: Flags
    possible: Flags
    left: int
    why: str
    findings: tuple[Finding, ...]
    doubt: str = ""


def fastest_core(thickness_mm: float) -> float:
    """The fastest that the core of a slab heated from both sides can rise, K/s; a third more than it computes.

    The steepest rise of the centre of a slab after a step at its surface is 1.84 α ΔT / l² at Fo 0.16 (Carslaw & Jaeger 1959,
    3.4); α 0.14 mm²/s, from 4 °C to boiling.

    Parameters
    ----------
    thickness_mm : float
        > 0.
    """
    return 1.33 * 1.84 * 0.14 * 96.0 / (0.5 * thickness_mm) ** 2


def _finding(code: str, message: Message) -> Finding:
    return Finding(code, Level.CARE, message, "the log")


def _at(t_s: float) -> Message:
    return say("{t_s:,.0f} s", t_s=t_s)


def weigh(
    t_s: Array,
    core_c: Array,
    surface_c: Array | None = None,
    medium_c: Array | None = None,
    *,
    fastest_k_s: float = JUMP_K_S,
) -> Evidence:
    """Weigh a log's readings.

    Parameters
    ----------
    t_s, core_c : ndarray (n,)
        Times, s, strictly increasing; core, °C.
    surface_c, medium_c : ndarray (n,), optional
        Surface and medium, °C, NaN where not read.
    fastest_k_s : float
        The fastest a core can change, K/s; smaller when the piece's physics is known.
    """
    dt = np.diff(t_s)
    impossible = (core_c > CORE_MOST_C) | _peaks(core_c)
    up, fallen = _jumps(t_s, core_c, impossible, fastest_k_s)
    against = _contradicted(core_c, surface_c) | _contradicted(core_c, medium_c)
    spike = impossible | _short_runs(up | impossible)
    trusted, possible = ~(up | impossible | against), ~spike
    findings = []
    gaps = np.flatnonzero(holes(t_s))
    if gaps.size:
        words = say(
            "No reading for up to {longest}, {times} (first after {first}): the clock of a row starts again after it.",
            longest=_at(float(dt[gaps].max())),
            times=_times(gaps.size),
            first=_at(float(t_s[gaps[0]])),
        )
        findings.append(_finding("gap", words))
    findings += _frozen(t_s, core_c)
    odd = np.flatnonzero(up | impossible)
    if odd.size or fallen.size:
        first = min([*odd[:1], *fallen[:1]])
        words = say(
            "The core jumps by more than a piece can, {times} (first at {first}, {core_c:temp1}); those readings are "
            "no evidence. Was the probe moved?",
            times=_times(odd.size + fallen.size),
            first=_at(float(t_s[first])),
            core_c=core_c[first],
        )
        findings.append(_finding("jump", words))
    if against.any():
        first = int(np.argmax(against))
        words = say(
            "The core reads {core_c:temp1} at {first}, above everything that was around it until then ({times}): the "
            "readings contradict each other and are no evidence.",
            core_c=core_c[first],
            first=_at(float(t_s[first])),
            times=_times(int(against.sum())),
        )
        findings.append(_finding("contradiction", words))
    after_peak = fallen[fallen > int(np.argmax(np.where(trusted, core_c, -np.inf)))] if trusted.any() else fallen
    left = int(after_peak[0]) if after_peak.size else core_c.size
    why = ""
    if (possible & ~trusted).any():
        why = (
            say("the readings that would meet it contradict surface or medium")
            if (against & possible).any()
            else say("the readings that would meet it follow a jump that no piece makes")
        )
    doubt = _doubt(t_s, core_c, trusted, against) or _steep(t_s, core_c, trusted, fastest_k_s)
    if doubt:
        findings.append(_finding("implausible", say("This log proves nothing: {doubt}.", doubt=doubt)))
    return Evidence(trusted, possible, left, why, tuple(findings), doubt)


def _doubt(t_s: Array, core_c: Array, trusted: Flags, against: Flags) -> Message | str:
    """Why a log as a whole shows nothing; empty when it does."""
    if (core_c > BOILS_C).sum() >= BOILS_READINGS:
        return say(
            "{most:temp1} is hotter than water boils; is it in another unit, or was the probe in the air?",
            most=core_c.max(),
        )
    stuck = _stuck(t_s, core_c)
    if stuck is not None:
        return say("the probe stands at {core_c:temp1} and does not move; it is stuck", core_c=stuck)
    change = np.diff(
        core_c[(core_c <= CORE_MOST_C) & ~_peaks(core_c)]
    )  # one that cannot be is as if it had not been taken
    swings = (change[:-1] * change[1:] < 0) & (np.minimum(np.abs(change[:-1]), np.abs(change[1:])) >= SWING_K)
    if swings.sum() >= max(SWING_LEAST, SWING_SHARE * core_c.size):
        return say(
            "the readings swing to and fro, {many:,} times: two pieces or two probes in one column",
            many=int(swings.sum()),
        )
    wrong = int((~trusted).sum())
    if wrong > max(DOUBTED_SHARE * core_c.size, DOUBTED_LEAST):
        if against.sum() > 0.5 * wrong:
            return say(
                "{wrong:,} of {all:,} readings are hotter than everything around them", wrong=wrong, all=core_c.size
            )
        return say("{wrong:,} of {all:,} readings cannot be the core's", wrong=wrong, all=core_c.size)
    return ""


def agreed(t_s: Array, core_c: Array) -> Array:
    """Readings as far as others bear them out.

    None counts for more than :data:`AGREES_K` above the warmer of the two beside it; a neighbour further away than a reading counts
    for bears nothing out. And none counts for more than that above where a core can have come since the readings of the last
    :data:`SETTLES_S`: a tip that was moved to a hotter place shows that a colder one is there.
    """
    before, after = np.full(core_c.size, -np.inf), np.full(core_c.size, -np.inf)
    near = np.diff(t_s) <= APART_S
    before[1:], after[:-1] = np.where(near, core_c[:-1], -np.inf), np.where(near, core_c[1:], -np.inf)
    beside = np.minimum(np.maximum(before, after), _since_just_now(t_s, core_c))
    return np.where(np.isfinite(beside), np.minimum(core_c, beside + AGREES_K), np.minimum(core_c, NOTHING_C))


def _since_just_now(t_s: Array, core_c: Array) -> Array:
    """The highest that a core can have come, °C, from the lowest of the readings of the last :data:`SETTLES_S`; without any: no bound."""
    risen = core_c - JUMP_K_S * t_s
    out = np.full(core_c.size, np.inf)
    back = 1
    while back < core_c.size:
        near = t_s[back:] - t_s[:-back] <= SETTLES_S
        if not near.any():
            break
        out[back:] = np.where(near, np.minimum(out[back:], risen[:-back] + JUMP_K_S * t_s[back:]), out[back:])
        back += 1
    return out


def holes(t_s: Array) -> Flags:
    """Intervals (n − 1) of which nothing is known: longer than a reading counts, or than the log's own steps by far."""
    dt = np.diff(t_s)
    if dt.size == 0:
        return np.zeros(0, dtype=bool)
    near = np.minimum(np.concatenate([dt[:1], dt[:-1]]), np.concatenate([dt[1:], dt[-1:]]))
    dense = (dt > GAP_FACTOR * np.median(dt)) & (dt > GAP_FACTOR * near) & (dt > GAP_LEAST_S)
    return np.asarray((dt > APART_S) | dense)


def _peaks(core_c: Array) -> Flags:
    """Single readings far above both neighbours."""
    out = np.zeros(core_c.size, dtype=bool)
    if core_c.size > 2:
        out[1:-1] = core_c[1:-1] > np.maximum(core_c[:-2], core_c[2:]) + PEAK_K
    return out


def _room(span: Array, fastest: float) -> Array:
    """How far a core can rise in ``span`` s, K."""
    return np.asarray(np.minimum(JUMP_K + fastest * span, STEP_K))


def _too_steep(t_s: Array, core_c: Array, fastest: float) -> Flags:
    """Readings to which the core rose faster than it can, in however many steps, over up to :data:`APART_S`."""
    if core_c.size < 3:
        return np.zeros(core_c.size, dtype=bool)
    out = np.zeros(core_c.size, dtype=bool)
    first = np.searchsorted(t_s, t_s - APART_S)
    above = core_c - fastest * t_s  # falls as long as the core rises no faster than it can
    lows: deque[int] = deque()
    for i in range(core_c.size):
        while lows and lows[0] < first[i]:
            lows.popleft()
        while lows and above[lows[-1]] >= above[i]:
            lows.pop()
        lows.append(i)
        out[i] = above[i] - above[lows[0]] > JUMP_K
    # a probe that was out for a moment comes back to where it was
    highest = np.concatenate([[-np.inf], np.maximum.accumulate(core_c)[:-1]])
    return np.asarray(out & (core_c > highest))


def _steep(t_s: Array, core_c: Array, trusted: Flags, fastest: float) -> Message | str:
    """That the core rises faster than this piece's can, in however small steps; empty when it does not."""
    steep = _too_steep(t_s[trusted], core_c[trusted], fastest)
    if not steep.any():
        return ""
    first = t_s[trusted][int(np.argmax(steep))]
    return say(
        "from {first} the core rises faster than {fastest:.2f} K/s, which this piece cannot; was the probe moved, or is the piece thinner?",
        first=_at(float(first)), fastest=fastest,
    )  # fmt: skip


def _times(count: int) -> Message:
    return say("once") if count == 1 else say("{count:,} times", count=count)


def _jumps(t_s: Array, core_c: Array, impossible: Flags, fastest: float) -> tuple[Flags, NDArray[np.intp]]:
    """Readings above what the core could have reached from the last one trusted, and falls that no piece makes."""
    up = np.zeros(core_c.size, dtype=bool)
    dt = np.diff(t_s)
    room = _room(dt, fastest)
    if not (np.abs(np.diff(core_c)) > room).any() and not impossible.any():
        return up, np.empty(0, dtype=np.intp)
    fallen: list[int] = []
    t, c, never = t_s.tolist(), core_c.tolist(), impossible.tolist()
    start = 0
    while start < len(c) - 1 and (never[start] or c[start] > c[start + 1] + room[start]):
        up[start] = True  # a first reading that the next does not bear out
        start += 1
    last_t, last_c, ceiling = t[start], c[start], None
    for i in range(start + 1, len(c)):
        here, moved = c[i], JUMP_K + fastest * (t[i] - last_t)
        most = last_c + (moved if moved < STEP_K else STEP_K) if ceiling is None else ceiling
        alone = t[i] - t[i - 1] > APART_S and i + 1 < len(c) and here > c[i + 1] + room[i]
        if never[i]:  # as if it had not been taken
            up[i] = True
            continue
        if here > most or alone:  # after a hole, as at the start, the next reading has to bear it out
            up[i] = True
            ceiling = most  # stays where it was until readings come back below it
            continue
        ceiling = None
        if here < last_c - moved:
            fallen.append(i)  # low readings count against the piece; where it really is stays as it was
            continue
        last_t, last_c = t[i], here
    return up, np.array(fallen, dtype=np.intp)


def _short_runs(flags: Flags) -> Flags:
    """Runs of flagged readings that are short enough to be a spike, and end."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], flags, [False]]).astype(np.int8)))
    out = np.zeros(flags.size, dtype=bool)
    begins, ends = edges[::2], edges[1::2]
    short = ends - begins <= SPIKE_READINGS
    marks = np.zeros(flags.size + 1, dtype=np.int64)
    np.add.at(marks, begins[short], 1)
    np.add.at(marks, ends[short], -1)
    out[:] = np.cumsum(marks[:-1]) > 0
    return out


def _contradicted(core_c: Array, around_c: Array | None) -> Flags:
    """Readings of the core above everything around it so far: nothing can have heated it there."""
    none = np.zeros(core_c.size, dtype=bool)
    if around_c is None or not np.isfinite(around_c).any():
        return none
    known = np.isfinite(around_c)
    first = int(np.argmax(known))
    hottest = np.maximum.accumulate(np.where(known, around_c, -np.inf))
    if first > 0:  # what the core was before anything around it was read may have been hotter
        hottest = np.maximum(hottest, core_c[:first].max())
    against = core_c > hottest + SUPPORT_K
    against[:first] = False
    return np.asarray(against)


def _frozen(t_s: Array, core_c: Array) -> list[Finding]:
    """Stretches that do not move at all for longer than a core in heat does."""
    begins, ends, still = _still(t_s, core_c)
    if not still.any():
        return []
    first = int(np.flatnonzero(still)[0])
    longest = float((t_s[ends] - t_s[begins])[still].max())
    words = say(
        "The core reads {core_c:temp2} without any change from {first}, for up to {longest}, {times}; check the probe.",
        core_c=core_c[begins[first]],
        first=_at(float(t_s[begins[first]])),
        longest=_at(longest),
        times=_times(int(still.sum())),
    )
    return [_finding("frozen-probe", words)]


def _still(t_s: Array, core_c: Array) -> tuple[NDArray[np.intp], NDArray[np.intp], Flags]:
    """Stretches without any change: their first and last readings, and which are longer than a core in heat stands."""
    change = np.flatnonzero(np.abs(np.diff(core_c)) > 1e-3)
    begins, ends = np.concatenate([[0], change + 1]), np.concatenate([change, [core_c.size - 1]])
    still = (t_s[ends] - t_s[begins] > FROZEN_S) & (ends - begins + 1 >= FROZEN_READINGS)
    return begins.astype(np.intp), ends.astype(np.intp), np.asarray(still)


def _stuck(t_s: Array, core_c: Array) -> float | None:
    """Where a probe is stuck, °C: a log that never moves, or one that stops at once while it rises; None: it is not.

    A core that has come to the temperature of its bath stands still too, but it slows down before.
    """
    begins, ends, still = _still(t_s, core_c)
    for begin, end in zip(begins[still], ends[still], strict=True):
        if begin == 0:
            if end == core_c.size - 1:
                return float(core_c[0])
            continue
        first = max(int(begin) - 5, 0)
        rise = (core_c[begin] - core_c[first]) / (t_s[begin] - t_s[first])
        if abs(rise) >= STOPS_K_S:
            return float(core_c[begin])
    return None
