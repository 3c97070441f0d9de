"""What a check of doneness says of the core: an ordered answer, with a width that belongs to the kind of check and to the person."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.special import ndtr

from ember_core.data.loader import read_toml
from ember_core.errors import InputError
from ember_core.heat.arrays import Array
from ember_core.wording.message import say

THERMOMETER = "thermometer"
CORE, MEAN, MEDIUM = "core", "mean", "medium"  # what a check is of: its piece's middle or whole, or what heats it
SLIP = 0.02  # of all answers are mistakes that say nothing: named wrong, noted on the wrong piece; an estimate


@dataclass(frozen=True)
class Check:
    """A kind of check: its answers in order, where one goes over into the next (°C), its widths (K), and what it is of: ``core``, ``mean`` (of the
    piece) or ``medium``."""

    id: str
    name: str
    how: str
    answers: tuple[str, ...]
    cuts_c: tuple[float, ...]
    trained: float
    untrained: float
    of: str = CORE

    def width(self, of: str | float) -> float:
        """A width by its word, or as a number, K."""
        return self.trained if of == "trained" else self.untrained if of == "untrained" else float(of)


def checks() -> dict[str, Check]:
    """All kinds by id."""
    return {k: _check(k, row) for k, row in read_toml("checks.toml").items()}


def body_of(shape: Mapping[str, Any]) -> str:
    """What a shape is to a check of eggs: ``shell``, ``opened``, or ``spread`` in a pan."""
    return "spread" if shape["kind"] != "egg" else "opened" if shape.get("opened") else "shell"


def checks_for(family: str | None, kind: str | None = None, body: str = "spread") -> dict[str, Check]:
    """Those that tell something of a piece.

    Parameters
    ----------
    family : str or None
        Of its food's doneness names (``data/doneness.toml``); None: of an unknown food.
    kind : str or None
        Of the stage it is in; None: off the heat.
    body : str
        As of :func:`body_of`.
    """
    return {
        k: _check(k, row)
        for k, row in read_toml("checks.toml").items()
        if family not in row.get("not_for", ())
        and ("only_for" not in row or family in row["only_for"])
        and ("kinds" not in row or kind in row["kinds"])
        and ("bodies" not in row or body in row["bodies"])
    }


def _check(key: str, row: dict[str, Any]) -> Check:
    return Check(
        key,
        row["name"],
        row["how"],
        tuple(row["answers"]),
        tuple(row["cuts_c"]),
        row["trained"],
        row["untrained"],
        row.get("of", CORE),
    )


def chances(check: Check, core_c: Array, width_k: float) -> Array:
    """How likely each answer is by the core: cores × answers, sums 1. A cumulative probit.

    Parameters
    ----------
    check : Check
        With answers.
    core_c : ndarray (cores,)
        °C at the tip.
    width_k : float
        Standard deviation, K, > 0.
    """
    cuts = np.array(check.cuts_c)
    below = ndtr((cuts[None, :] - np.asarray(core_c, dtype=float)[:, None]) / width_k)
    edges = np.hstack([np.zeros((below.shape[0], 1)), below, np.ones((below.shape[0], 1))])
    found = np.diff(edges, axis=1)
    return np.asarray((1.0 - SLIP) * found + SLIP / len(check.answers))


def likelihood(check: Check, answer: str, read_c: float | None, core_c: Array, width: str | float) -> Array:
    """How well an answer goes with each core.

    Parameters
    ----------
    check : Check
    answer : str
        One of its answers; of a thermometer none.
    read_c : float or None
        What a thermometer read, °C.
    core_c : ndarray
        °C.
    width : str or float
        ``trained``, ``untrained``, or K.

    Raises
    ------
    InputError
        No answer of this check.
    """
    k = check.width(width)
    if check.id == THERMOMETER:
        assert read_c is not None  # as the format has seen to
        z = (read_c - np.asarray(core_c)) / k
        return np.asarray((1.0 - SLIP) * np.exp(-0.5 * z**2) / (k * np.sqrt(2.0 * np.pi)) + SLIP / 100.0)
    if answer not in check.answers:
        raise InputError(
            say("{name} has no answer {answer!r}; choose one of {choices}.", name=check.id, answer=answer, choices=", ".join(check.answers)),
            path="/answer", code="choice",
        )  # fmt: skip
    return chances(check, core_c, k)[:, check.answers.index(answer)]


GREY_WIDTH = {"trained": 0.12, "untrained": 0.2}  # of the way from the face to the middle; an estimate


def grey_c() -> float:
    """From where a section is grey, °C."""
    return float(read_toml("long_cooks.toml")["outside"]["grey_c"])


def grey_share(core_c: Array, mean_c: Array, height: float) -> Array:
    """How much of the way from the face to the middle is grey, 0 to 1: by a parabola through core and mean.

    Parameters
    ----------
    core_c, mean_c : ndarray
        The hottest they have been, °C.
    height : float
        By how many times the mean lies above the core less than the face does: 3 in a slab, about 2 in round pieces.
    """
    rise = np.maximum(height * (np.asarray(mean_c) - core_c), 1e-6)
    return np.asarray(1.0 - np.sqrt(np.clip((grey_c() - core_c) / rise, 0.0, 1.0)))


def grey_likelihood(seen: float, share: Array, width: str | float) -> Array:
    """How well a grey rim that was seen goes with each share; a width in K counts as an untrained hand's."""
    k = GREY_WIDTH[width] if isinstance(width, str) else GREY_WIDTH["untrained"]
    return np.asarray((1.0 - SLIP) * np.exp(-0.5 * ((seen - share) / k) ** 2) + SLIP)


