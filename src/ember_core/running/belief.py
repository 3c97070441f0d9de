"""What is believed of a piece: an ensemble through its real history, brought into line with readings and weighed by checks.

Readings move the members (see :mod:`ember_core.heat.ensemble.learning`); a check, whose answers are ordered words, weighs each by how well
it goes with its core at that moment. What follows is asked of the weighed members.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook
from ember_core.heat.ensemble.draw import draw_ensemble, stage_lengths
from ember_core.heat.ensemble.forecast import MEMBER_CELLS, MEMBER_REFINE, by_clock, run_ensemble
from ember_core.heat.ensemble.learning import Learner
from ember_core.heat.ensemble.onward import run_onward
from ember_core.heat.setup import setup
from ember_core.running.checks import MEAN, MEDIUM, checks, grey_likelihood, grey_share, likelihood
from ember_core.running.history import Checked, Running
from ember_core.wording.message import Message, say

Pairs = Sequence[tuple[float, float]]
POINTS = 120
MEMBERS = 256
ODD = 0.04  # an estimate: an answer less likely than this contradicts the clock and the readings


@dataclass(frozen=True, eq=False)
class Belief:
    """What is believed now.

    Attributes
    ----------
    weights : ndarray (members,)
        Sum 1.
    core_c, peak_c, pull_s : ndarray (members,)
        The core now, and its highest, °C; the pull, s from the start, where it is still to come (else empty).
    used, ignored : int
        Readings.
    findings : tuple of Message
    """

    weights: Array
    core_c: Array
    peak_c: Array
    pull_s: Array
    used: int
    ignored: int
    findings: tuple[Message, ...]
    medium_c: Array = field(default_factory=lambda: np.empty(0))  # what heats now, as each has it, °C
    told: bool = False  # whether anything was read or checked

    def band(self, values: Array, shares: tuple[float, ...] = (0.05, 0.5, 0.95)) -> list[float]:
        """Weighed quantiles."""
        order = np.argsort(values)
        reached = np.cumsum(self.weights[order]) - 0.5 * self.weights[order]
        return [float(np.interp(p, reached, values[order])) for p in shares]

    def odds(self, low_c: float, high_c: float) -> float:
        """How likely the core now lies from ``low_c`` to ``high_c``."""
        return float(self.weights[(self.core_c >= low_c) & (self.core_c < high_c)].sum())


@dataclass(frozen=True, eq=False)
class Members:
    """An ensemble through a history, run once: asked again and again as readings and checks come in.

    Attributes
    ----------
    learner : Learner
    t : ndarray (times,)
        s.
    core, mean : ndarray (members, times)
        °C.
    peak_c : ndarray (members,)
    pulls : bool
        Whether each has a pull that is still to come.
    cook : Cook
        The nominal one.
    """

    learner: Learner
    t: Array
    core: Array
    mean: Array
    peak_c: Array
    pulls: bool
    cook: Cook

    @classmethod
    def of(
        cls,
        running: Running,
        cook: Cook,
        *,
        members: int = MEMBERS,
        seed: int = 7,
        spreads: Mapping[str, float] | None = None,
        threads: int = 2,
    ) -> Members:
        """Run them.

        Parameters
        ----------
        running : Running
        cook : Cook
            The nominal run of its real history and what is to come.
        members, seed, spreads, threads
            As of :func:`ember_core.heat.ensemble.forecast.forecast`.
        """
        plan, now = running.plan, running.now_s
        s = setup(plan, cells=MEMBER_CELLS, refine=MEMBER_REFINE)
        lengths = stage_lengths(cook)
        ensemble = draw_ensemble(s, plan.face_kinds, members=members, seed=seed, spreads=spreads, stage_s=lengths)
        end = float(cook.t[-1])
        t = np.unique(np.concatenate([np.linspace(0.0, end, POINTS), [min(now, end)]]))
        pulls = running.current is not None and cook.pull_stage == running.current
        if running.current is None:
            told, pull = run_ensemble(s, ensemble, by_clock(s.schedule, lengths), t, threads), np.empty(0)
        else:
            told, pull = run_onward(s, ensemble, cook, now, running.current, t, pulls=pulls, threads=threads)
        core = told.core - (told.core[0] - np.interp(t, cook.t, cook.core))
        mean = told.mean - (told.mean[0] - np.interp(t, cook.t, cook.mean))
        peak = told.peak - (told.peak[0] - cook.peak_core_c)
        core, mean, peak = core[1:], mean[1:], peak[1:]
        if not pulls:
            pull = np.full(members, end)
        good = np.isfinite(peak) & np.isfinite(pull)
        stage = running.current if running.current is not None else len(lengths) - 1
        learner = Learner.of(
            s, plan.face_kinds, cook, ensemble, np.where(good, pull, np.nan), (t, core, mean), stage, seed
        )
        return cls(learner, t, core[good], mean[good], peak[good], pulls, cook)

    def given(self, checked: Sequence[Checked], readings: Pairs, medium: Pairs, now_s: float) -> Belief:
        """What is believed at ``now_s`` by checks, readings of the core and of the medium (s and °C)."""
        end = float(self.t[-1])
        now = min(now_s, end)
        seen = (
            np.stack([_at(self.t, self._seen_by(c), c.at_s) for c in checked], axis=1)
            if checked
            else np.empty((self.core.shape[0], 0))
        )
        times, values = _arrays(readings)
        around = _arrays(medium)
        read = around if around[0].size else (None, None)
        cut = [c for c in checked if c.grey is not None]
        share = np.stack([self._grey(c.at_s) for c in cut], axis=1) if cut else seen[:, :0]
        heat = _at(self.learner.t, self.learner.medium, now)
        moved = self.learner.update(
            times, values, read[0], read[1], more=np.column_stack([self.peak_c, heat, seen, share]), now_s=now
        )
        n = len(checked)
        weights, said = _weighed(checked, moved.more[:, 2 : 2 + n], moved.more[:, 2 + n :])
        highest = np.maximum(moved.more[:, 0], moved.core_c)
        return Belief(
            weights, moved.core_c, highest, moved.pull_s if self.pulls else np.empty(0), moved.used, moved.ignored,
            (*moved.findings, *said), moved.more[:, 1], bool(len(readings) or len(medium) or checked),
        )  # fmt: skip

    def _grey(self, at_s: float) -> Array:
        """How much of each member's section was grey at a time, 0 to 1."""
        until = self.t <= at_s
        if not until.any():
            return np.zeros(self.core.shape[0])
        core, mean = self.core[:, until].max(axis=1), self.mean[:, until].max(axis=1)
        return grey_share(core, mean, self.learner.height)

    def _seen_by(self, check: Checked) -> Array:
        """What a check is of, as each member has it, °C (members × the times of the core)."""
        of = checks()[check.check].of
        if of != MEDIUM:
            return self.mean if of == MEAN else self.core
        own = self.learner
        return np.stack([np.interp(self.t, own.t, curve) for curve in own.medium])


