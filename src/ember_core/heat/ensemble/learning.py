"""Learning from readings: the ensemble's forecast of the pull, brought into line with the probe.

An ensemble smoother (van Leeuwen & Evensen 1996, *Mon. Weather Rev.* 124:2898): every member has a
core temperature predicted at the time of each reading and a pull of its own; the pull is moved by
linear regression on the difference to what was read, with the reading's error drawn for each
member. Nothing is run again, so an update takes milliseconds; late, missing or unordered readings
need no care, because only their own times count.

A thermometer in the medium tells of the medium's own error in the same way: each member has a medium of its own.

What a probe reads is the core, plus what its tip feels beside the core: the bend of the profile, and its slope where one face is
hotter (the place drawn for each
member), plus its own error, plus what the model itself gets wrong.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from dataclasses import field as column

import numpy as np
from scipy.linalg import block_diag
from scipy.special import ndtri

from ember_core.data.loader import read_toml
from ember_core.errors import ValueRangeError
from ember_core.heat.arrays import Array
from ember_core.heat.cook import Cook
from ember_core.heat.ensemble.draw import Ensemble, draw, draw_ensemble, stage_lengths
from ember_core.heat.ensemble.forecast import solve_pulls, trajectories
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.setup import Setup
from ember_core.plan.kinds import HEAT_KINDS
from ember_core.wording.message import Message, say

PROBE_ERROR_C = 0.5  # standard deviation of a probe's constant error; common thermocouple class, from memory

NOISE_C = 0.2  # of a single reading, standard deviation; an estimate

MODEL_ERROR_C = 0.06  # K, standard deviation of the model's core; set on blind cooks, see docs/method

MODEL_TIMING = 0.002  # and of its clock: a share of the time gone by, times the rate of heating; set on blind cooks

# in fat the transfer runs from quiet to bubbling and back within one cook, and the model has one number for it
TIMING_BY_KIND = {"fry": 0.014}

MODEL_MEMORY = 0.5  # over this share of the time the model's error stays the same

PROBE_OFFSET_MM = 0.9  # standard deviation of the tip's place along the thickness; an estimate

MEDIUM_PLACE = (
    0.4  # what a thermometer in a medium is off by its place, as a share of the medium's own spread; an estimate
)

MEDIUM_ERROR_C = 0.2  # K, and by itself; standard deviation, an estimate

# thermostats click, doors open, hands turn: a medium swings about what a member has it at, as a share of its own spread, and
# what it swung by is forgotten in so long, s; set on simulated ovens, pans, baths, fryers and cabinets
MEDIUM_SWING, SWING_MEMORY_S = 0.9, 240.0

BINS = 12

LEAST_S = 1e-3  # s; a reading at the very start has no rate

OUTLIER = 5.0  # readings further than this many deviations from all members are left out and said


@dataclass(frozen=True, eq=False)
class Posterior:
    """The forecast after readings.

    Attributes
    ----------
    pull_s : ndarray (members,)
        End of the pull stage, s from the start.
    core_c : ndarray (members,)
        The core at the last reading, °C, without the probe's errors.
    used, ignored : int
        Readings used, and left out because no member comes near them.
    findings : tuple of Message
        What a cook should look at, such as a probe that is not in the core.
    """

    pull_s: Array
    core_c: Array
    used: int
    ignored: int
    findings: tuple[Message, ...]
    more: Array = column(
        default_factory=lambda: np.empty((0, 0))
    )  # members × columns: what else was asked of each, moved with them


@dataclass(frozen=True, eq=False)
class _Seen:
    """What one thermometer says: means of its readings, what members would have read, the errors' covariance, K²."""

    values: Array
    predicted: Array  # members × values
    error: Array
    used: int
    ignored: int
    finding: Message | None


