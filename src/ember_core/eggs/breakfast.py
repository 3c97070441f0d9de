"""A breakfast of eggs: batches for their times, read from a few words, and when each goes in, into which pot."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from ember_core.eggs.poached import Poach, poach
from ember_core.eggs.question import YOLK_WORDS, EggAnswer, EggQuestion, ask
from ember_core.errors import ValueRangeError
from ember_core.wording.message import say

SHELL, POACHED = "shell", "poached"
# what cooks say, and the yolk they mean
SAID = {"soft": "syrupy", "hard": "dry", "medium": "jammy", "liquid": "runny", **{w: w for w in YOLK_WORDS}}
MOST_BATCHES = 24
LITRES_PER_EGG = 0.3  # so that a usual burner keeps the water moving; common practice
BATCH = re.compile(r"^\s*(\d{1,4})\s*(?:x|×)?\s+([a-z ]+?)\s+(?:at\s+)?(\d{1,2})(?:[:.h](\d{2}))?\s*$", re.IGNORECASE)


@dataclass(frozen=True)
class Batch:
    """So many eggs, in the shell or poached, with a yolk, for a time of day (minutes since midnight)."""

    count: int
    how: str
    yolk: str
    minute: int


@dataclass(frozen=True, eq=False)
class Timed:
    """A batch with its times: into the water, out of it, on the plate; its pot by number and the litres it wants; its answer."""

    batch: Batch
    in_at: datetime
    out_at: datetime
    plate_at: datetime
    pot: int
    litres: float
    answer: EggAnswer


def read(text: str) -> tuple[Batch, ...]:
    """Batches of a text, one a line or parted by commas: *12 soft 7:30, 6 hard 8:00, 8 poached 8:30*.

    Raises
    ------
    ValueRangeError
        The first stretch that is none, with how to write it.
    """
    found = []
    for raw in re.split(r"[,;\n]+", text):
        if not raw.strip():
            continue
        match = BATCH.match(raw)
        words = match[2].lower().split() if match else []
        poached = [w for w in words if w.startswith("poach")]
        yolks = [SAID[w] for w in words if w in SAID]
        left = [w for w in words if w not in SAID and w not in poached and w not in {"egg", "eggs", "boiled"}]
        hour, minute = (int(match[3]), int(match[4] or 0)) if match else (99, 0)
        if (
            match is None
            or left
            or len(yolks) > 1
            or not (yolks or poached)
            or hour > 23
            or minute > 59
            or int(match[1]) == 0
        ):
            raise ValueRangeError(
                say(
                    "{text!r} is no batch; write such as: 12 soft 7:30, 6 hard 8:00, 8 poached 8:30.",
                    text=raw.strip()[:60],
                ),
                path="batches",
            )
        yolk = yolks[0] if yolks else "runny"
        found.append(Batch(int(match[1]), POACHED if poached else SHELL, yolk, 60 * hour + minute))
    if not 0 < len(found) <= MOST_BATCHES:
        raise ValueRangeError(
            say(
                "Write from 1 to {most} batches, such as: 12 soft 7:30, 6 hard 8:00, 8 poached 8:30.", most=MOST_BATCHES
            ),
            path="batches",
        )
    return tuple(found)


def timed(batches: Sequence[Batch], usual: EggQuestion, midnight: datetime) -> tuple[Timed, ...]:
    """When each batch goes in and comes out, in the order of going in; one pot after another where their times allow.

    Eggs in the shell and poached ones take pots of their own; batches in the water at the same time take different pots.

    Parameters
    ----------
    batches : sequence of Batch
    usual : EggQuestion
        Mass, start, place, rules and stop of all.
    midnight : datetime
        Of the day.

    Raises
    ------
    InputError, ComputationError
        As of an egg's plan.
    """
    out: list[Timed] = []
    for b in batches:
        plate = midnight + timedelta(minutes=b.minute)
        if b.how == POACHED:
            answer = poach(
                Poach(usual.mass_g, usual.start_c, b.count, b.yolk, "plate", usual.altitude_m, rules=usual.rules)
            )
        else:
            answer = ask(replace(usual, count=b.count, yolk=b.yolk, minutes=None, serve_at=plate))
        total = timedelta(seconds=answer.cook.stages[-1].end_s)
        begin = plate - total
        litres = max(2.0, round(b.count * LITRES_PER_EGG * 2.0) / 2.0)
        out.append(Timed(b, begin, begin + timedelta(minutes=answer.minutes), plate, 0, litres, answer))
    out.sort(key=lambda t: t.in_at)
    free: list[tuple[str, datetime]] = []  # of each pot what is in it, and until when
    for i, t in enumerate(out):
        pot = next((k for k, (how, until) in enumerate(free) if how == t.batch.how and until <= t.in_at), None)
        if pot is None:
            free.append((t.batch.how, t.out_at))
            pot = len(free) - 1
        else:
            free[pot] = (t.batch.how, t.out_at)
        out[i] = replace(t, pot=pot + 1)
    return tuple(out)


def pots(found: Sequence[Timed]) -> list[tuple[int, str, float]]:
    """The pots that are needed: number, what for, and the most litres that one of its batches wants."""
    numbers = sorted({t.pot for t in found})
    return [
        (n, next(t.batch.how for t in found if t.pot == n), max(t.litres for t in found if t.pot == n)) for n in numbers
    ]
