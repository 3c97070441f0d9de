"""The grain, the cut view and the trace: one instrument, drawn as SVG from a computed cook.

The grain is painted by the hottest each depth has been so far, because doneness never goes back.
The ramp runs from 40 to 75 °C in steps of equal lightness or hue difference; numbers and words
stand outside it.
"""

from __future__ import annotations

import base64
import io
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ember_core.book.foods import food_row
from ember_core.heat.cook import Cook
from ember_core.heat.ensemble.forecast import Forecast
from ember_core.heat.geometry.egg_outline import YOLK_SHARE
from ember_core.plan.plan import Plan
from ember_core.planning.schools import GREY_K
from ember_core.safety.verdict import COLDER_K
from ember_core.wording.message import say
from ember_core.wording.quantities import INCH_MM, SI, Units

Array = NDArray[np.float64]
WIDTH, GRAIN_H, TRACE_H, LEFT, RIGHT = 664, 148, 184, 44, 12
INNER = WIDTH - LEFT - RIGHT
PIXELS = (200, 96)  # of the grain's image, along time and depth
MOMENTS, LAYERS = 110, 56  # that the page can look at along the way
RAMP_C = np.array([30.0, 44.0, 50.0, 55.0, 60.0, 65.0, 71.0, 85.0])
RAMPS: dict[str, list[str]] = {
    "meat": ["#451c38", "#5f2443", "#8c3350", "#b9546a", "#d98f8b", "#d3a886", "#a97f5c", "#6d4c33"],
    "poultry": ["#7a4a55", "#94606a", "#b37d80", "#cf9d98", "#e2bfb0", "#eed9bf", "#dcbb8e", "#a98355"],
    "fish": ["#5d6f86", "#71869b", "#8fa5b3", "#b3c3c8", "#d6dcd6", "#ece6d4", "#dcc7a0", "#a98d5f"],
    "white": ["#62665f", "#767a73", "#8b8e88", "#a1a39e", "#b7b8b3", "#cdcdc8", "#e1e0da", "#f4f2ec"],
    "yolk": ["#8f3d0a", "#a94f0b", "#bf6410", "#d07c1a", "#dc962c", "#e5b04c", "#ecc676", "#f0d9a6"],
    "egg": ["#6f6a58", "#8a8268", "#ab9d74", "#cdb97f", "#e6d08a", "#f0dc9d", "#e3c98d", "#b49a63"],
}


def ramp_of(plan: Plan) -> str:
    """The doneness ramp of a plan's piece."""
    if plan.shape["kind"] == "egg":
        return "shell-egg"
    row = food_row(plan.food) if plan.food else None
    return str((row or {}).get("ramp", "meat"))


def _rgb(hex_: str) -> tuple[int, int, int]:
    return int(hex_[1:3], 16), int(hex_[3:5], 16), int(hex_[5:7], 16)


def colours(ramp: str, temperature: Array) -> NDArray[np.uint8]:
    """RGB of temperatures, °C, along a ramp."""
    stops = np.array([_rgb(c) for c in RAMPS[ramp]], dtype=float)
    channels = [np.interp(temperature, RAMP_C, stops[:, k]) for k in range(3)]
    return np.stack(channels, axis=-1).round().astype(np.uint8)


YOLK = YOLK_SHARE ** (1.0 / 3.0)  # of an egg's radius that is yolk


def painted_by(ramp: str, temperature: Array, share: Array) -> NDArray[np.uint8]:
    """RGB of temperatures, °C (depths × anything), by their distance from the centre as a share of the radius: an egg's yolk has its own."""
    outer = colours("white" if ramp == "shell-egg" else ramp, temperature)
    if ramp != "shell-egg":
        return outer
    inside = (np.abs(share) <= YOLK).reshape(-1, *[1] * (temperature.ndim - 1), 1)
    return np.where(inside, colours("yolk", temperature), outer)


def hex_of(rgb: NDArray[np.uint8]) -> str:
    """CSS colour of one RGB triple."""
    return "#{:02x}{:02x}{:02x}".format(*(int(v) for v in rgb))