@dataclass(frozen=True, eq=False)
class Learner:
    """An ensemble with its predicted readings, ready to be updated."""

    pull_s: Array  # members
    t: Array
    core: Array  # members × times, as if nothing were pulled
    mean: Array
    offset: Array  # members, share of (mean − core) that the tip feels
    bias: Array  # members, K
    tip_mm: Array  # members, how far the tip lies beside the core
    slope: Array  # times, K/mm, across the nominal piece's core: none where both faces meet the same
    timing: float  # the model's own error of its clock, a share of the time
    seed: int
    medium: Array  # members × times, °C: of what heats, as each member has it
    medium_error: Array  # times, K, standard deviation of a thermometer in it by its place
    height: float  # how many times the mean lies above the core less than the face does
    medium_swing: Array  # times, K, standard deviation of what it swings by

    @classmethod
    def prepare(
        cls,
        s: Setup,
        kinds: tuple[tuple[str, ...], ...],
        cook: Cook,
        *,
        members: int = 256,
        seed: int = 7,
        spreads: Mapping[str, float] | None = None,
        threads: int = 2,
    ) -> Learner:
        """Run the ensemble once: each member's pull, and its core as it would go on without one.

        Parameters
        ----------
        s, kinds, members, seed, spreads, threads
            As of :func:`ember_core.heat.ensemble.forecast.forecast`.
        cook : Cook
            The nominal run.
        """
        if cook.pull_stage is None:
            raise ValueRangeError(
                say("Nothing cools after heat in this plan: there is no pull to learn."), path="/stages"
            )
        ensemble: Ensemble = draw_ensemble(
            s, kinds, members=members, seed=seed, spreads=spreads, stage_s=stage_lengths(cook)
        )
        pull = solve_pulls(s, ensemble, cook.pull_stage, cook, threads)
        last = float(np.nanmax(pull)) if np.isfinite(pull).any() else float(cook.t[-1])
        t, core, mean = trajectories(
            s, ensemble, cook.pull_stage, min(last, float(s.schedule.duration.sum())), cook, threads
        )
        return cls.of(s, kinds, cook, ensemble, pull, (t, core, mean), cook.pull_stage, seed)

    @classmethod
    def of(
        cls,
        s: Setup,
        kinds: tuple[tuple[str, ...], ...],
        cook: Cook,
        ensemble: Ensemble,
        pull: Array,
        curves: tuple[Array, Array, Array],
        stage: int,
        seed: int,
    ) -> Learner:
        """A learner of an ensemble that was run.

        Parameters
        ----------
        s, kinds, cook, seed
            As of :meth:`prepare`.
        ensemble : Ensemble
        pull : ndarray (members,)
            Each one's pull, s; not-a-number of one that gave up.
        curves : tuple of ndarray
            Times, s, and core and mean then, members × times, °C.
        stage : int
            In which the probe lies.
        """
        t, core, mean = curves
        members = pull.size
        good = np.isfinite(pull)
        z = draw(members, seed + 1, 2)
        probed = s.of_stage(stage)
        grid = probed.grid
        closed = grid.core == 0 if isinstance(grid, Mesh) else grid.closed_a and not grid.mirrored
        # a parabola from the core out: (mean − core) is a third of its height in a slab, more in round pieces
        height = 3.0 if not closed else 2.0
        offset = height * (2.0 * z[:, 0] * PROBE_OFFSET_MM / 1000.0 / probed.size) ** 2
        tip = PROBE_OFFSET_MM * z[:, 0]
        timing = max(TIMING_BY_KIND.get(kind, MODEL_TIMING) for kind in kinds[stage])
        slope = np.zeros(t.size) if closed else np.interp(t, cook.t, _slope(cook))
        medium, spread = _media(s, ensemble, kinds, cook, t)
        return cls(
            pull[good],
            t,
            core[good],
            mean[good],
            offset[good],
            PROBE_ERROR_C * z[:, 1][good],
            tip[good],
            slope,
            timing,
            seed,
            medium[1:][good],
            np.hypot(MEDIUM_PLACE * spread, MEDIUM_ERROR_C),
            height,
            MEDIUM_SWING * spread,
        )

    def update(
        self,
        t_s: Array,
        reading_c: Array,
        medium_t_s: Array | None = None,
        medium_c: Array | None = None,
        more: Array | None = None,
        now_s: float | None = None,
    ) -> Posterior:
        """The forecast given readings of the core, and of what heats it.

        Parameters
        ----------
        t_s, reading_c : ndarray (n,)
            Times, s from the start, in any order; temperatures, °C. Not-a-number readings are left
            out. Readings after the last moment any member is on heat are not used.
        medium_t_s, medium_c : ndarray (m,), optional
            The same of a thermometer in the medium.
        more : ndarray (members, columns), optional
            What else is asked of each member; it is moved with the rest.
        now_s : float, optional
            When the core is told; default at the last reading.
        """
        own = self._usable(t_s, reading_c)
        around = None if medium_t_s is None or medium_c is None else self._usable(medium_t_s, medium_c)
        seen = [x for x in (self._of_core(own), None if around is None else self._of_medium(around)) if x is not None]
        ignored = sum(x.ignored for x in seen)
        findings = tuple(x.finding for x in seen if x.finding is not None)
        last = [float(x[0][-1]) for x in (own, around) if x is not None and x[0].size]
        now = max(last, default=0.0) if now_s is None else now_s
        besides = np.empty((self.pull_s.size, 0)) if more is None else more
        seen = [x for x in seen if x.values.size]
        if not seen:
            return Posterior(self.pull_s, self._at(self.core, now), 0, ignored, findings, besides)
        predicted = np.hstack([x.predicted for x in seen])
        values = np.concatenate([x.values for x in seen])
        error = block_diag(*(x.error for x in seen))
        members = self.pull_s.size
        state = np.column_stack([_normal_scores(self.pull_s), self._at(self.core, now), besides])
        anomaly_y = predicted - predicted.mean(axis=0)
        anomaly_x = state - state.mean(axis=0)
        cross = anomaly_x.T @ anomaly_y / (members - 1)
        inner = anomaly_y.T @ anomaly_y / (members - 1) + error
        rng = np.random.default_rng(self.seed + values.size)
        noise = rng.standard_normal((members, values.size)) @ np.linalg.cholesky(error).T
        noise -= noise.mean(axis=0)
        moved = state + (values + noise - predicted) @ np.linalg.solve(inner, cross.T)
        used = sum(x.used for x in seen)
        return Posterior(_from_scores(moved[:, 0], self.pull_s), moved[:, 1], used, ignored, findings, moved[:, 2:])

    def _usable(self, t_s: Array, reading_c: Array) -> tuple[Array, Array]:
        """Readings within the cook, in the order of their times."""
        t, c = np.asarray(t_s, dtype=float), np.asarray(reading_c, dtype=float)
        good = np.isfinite(t) & np.isfinite(c) & (t > 0) & (t <= self.t[-1])
        order = np.argsort(t[good], kind="stable")
        return t[good][order], c[good][order]

    def _of_medium(self, read: tuple[Array, Array]) -> _Seen | None:
        """What a thermometer in the medium says: its place keeps it off by the same all the time."""
        if read[0].size == 0:
            return None
        times, values, counts = _bins(*read)
        predicted = self._at_all(self.medium, times)
        place = np.interp(times, self.t, self.medium_error)
        swing = np.interp(times, self.t, self.medium_swing)
        wide = np.sqrt(predicted.var(axis=0) + place**2 + swing**2 + MEDIUM_ERROR_C**2)
        keep = np.abs(values - predicted.mean(axis=0)) / wide < OUTLIER
        forgets = np.exp(-np.abs(times[:, None] - times[None, :]) / SWING_MEMORY_S)
        error = (np.outer(place, place) + np.outer(swing, swing) * forgets)[np.ix_(keep, keep)]
        error[np.diag_indices(int(keep.sum()))] += MEDIUM_ERROR_C**2
        words = None
        if not keep.all():
            words = say("The heat is not what the plan has: look at its setting, and where its thermometer is.")
        return _Seen(values[keep], predicted[:, keep], error, int(counts[keep].sum()), int(counts[~keep].sum()), words)

    def _of_core(self, read: tuple[Array, Array]) -> _Seen | None:
        """What a probe in the core says."""
        if read[0].size == 0:
            return None
        times, values, counts = _bins(*read)
        core, mean = self._at_all(self.core, times), self._at_all(self.mean, times)
        across = self.tip_mm[:, None] * np.interp(times, self.t, self.slope)
        predicted = core + self.offset[:, None] * (mean - core) + across + self.bias[:, None]
        later = self._at_all(self.core, 1.02 * times)
        rate = np.maximum((later - core).mean(axis=0), 0.0) / np.maximum(0.02 * times, LEAST_S)  # K/s
        wrong = MODEL_ERROR_C + self.timing * times * rate
        wide = np.sqrt(predicted.var(axis=0) + wrong**2 + NOISE_C**2)
        off = np.abs(values - predicted.mean(axis=0)) / wide
        keep = off < OUTLIER
        ignored = int(counts[~keep].sum())
        words = None
        if ignored:
            words = say(
                "The probe reads what no likely cook of this plan would show: look where its tip is, and at the heat."
            )
        wrong, times, counts = wrong[keep], times[keep], counts[keep]
        memory = MODEL_MEMORY * max(float(times[-1]), 1.0) if times.size else 1.0
        error = np.outer(wrong, wrong) * np.exp(-np.abs(times[:, None] - times[None, :]) / memory)
        error[np.diag_indices(times.size)] += NOISE_C**2 / counts
        return _Seen(values[keep], predicted[:, keep], error, int(counts.sum()), ignored, words)

    def _at(self, curves: Array, t: float) -> Array:
        """Every member's curve at one time."""
        return self._at_all(curves, np.array([t]))[:, 0]

    def _at_all(self, curves: Array, times: Array) -> Array:
        """Every member's curve at some times, s: members × times."""
        i = (np.searchsorted(self.t, times) - 1).clip(0, self.t.size - 2)
        part = ((times - self.t[i]) / (self.t[i + 1] - self.t[i])).clip(0.0, 1.0)
        before = curves[:, i]
        return np.asarray(before + part * (curves[:, i + 1] - before))


