"""The grain, the cut view and the trace: one instrument, drawn as SVG from a computed cook.

The grain is painted by the hottest each depth has been so far, because doneness never goes back.
The ramp runs from 40 to 75 °C in steps of equal lightness or hue difference; numbers and words
stand outside it.
"""

from __future__ import annotations

import base64
import io
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ember_core.heat.cook import Cook
from ember_core.heat.ensemble.forecast import Forecast

Array = NDArray[np.float64]
WIDTH, GRAIN_H, TRACE_H, LEFT, RIGHT = 664, 148, 184, 44, 12
RAMP_C = np.array([30.0, 44.0, 50.0, 55.0, 60.0, 65.0, 71.0, 85.0])
RAMPS: dict[str, list[str]] = {
    "meat": ["#451c38", "#5f2443", "#8c3350", "#b9546a", "#d98f8b", "#d3a886", "#a97f5c", "#6d4c33"],
    "poultry": ["#7a4a55", "#94606a", "#b37d80", "#cf9d98", "#e2bfb0", "#eed9bf", "#dcbb8e", "#a98355"],
    "fish": ["#5d6f86", "#71869b", "#8fa5b3", "#b3c3c8", "#d6dcd6", "#ece6d4", "#dcc7a0", "#a98d5f"],
    "egg": ["#6f6a58", "#8a8268", "#ab9d74", "#cdb97f", "#e6d08a", "#f0dc9d", "#e3c98d", "#b49a63"],
}


def _rgb(hex_: str) -> tuple[int, int, int]:
    return int(hex_[1:3], 16), int(hex_[3:5], 16), int(hex_[5:7], 16)


def colours(ramp: str, temperature: Array) -> NDArray[np.uint8]:
    """RGB of temperatures, °C, along a ramp."""
    stops = np.array([_rgb(c) for c in RAMPS[ramp]], dtype=float)
    channels = [np.interp(temperature, RAMP_C, stops[:, k]) for k in range(3)]
    return np.stack(channels, axis=-1).round().astype(np.uint8)


def hex_of(rgb: NDArray[np.uint8]) -> str:
    """CSS colour of one RGB triple."""
    return "#{:02x}{:02x}{:02x}".format(*(int(v) for v in rgb))


@dataclass(frozen=True)
class Picture:
    """Everything the template places; coordinates are in SVG units."""

    width: int
    grain_h: int
    trace_h: int
    left: int
    image: str
    isotherm: str
    ticks: list[dict[str, Any]]
    time_marks: list[dict[str, Any]]
    depth_marks: list[dict[str, Any]]
    temp_marks: list[dict[str, Any]]
    core: str
    mean: str
    surface: str
    target: dict[str, float] | None
    coast: dict[str, Any] | None
    post: dict[str, float] | None
    ribbon: str
    cut: list[dict[str, Any]]
    round_: bool
    cursor: dict[str, Any]
    legend: list[dict[str, Any]]
    data: dict[str, Any]
    table: list[dict[str, Any]]


def _path(x: Array, y: Array) -> str:
    return "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in zip(x, y, strict=True))


def _step(span: float, options: tuple[float, ...], most: int) -> float:
    return next((o for o in options if span / o <= most), options[-1])


def at_times(t: Array, rows: Array, wanted: Array) -> Array:
    """Rows of a record (times × places) at the wanted times, linear between the recorded ones."""
    i = np.clip(np.searchsorted(t, wanted, side="right") - 1, 0, len(t) - 2)
    part = np.clip((wanted - t[i]) / (t[i + 1] - t[i]), 0.0, 1.0)[:, None]
    return np.asarray(rows[i] * (1.0 - part) + rows[i + 1] * part)