@dataclass(frozen=True)
class Picture:
    """Everything the template places, in SVG units; ``trace`` and ``ribbon`` are for the chart, in s and °C."""

    width: int
    grain_h: int
    trace_h: int
    left: int
    image: str
    isotherm: str
    ticks: list[dict[str, Any]]
    depth_marks: list[dict[str, Any]]
    target: bool
    trace: dict[str, Any]
    ribbon: list[list[float]] | None
    cut: list[dict[str, Any]]
    round_: bool
    cursor: dict[str, Any]
    legend: list[dict[str, Any]]
    data: dict[str, Any]
    table: list[dict[str, Any]]
    medium: dict[str, Any] | None = None  # of a medium that the piece cools
    coldest: dict[str, Any] | None = None  # the place that stays colder than the core


@dataclass(frozen=True)
class Axes:
    """What the trace spans: times, s, and temperatures, °C; across, times lie as on the grain."""

    total_s: float
    low_c: float
    top_c: float

    def x(self, t: Any) -> Any:
        """Across, by times, s."""
        return LEFT + np.asarray(t) / self.total_s * INNER

    def at(self, t: float) -> float:
        """Across, of one moment, rounded."""
        return round(float(self.x(t)), 1)


def _path(x: Array, y: Array) -> str:
    return "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in zip(x, y, strict=True))


def _step(span: float, options: tuple[float, ...], most: int) -> float:
    return next((o for o in options if span / o <= most), options[-1])


def at_times(t: Array, rows: Array, wanted: Array) -> Array:
    """Rows of a record (times × places) at the wanted times, linear between the recorded ones."""
    i = np.clip(np.searchsorted(t, wanted, side="right") - 1, 0, len(t) - 2)
    part = np.clip((wanted - t[i]) / (t[i + 1] - t[i]), 0.0, 1.0)[:, None]
    return np.asarray(rows[i] * (1.0 - part) + rows[i + 1] * part)


def marks(units: Units, kind: str, low: float, high: float, apart: Mapping[str, float]) -> list[tuple[float, str]]:
    """Round values of a quantity from ``low`` to ``high``, SI, in a reader's unit: each in SI, and how it is written.

    ``apart`` holds the distance between two by the sign of the unit.
    """
    scale = units.scale(kind)
    step = apart[scale.sign]
    first, last = (scale.factor * v + scale.offset for v in (low, high))
    shown = np.arange(np.ceil(first / step - 1e-9), np.floor(last / step + 1e-9) + 1) * step + 0.0  # no -0
    return [((float(v) - scale.offset) / scale.factor, f"{v:g}") for v in shown]


def _depth_marks(thick: float, units: Units) -> list[dict[str, Any]]:
    """Depths beside the grain, their words moved off its upper and lower edge."""
    inch = _step(thick / INCH_MM, (0.125, 0.25, 0.5, 1.0, 2.0, 4.0), 6)
    apart = {"mm": _step(thick, (1, 2, 5, 10, 20, 50, 100), 6), "in": inch}
    at = marks(units, "length", 0.0, thick, apart)
    down = [11, *[4] * (len(at) - 2), 0][: len(at)] if len(at) > 1 else [11]
    return [
        {"y": round(d / thick * GRAIN_H, 1), "words": words, "dy": dy} for (d, words), dy in zip(at, down, strict=True)
    ]