def _media(s: Setup, e: Ensemble, kinds: tuple[tuple[str, ...], ...], cook: Cook, t: Array) -> tuple[Array, Array]:
    """What heats, as each member has it, °C (members × times), and its spread by its kind, K (times).

    The first face that heats counts; a medium with a store is the nominal one, as much hotter as the member's begins.

    Parameters
    ----------
    s, e : Setup, Ensemble
    kinds : tuple of tuple of str
        What each stage's faces meet.
    cook : Cook
        The nominal one.
    t : ndarray (times,)
        s.
    """
    by_kind = read_toml("spreads.toml")["medium_c"]
    medium = np.zeros((e.start_c.size, t.size))
    spread = np.zeros(t.size)
    faces, nominal = e.members.faces, s.schedule.faces
    ends = [stage.end_s for stage in cook.stages]
    for k, moment in enumerate(t):
        i = min(int(np.searchsorted(ends, moment)), len(ends) - 1)
        j = next((j for j, kind in enumerate(kinds[i]) if kind in HEAT_KINDS), 0)
        spread[k] = by_kind[kinds[i][j]]
        own = faces[:, i, j]
        if nominal["capacity"][i, j] > 0.0:
            known = np.isfinite(cook.medium)
            medium[:, k] = np.interp(moment, cook.t[known], cook.medium[known])
            medium[:, k] += own["medium_c"] - nominal["medium_c"][i, j]
        else:
            since = moment - cook.stages[i].start_s
            medium[:, k] = own["medium_c"] + own["off_k"] * np.exp(-since / own["settle_s"])
    return medium, spread