def tells(check: Check, core_c: Array, weights: Array, asked: Array, width: str | float) -> float:
    """By how much a check is expected to narrow what is asked: the fall of its variance, in its unit squared.

    Parameters
    ----------
    check : Check
    core_c, weights, asked : ndarray (members,)
        The core at the tip, °C; the members' weights, sum 1; what is asked of each, such as its pull, s.
    width : str or float
        As of :func:`likelihood`.
    """
    if check.id == THERMOMETER:
        k = check.width(width)
        mean = float(weights @ core_c)
        spread = float(weights @ (core_c - mean) ** 2)
        cross = float(weights @ ((core_c - mean) * (asked - weights @ asked)))
        return cross**2 / (spread + k**2) if spread > 0.0 else 0.0
    p = chances(check, core_c, check.width(width))
    total = float(weights @ (asked - weights @ asked) ** 2)
    left = 0.0
    for j in range(p.shape[1]):
        w = weights * p[:, j]
        share = float(w.sum())
        if share > 1e-9:
            w = w / share
            left += share * float(w @ (asked - w @ asked) ** 2)
    return max(total - left, 0.0)


def learnt_width(
    check: Check, cores_c: Sequence[float], answers: Sequence[str], prior: str | float = "untrained", tries: int = 60
) -> tuple[float, float]:
    """The width of a person by checks that a probe confirmed: the most likely one with a prior, K, and how sure: its logarithm's deviation.

    Parameters
    ----------
    check : Check
        With answers.
    cores_c : sequence of float
        What the probe said, °C.
    answers : sequence of str
    prior : str or float
        What was taken before; a logarithm's deviation of 0.5 round it.
    tries : int
        Widths that are tried.
    """
    start = check.width(prior)
    widths = start * np.exp(np.linspace(-1.8, 1.8, tries))
    cores = np.asarray(cores_c, dtype=float)
    which = np.array([check.answers.index(a) for a in answers])
    log = np.array([np.log(chances(check, cores, w)[np.arange(cores.size), which]).sum() for w in widths])
    log -= 0.5 * (np.log(widths / start) / PRIOR_LN) ** 2
    weight = np.exp(log - log.max())
    weight /= weight.sum()
    ln = np.log(widths)
    mean = float(weight @ ln)
    return float(np.exp(mean)), float(np.sqrt(weight @ (ln - mean) ** 2))


PRIOR_LN = 0.5  # how far persons differ from the usual width, as a logarithm; an estimate