def draw(
    cook: Cook,
    *,
    ramp: str,
    target_c: float | None,
    round_: bool,
    ticks: list[tuple[float, str]],
    met_at_s: float | None,
    cursor_s: float | None,
    ribbon: Forecast | None,
    units: Units = SI,
) -> Picture:
    """Draw a cook.

    Parameters
    ----------
    cook : Cook
    ramp : str
        Name of the doneness ramp.
    target_c : float or None
        Wanted peak core, °C.
    round_ : bool
        A cylinder or sphere: depth is shown from surface to surface through the centre.
    ticks : list of (s, verb)
        Moves.
    met_at_s : float or None
        When the rule is met.
    cursor_s : float or None
        Where the cursor stands; default the pull, else the end.
    ribbon : Forecast or None
        The forecast's 5–95 % band of the core.
    units : Units
        Of the marks on the axes.
    """
    total = float(cook.t[-1])
    depth, thick, hottest = _across(cook, round_)
    axes = _axes(cook, target_c)
    grid, when, where = _grain(cook, depth, thick, hottest)
    cursor_at = cursor_s if cursor_s is not None else (cook.pull_s if cook.pull_s is not None else total)
    cursor_at = min(max(cursor_at, 0.0), total)
    at = cook.at(cursor_at)
    coarse = np.linspace(0.0, total, MOMENTS)
    layer_at = (np.arange(LAYERS) + 0.5) / LAYERS * thick
    painted = np.stack([np.interp(layer_at, depth, row) for row in at_times(cook.t, hottest, coarse)])
    return Picture(
        width=WIDTH,
        grain_h=GRAIN_H,
        trace_h=TRACE_H,
        left=LEFT,
        image=image_of(painted_by(ramp, grid, 2.0 * where / thick - 1.0)),
        isotherm="" if target_c is None else _isotherm(grid, when, where, target_c - 0.5, axes.x, thick),
        ticks=[{"x": axes.at(s), "verb": v} for s, v in ticks],
        depth_marks=_depth_marks(thick, units),
        target=target_c is not None,
        trace=_trace(cook, axes, target_c, met_at_s, [s for s, _ in ticks]),
        ribbon=None if ribbon is None else _ribbon(ribbon),
        cut=_cut(painted[int(np.argmin(np.abs(coarse - cursor_at)))], ramp, round_),
        round_=round_,
        cursor={
            "x": axes.at(cursor_at),
            "t": cursor_at,
            "core": cook.core[at],
            "mean": cook.mean[at],
            "surface": cook.surface_a[at],
        },
        legend=[
            {"colour": hex_of(colours("yolk" if ramp == "shell-egg" else ramp, np.array(c))), "words": words}
            for c, words in marks(units, "temp", 40.0, 75.0, {"°C": 5, "°F": 10})
            if words != "45"
        ],
        data=_data(cook, coarse, painted, ramp, target_c) | {"round": round_, "cursor": round(cursor_at, 1)},
        table=_table(cook),
        medium=_medium(cook, axes),
        coldest=None if round_ else _coldest(cook, thick),
    )


def _trace(
    cook: Cook, axes: Axes, target_c: float | None, met_at_s: float | None, moves: list[float]
) -> dict[str, Any]:
    """The temperatures over time, as the script draws them."""
    total = float(cook.t[-1])
    _, keep = np.unique(np.round(axes.x(cook.t)), return_index=True)  # one point a pixel, none left out of long steps
    keep = np.append(keep, len(cook.t) - 1)
    rows = (("l-surface", cook.surface_a), ("l-mean", cook.mean), ("l-core", cook.core))
    return {
        "size": [WIDTH, TRACE_H, LEFT, RIGHT, 12],
        "x": total,
        "y": [axes.low_c, axes.top_c],
        "lines": [{"as": name, "at": points(cook.t[keep], row[keep])} for name, row in rows],
        "band": None if target_c is None else [target_c - 1.0, target_c + 1.0],
        "coast": _coast(cook),
        "post": None if met_at_s is None else {"t": min(met_at_s, total), "words": say("rule met")},
        "moves": moves,
    }


def _data(cook: Cook, coarse: Array, painted: Array, ramp: str, target_c: float | None) -> dict[str, Any]:
    """What the cursor reads at moments (s), with the inside by layers (moments × layers, °C)."""
    egg = ramp == "shell-egg"
    return {
        "total": round(float(cook.t[-1]), 1),
        "left": LEFT,
        "inner": INNER,
        "t": [round(float(v), 1) for v in coarse],
        "core": np.interp(coarse, cook.t, cook.core).round(1).tolist(),
        "mean": np.interp(coarse, cook.t, cook.mean).round(1).tolist(),
        "surface": np.interp(coarse, cook.t, cook.surface_a).round(1).tolist(),
        "layers": painted.round(1).tolist(),
        "ramp_c": RAMP_C.tolist(),
        "ramp": RAMPS["white" if egg else ramp],
        "yolk": YOLK if egg else 0,
        "ramp_yolk": RAMPS["yolk"] if egg else [],
        "past": None if target_c is None else target_c + GREY_K,
    }