def _slope(cook: Cook) -> Array:
    """How steep a cook is across its core, K/mm, at its times."""
    middle = cook.depth.size // 2
    near = slice(max(middle - 2, 0), middle + 2)
    depth = cook.depth[near] - cook.depth[near].mean()
    return np.asarray((cook.field[:, near] * depth).sum(axis=1) / (depth**2).sum())


def _normal_scores(values: Array) -> Array:
    """Values as the normal deviates of their ranks: pulls are skewed, and regression wants them straight."""
    return np.asarray(ndtri((np.argsort(np.argsort(values)) + 0.5) / values.size))


def _from_scores(scores: Array, values: Array) -> Array:
    """Back from deviates to values; beyond the ensemble the log of the value goes on as a straight line."""
    knots = ndtri((np.arange(values.size) + 0.5) / values.size)
    logs = np.log(np.sort(values))
    inside = np.interp(scores, knots, logs)
    edge = max(values.size // 10, 2)
    low = (logs[edge] - logs[0]) / (knots[edge] - knots[0])
    high = (logs[-1] - logs[-1 - edge]) / (knots[-1] - knots[-1 - edge])
    inside = np.where(scores < knots[0], logs[0] + low * (scores - knots[0]), inside)
    return np.asarray(np.exp(np.where(scores > knots[-1], logs[-1] + high * (scores - knots[-1]), inside)))


def _bins(t: Array, c: Array) -> tuple[Array, Array, Array]:
    """At most :data:`BINS` means of neighbouring readings with their mean times and counts."""
    edges = np.linspace(t[0], t[-1], BINS + 1)
    which = np.clip(np.searchsorted(edges, t, side="right") - 1, 0, BINS - 1)
    counts = np.bincount(which, minlength=BINS).astype(float)
    has = counts > 0
    times = np.bincount(which, t, BINS)[has] / counts[has]
    values = np.bincount(which, c, BINS)[has] / counts[has]
    return times, values, counts[has]
