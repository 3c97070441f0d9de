"""How sure the minutes are: eggs of mixed sizes and old ones by the minute, and which pairs of yolk and white can be had at all."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.eggs.map import EggMap, egg_map
from ember_core.eggs.question import BATH, BOIL, TURNS, TWO, EggQuestion, ask, water_of
from ember_core.heat.arrays import Array
from ember_core.heat.egg_states import UNSET, white_word, yolk_word
from ember_core.heat.egg_time import goal_of
from ember_core.heat.physics.boiling import boiling_point

OLD = 1.0  # an old egg's yolk lies at the shell
CELLS = 15  # of a map that is looked through for pairs
BATH_LONGEST_MIN, BOIL_LONGEST_MIN = 120.0, 16.0  # of a hen's egg
COOL_C, HOT_BATH_C = 57.0, 76.0
TURN_MINUTES = 32.0  # Di Lorenzo et al. 2025


@dataclass(frozen=True, eq=False)
class Strip:
    """One egg of a batch by the minute.

    Attributes
    ----------
    mass_g : float
    risen : bool
        Its yolk lies at the shell, as in an old egg.
    minutes, yolk, firm, white, main : ndarray (times,)
        Means as of :class:`ember_core.heat.egg_states.EggState`.
    best_min : float or None
        When it is as wanted, min; None: not within the minutes.
    """

    mass_g: float
    risen: bool
    minutes: Array
    yolk: Array
    firm: Array
    white: Array
    main: Array
    best_min: float | None

    def words_at(self, minutes: float) -> tuple[str, str]:
        """Words of yolk and white at a time."""
        yolk, firm, white, main = (float(np.interp(minutes, self.minutes, v)) for v in (self.yolk, self.firm, self.white, self.main))  # fmt: skip
        return yolk_word(yolk, firm), white_word(white, main)


def strips(question: EggQuestion, minutes: Array, masses: Sequence[float]) -> list[Strip]:
    """Eggs of several sizes in the same water by the minute, and the question's own with its yolk at the shell: the spread of a batch.

    Water that does not keep one temperature (from cold, a pot, in turns) is taken for boiling water.

    Parameters
    ----------
    question : EggQuestion
    minutes : ndarray (times,)
        Rising, > 0.
    masses : sequence of float
        g.
    """
    water = np.array([min(water_of(question), boiling_point(question.altitude_m))])
    measure, goal = goal_of(question.yolk)
    out = []
    for mass, risen in [*((m, False) for m in masses), (question.mass_g, True)]:
        own = replace(question, mass_g=mass, minutes=None)
        m = egg_map(own, minutes, water, OLD if risen else 0.0)
        course = m.firm[0] if measure == "firm" else m.yolk[0]
        inside = course[0] <= goal <= course[-1]
        best = float(np.interp(goal, course, minutes)) if inside else None
        out.append(Strip(mass, risen, minutes, m.yolk[0], m.firm[0], m.white[0], m.main[0], best))
    return out


@dataclass(frozen=True)
class Pair:
    """A way to have a yolk with a white: kind of water, °C of it (of a bath), minutes."""

    water: str
    water_c: float
    minutes: float


def pairs(question: EggQuestion, threads: int = 2) -> dict[tuple[str, str], Pair]:
    """Which pairs of yolk and white this egg can have: by one water, else by a bath and boiling water, else in turns of hot and cool.

    Of the points of a map that have the pair the one deepest inside its region is given.
    """
    grown = max(question.mass_g / 57.0, 0.5) ** (2 / 3)
    boil = boiling_point(question.altitude_m)
    hot = np.linspace(1.0, BOIL_LONGEST_MIN * grown, 2 * CELLS)
    long = np.linspace(8.0, BATH_LONGEST_MIN * grown, CELLS)
    baths = np.linspace(COOL_C, HOT_BATH_C, CELLS)
    plain = replace(question, minutes=None, litres=None)
    out: dict[tuple[str, str], Pair] = {}
    maps = (
        (BOIL, hot, np.array([boil])),
        (BATH, long, baths),
        (BATH, hot, np.linspace(HOT_BATH_C, boil - 2.0, CELLS)),
        (TWO, long, baths),
    )
    with ThreadPoolExecutor(threads) as pool:  # the compiled solver gives the interpreter up
        found = list(pool.map(lambda m: egg_map(replace(plain, water=m[0]), m[1], m[2]), maps))
    for (water, _minutes, _c), map_ in zip(maps, found, strict=True):
        for pair, (c, m) in _inside(map_).items():
            out.setdefault(pair, Pair(water, c, m))
    turned = ask(replace(plain, water=TURNS, minutes=TURN_MINUTES * grown)).state
    if turned.white_word != UNSET:
        out.setdefault((turned.yolk_word, turned.white_word), Pair(TURNS, boil, TURN_MINUTES * grown))
    return out


def _inside(found: EggMap) -> dict[tuple[str, str], tuple[float, float]]:
    """Of each pair of words on a map the water, °C, and the minutes deepest inside its region."""
    yolks, whites = found.yolk_words(), found.white_words()
    firm_goal = {r["word"]: goal_of(r["word"]) for r in read_toml("eggs.toml")["yolk_word"]}
    best: dict[tuple[str, str], tuple[float, float, float]] = {}
    for i, water in enumerate(found.water_c):
        for j, minutes in enumerate(found.minutes):
            pair = (yolks[i][j], whites[i][j])
            if pair[1] == UNSET:
                continue
            measure, goal = firm_goal[pair[0]]
            off = abs(float((found.firm if measure == "firm" else found.yolk)[i, j]) - goal)
            if pair not in best or off < best[pair][0]:
                best[pair] = (off, float(water), float(minutes))
    return {k: (v[1], v[2]) for k, v in best.items()}