def _coldest(cook: Cook, thick: float) -> dict[str, Any] | None:
    """Where the coldest place lies on the grain, and what it reaches; None where it is the core."""
    reached_c, depth_mm = cook.coldest
    if reached_c > cook.peak_core_c - COLDER_K:
        return None
    y = depth_mm / thick * GRAIN_H
    return {
        "y": round(y, 1),
        "dy": -4 if y > 20.0 else 13,
        "words": say("coldest place {reached_c:temp1}", reached_c=reached_c),
    }


MEDIUM_H = 34.0
LEAST_SPAN_K = 5.0  # a medium that moves less is drawn flat


def _medium(cook: Cook, axes: Axes) -> dict[str, Any] | None:
    """The course of a medium with a store, as lines above the trace, with its ends and its lowest; None where there is none."""
    known = np.isfinite(cook.medium) if cook.medium.size else np.zeros(1, dtype=bool)
    if not known.any():
        return None
    low, high = float(np.nanmin(cook.medium)), float(np.nanmax(cook.medium))
    span = max(high - low, LEAST_SPAN_K)
    y = 4.0 + (high - cook.medium) / span * (MEDIUM_H - 10.0)
    runs = np.split(np.flatnonzero(known), np.flatnonzero(np.diff(np.flatnonzero(known)) > 1) + 1)
    lowest = int(np.nanargmin(cook.medium))
    return {
        "paths": [_path(axes.x(cook.t[run]), y[run]) for run in runs if run.size > 1],
        "height": MEDIUM_H,
        "words": say(
            "heat {begin_c:temp1}, down to {low_c:temp1} after {minutes:.0f} min",
            begin_c=float(cook.medium[known][0]),
            low_c=low,
            minutes=float(cook.t[lowest]) / 60.0,
        ),
    }


def _across(cook: Cook, round_: bool) -> tuple[Array, float, Array]:
    """Depths and thickness, mm, and the hottest each depth has been so far, °C; of what is round, through its centre."""
    field, depth = cook.field, cook.depth
    if round_:
        radius = depth[-1] + (depth[-1] - depth[-2]) / 2
        field = np.hstack([field[:, ::-1], field])
        depth = np.concatenate([radius - depth[::-1], radius + depth])
    thick = float(depth[-1] + (depth[-1] - depth[-2]) / 2)
    return depth, thick, np.maximum.accumulate(field, axis=0)


def slab_picture(cook: Cook, ramp: str, *, small: bool = False) -> str:
    """The grain alone, as an address: the hottest each depth has been so far, time across, depth down."""
    depth, thick, hottest = _across(cook, cook.closed)
    grid, _, where = _grain(cook, depth, thick, hottest)
    step = 4 if small else 1
    return image_of(painted_by(ramp, grid[::step, ::step], 2.0 * where[::step] / thick - 1.0))


def _axes(cook: Cook, target_c: float | None) -> Axes:
    """Room for the core and the target, and some above; the surface may leave it."""
    top_c = 10.0 * np.ceil(max(float(cook.core.max()), (target_c or 0) + 8, float(cook.mean.max()) + 2, 40.0) / 10.0)
    low_c = 10.0 * np.floor(min(float(cook.core.min()), 0.0) / 10.0)
    return Axes(float(cook.t[-1]), float(low_c), float(top_c))


def _grain(cook: Cook, depth: Array, thick: float, hottest: Array) -> tuple[Array, Array, Array]:
    """The hottest so far, °C (depths × times), with its times, s, and depths, mm."""
    when = np.linspace(0.0, float(cook.t[-1]), PIXELS[0])
    where = (np.arange(PIXELS[1]) + 0.5) / PIXELS[1] * thick
    rows = at_times(cook.t, hottest, when)
    return np.stack([np.interp(where, depth, row) for row in rows], axis=1), when, where