def believe(running: Running, cook: Cook, **more: Any) -> Belief:
    """What is believed of a running cook; parameters as of :meth:`Members.of`."""
    return Members.of(running, cook, **more).given(running.checks, running.readings, running.medium, running.now_s)


def _weighed(checked: Sequence[Checked], seen: Array, grey: Array) -> tuple[Array, list[Message]]:
    """Weights of the members by all checks, and what contradicts; ``grey`` has a column for each cut of which it was said."""
    weights = np.full(seen.shape[0], 1.0 / seen.shape[0])
    known, said, rims = checks(), list[Message](), 0
    for i, check in enumerate(checked):
        kind = known[check.check]
        fits = likelihood(kind, check.answer, check.core_c, seen[:, i], check.width)
        chance = float(weights @ fits)
        likely = chance / float(fits.max()) if check.check == "thermometer" else chance
        if likely < ODD and kind.of == MEDIUM:
            said.append(
                say(
                    "{name}: {answer}, where the plan has {heat:temp0}. If that is right, say what the heat is now.",
                    name=say(kind.name), answer=say(check.answer), heat=float(weights @ seen[:, i]),
                )
            )  # fmt: skip
        elif likely < ODD:
            said.append(
                say(
                    "{name} says {answer}, everything else says {core_c:temp0}: is it the thin end, or another piece? Check again.",
                    name=say(kind.name), answer=say(check.answer) if check.answer else f"{check.core_c:g} °C", core_c=float(weights @ seen[:, i]),
                )
            )  # fmt: skip
        weights = weights * fits / chance
        if check.grey is not None:
            fits = grey_likelihood(check.grey, grey[:, rims], check.width)
            weights, rims = weights * fits / float(weights @ fits), rims + 1
    return weights, said


def _at(t: Array, curves: Array, moment: float) -> Array:
    i = int(np.clip(np.searchsorted(t, moment) - 1, 0, t.size - 2))
    part = min(max((moment - t[i]) / (t[i + 1] - t[i]), 0.0), 1.0)
    return np.asarray(curves[:, i] + part * (curves[:, i + 1] - curves[:, i]))


def _arrays(pairs: Pairs) -> tuple[Array, Array]:
    if len(pairs) == 0:
        return np.empty(0), np.empty(0)
    found = np.array(pairs)
    return found[:, 0], found[:, 1]