def _depth_marks(thick: float, apart: float) -> list[dict[str, float]]:
    """Depths (mm) beside the grain, their words moved off its upper and lower edge."""
    at = np.arange(0, thick + 1e-6, apart)
    down = [11, *[4] * (len(at) - 2), 0][: len(at)] if len(at) > 1 else [11]
    return [{"y": round(d / thick * GRAIN_H, 1), "mm": d, "dy": dy} for d, dy in zip(at, down, strict=True)]


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
    """
    total = float(cook.t[-1])
    inner = WIDTH - LEFT - RIGHT
    field, depth = cook.field, cook.depth
    if round_:
        radius = depth[-1] + (depth[-1] - depth[-2]) / 2
        field = np.hstack([field[:, ::-1], field])
        depth = np.concatenate([radius - depth[::-1], radius + depth])
    thick = depth[-1] + (depth[-1] - depth[-2]) / 2
    hottest = np.maximum.accumulate(field, axis=0)

    def x(t: Any) -> Any:
        return LEFT + np.asarray(t) / total * inner

    wide, high = 200, 96
    when = np.linspace(0.0, total, wide)
    where = (np.arange(high) + 0.5) / high * thick
    grid = np.stack([np.interp(where, depth, row) for row in at_times(cook.t, hottest, when)], axis=1)
    buffer = io.BytesIO()
    Image.fromarray(colours(ramp, grid), "RGB").save(buffer, "PNG", compress_level=1)
    image = "data:image/png;base64," + base64.b64encode(buffer.getvalue()).decode()
    isotherm = ""
    if target_c is not None:
        isotherm = _isotherm(grid, when, where, target_c - 0.5, x, thick)
    top_c = 10.0 * np.ceil(max(float(cook.core.max()), (target_c or 0) + 8, float(cook.mean.max()) + 2, 40.0) / 10.0)
    low_c = 10.0 * np.floor(min(float(cook.core.min()), 0.0) / 10.0)

    def y(c: Any) -> Any:
        return TRACE_H - (np.clip(np.asarray(c), low_c, top_c) - low_c) / (top_c - low_c) * (TRACE_H - 12)

    _, keep = np.unique(np.round(x(cook.t)), return_index=True)  # one point a pixel, none left out where steps are long
    keep = np.append(keep, len(cook.t) - 1)
    t = cook.t[keep]
    cursor_at = cursor_s if cursor_s is not None else (cook.pull_s if cook.pull_s is not None else total)
    cursor_at = min(max(cursor_at, 0.0), total)
    at = cook.at(cursor_at)
    coarse = np.linspace(0.0, total, 110)
    layers = 56
    layer_at = (np.arange(layers) + 0.5) / layers * thick
    painted = np.stack([np.interp(layer_at, depth, row) for row in at_times(cook.t, hottest, coarse)])
    step = _step(total, (30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 28800, 86400), 8)
    mm = _step(thick, (1, 2, 5, 10, 20, 50, 100), 6)
    coast = None
    if cook.pull_s is not None and cook.peak_t_s > cook.pull_s:
        pull_core = float(np.interp(cook.pull_s, cook.t, cook.core))
        coast = {
            "x0": round(float(x(cook.pull_s)), 1),
            "x1": round(float(x(cook.peak_t_s)), 1),
            "y0": round(float(y(pull_core)), 1),
            "y1": round(float(y(cook.peak_core_c)), 1),
            "rise": cook.peak_core_c - pull_core,
        }
    band = ""
    if ribbon is not None:
        low, _, high_ = ribbon.curve_core
        xs = x(ribbon.curve_t)
        band = _path(xs, y(high_)) + "L" + _path(xs[::-1], y(low[::-1]))[1:] + "Z"
    return Picture(
        width=WIDTH,
        grain_h=GRAIN_H,
        trace_h=TRACE_H,
        left=LEFT,
        image=image,
        isotherm=isotherm,
        ticks=[{"x": round(float(x(s)), 1), "verb": v} for s, v in ticks],
        time_marks=[{"x": round(float(x(s)), 1), "s": s} for s in np.arange(0, total + 1, step)],
        depth_marks=_depth_marks(thick, mm),
        temp_marks=[
            {"y": round(float(y(c)), 1), "c": c}
            for c in np.arange(low_c, top_c + 1, 10.0 if top_c - low_c <= 80 else 20.0)
        ],
        core=_path(x(t), y(cook.core[keep])),
        mean=_path(x(t), y(cook.mean[keep])),
        surface=_path(x(t), y(cook.surface_a[keep])),
        target=None
        if target_c is None
        else {
            "y": round(float(y(target_c + 1)), 1),
            "h": round(float(y(target_c - 1) - y(target_c + 1)), 1),
            "mid": round(float(y(target_c)), 1),
        },
        coast=coast,
        post=None if met_at_s is None else {"x": round(float(x(min(met_at_s, total))), 1)},
        ribbon=band,
        cut=_cut(painted[int(np.argmin(np.abs(coarse - cursor_at)))], ramp, round_),
        round_=round_,
        cursor={
            "x": round(float(x(cursor_at)), 1),
            "t": cursor_at,
            "core": cook.core[at],
            "mean": cook.mean[at],
            "surface": cook.surface_a[at],
        },
        legend=[{"colour": hex_of(colours(ramp, np.array(c))), "c": int(c)} for c in (40, 50, 55, 60, 65, 70, 75)],
        data={
            "total": round(total, 1),
            "left": LEFT,
            "inner": inner,
            "round": round_,
            "t": [round(float(v), 1) for v in coarse],
            "core": np.interp(coarse, cook.t, cook.core).round(1).tolist(),
            "mean": np.interp(coarse, cook.t, cook.mean).round(1).tolist(),
            "surface": np.interp(coarse, cook.t, cook.surface_a).round(1).tolist(),
            "layers": painted.round(1).tolist(),
            "ramp_c": RAMP_C.tolist(),
            "ramp": RAMPS[ramp],
            "cursor": round(cursor_at, 1),
        },
        table=[
            {
                "t": float(s),
                "core": float(np.interp(s, cook.t, cook.core)),
                "mean": float(np.interp(s, cook.t, cook.mean)),
                "surface": float(np.interp(s, cook.t, cook.surface_a)),
            }
            for s in np.unique(np.concatenate([np.linspace(0, total, 13), [s.end_s for s in cook.stages]]))
        ],
    )


def _cut(layers: Array, ramp: str, round_: bool) -> list[dict[str, Any]]:
    """The slice at one moment: bars from face a to b, or rings from the outside in."""
    n = len(layers)
    if round_:
        half = layers[: n // 2]
        return [{"r": round(70 * (1 - i / len(half)), 1), "fill": hex_of(colours(ramp, v))} for i, v in enumerate(half)]
    return [
        {"y": round(i * GRAIN_H / n, 2), "h": round(GRAIN_H / n + 0.3, 2), "fill": hex_of(colours(ramp, v))}
        for i, v in enumerate(layers)
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
