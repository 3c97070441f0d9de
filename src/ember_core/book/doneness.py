"""What a core is called: from the names of a doneness set to the word for a temperature, the same on every page."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from ember_core.wording.message import N_, Message, say

UNDER_K = 1.5  # a core so little below a name still eats as it; further below it is the one before. Our reading, no published source
STILL_UNDER = N_("still under {word}")  # of a core that has not come to the first name
MAX_NAMES = 20

Names = Sequence[tuple[str, float]]  # of a set: name and core at its peak, °C, rising


def doneness_spans(names: Names) -> list[tuple[Message, float, float]]:
    """Each name of a set with the core from which and below which a piece is that, °C; what lies below the first comes first.

    A name begins :data:`UNDER_K` below its core, or half way from the one before where that is nearer. Empty without names.
    """
    if not names:
        return []
    edges = [max(0.5 * (a[1] + b[1]), b[1] - UNDER_K) for a, b in pairwise(names)]
    first = names[0][1] - UNDER_K
    under = say(STILL_UNDER, word=say(names[0][0]))
    low, high = [first, *edges], [*edges, math.inf]
    return [(under, -math.inf, first), *((say(n), a, b) for (n, _c), a, b in zip(names, low, high, strict=True))]


def doneness_at(names: Names, core_c: float) -> Message:
    """The word for a core, °C, in a set; empty without names."""
    return next((word for word, low, high in doneness_spans(names) if low <= core_c < high), say(""))


def read_names(stated: object) -> Names:
    """The names of a set as a plan carries them in ``x-doneness``; empty where it carries none, or none that can be used."""
    if not isinstance(stated, (list, tuple)) or not 0 < len(stated) <= MAX_NAMES:
        return ()
    out: list[tuple[str, float]] = []
    for pair in stated:
        if not (
            isinstance(pair, (list, tuple))
            and len(pair) == 2
            and isinstance(pair[0], str)
            and isinstance(pair[1], (int, float))
        ):
            return ()
        if not pair[0] or (out and pair[1] <= out[-1][1]) or not math.isfinite(pair[1]):
            return ()
        out.append((pair[0], float(pair[1])))
    return tuple(out)