def image_of(rgb: NDArray[np.uint8]) -> str:
    """A PNG as an address."""
    buffer = io.BytesIO()
    Image.fromarray(rgb, "RGBA" if rgb.shape[-1] == 4 else "RGB").save(buffer, "PNG", compress_level=1)
    return "data:image/png;base64," + base64.b64encode(buffer.getvalue()).decode()


def points(t_s: Any, c: Any) -> list[list[float]]:
    """Pairs of time, s, and temperature, °C, no finer than a chart shows."""
    return [[float(a), float(b)] for a, b in zip(np.round(t_s, 1), np.round(c, 2), strict=True)]


def _coast(cook: Cook) -> dict[str, Any] | None:
    """From the pull to the peak, and the rise between them, K; None when the core does not rise after it."""
    if cook.pull_s is None or cook.peak_t_s <= cook.pull_s:
        return None
    pull_core = float(np.interp(cook.pull_s, cook.t, cook.core))
    return {
        "t0": cook.pull_s,
        "t1": cook.peak_t_s,
        "c0": pull_core,
        "c1": cook.peak_core_c,
        "words": say("coast +{rise:rise1}", rise=cook.peak_core_c - pull_core),
    }


def _ribbon(forecast: Forecast) -> list[list[float]]:
    """The 5–95 % band of the core: time, s, low and high, °C."""
    low, _, high = forecast.curve_core
    rows = np.column_stack([forecast.curve_t.round(1), low.round(2), high.round(2)])
    return [[float(v) for v in row] for row in rows]


def _table(cook: Cook) -> list[dict[str, float]]:
    """What the trace shows, in numbers: twelve even spans and the ends of the stages."""
    moments = np.unique(np.concatenate([np.linspace(0, float(cook.t[-1]), 13), [s.end_s for s in cook.stages]]))
    return [
        {
            "t": float(s),
            "core": float(np.interp(s, cook.t, cook.core)),
            "mean": float(np.interp(s, cook.t, cook.mean)),
            "surface": float(np.interp(s, cook.t, cook.surface_a)),
        }
        for s in moments
    ]


def _cut(layers: Array, ramp: str, round_: bool) -> list[dict[str, Any]]:
    """The slice at one moment: bars from face a to b, or rings from the outside in."""
    n = len(layers)
    if round_:
        half = layers[: n // 2]
        out = 1.0 - np.arange(len(half)) / len(half)
        return [
            {"r": round(70 * r, 1), "fill": hex_of(c)} for r, c in zip(out, painted_by(ramp, half, out), strict=True)
        ]
    return [
        {"y": round(i * GRAIN_H / n, 2), "h": round(GRAIN_H / n + 0.3, 2), "fill": hex_of(c)}
        for i, c in enumerate(colours(ramp, layers))
    ]


def _isotherm(grid: Array, when: Array, where: Array, level: float, x: Any, thick: float) -> str:
    """Outline of the part that has reached ``level``: from one face to the tip, and back to the other."""

    def edge(column: Array, i: int, inner: int) -> float:
        """Depth between a point ``i`` that has reached the level and its neighbour ``inner`` that has not."""
        part = (column[i] - level) / (column[i] - column[inner])
        return float(where[i] + part * (where[inner] - where[i]))

    upper: list[tuple[float, float]] = []
    lower: list[tuple[float, float]] = []
    for j in range(grid.shape[1]):
        column = grid[:, j]
        missing = np.flatnonzero(column < level)
        if missing.size == 0:
            if upper and lower:
                upper.append((when[j], 0.5 * (upper[-1][1] + lower[-1][1])))
            break
        first, last = int(missing[0]), int(missing[-1])
        if first > 0:
            upper.append((when[j], edge(column, first - 1, first)))
        if last < len(where) - 1:
            lower.append((when[j], edge(column, last + 1, last)))
    closed = bool(upper and lower) and upper[-1][0] > lower[-1][0]
    lines = [upper + lower[::-1]] if closed else [upper, lower]
    out = ""
    for line in lines:
        if len(line) > 1:
            points = np.array(line)
            out += _path(x(points[:, 0]), points[:, 1] / thick * GRAIN_H)
    return out
