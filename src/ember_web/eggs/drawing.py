"""Pictures of eggs: the section painted by how far it has set, and the map of time and water."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ember_core.data.loader import read_toml
from ember_core.doneness.eggs import YOLKS
from ember_core.eggs.doubt import Strip
from ember_core.eggs.fried import Painted
from ember_core.eggs.map import EggMap
from ember_core.heat.egg_states import EggState, yolk_word
from ember_core.heat.geometry.egg_outline import TAPER, egg_sizes, room_g, species_of
from ember_core.heat.geometry.mesh import Mesh
from ember_core.heat.geometry.shapes import egg_points
from ember_core.wording.message import N_
from ember_web.ui.drawing import image_of

Array = NDArray[np.float64]
HIGH = 224  # pixels of the section along the egg
NEAREST = 9  # nodes that a pixel is painted by
SMOOTH = 0.8  # how far they reach, in distances between nodes

# how far the yolk has thickened → its colour, deep to pale; then by how crumbly it is
YOLK_STOPS = (0.0, 0.15, 0.42, 0.85, 1.0)
YOLK_RGB = ((212, 106, 6), (229, 138, 30), (240, 169, 63), (245, 198, 104), (243, 210, 128))
CRUMBLY_RGB = (244, 226, 172)
# how far the white has set: its first protein from glassy to milky, its main one to white
GLASSY_RGB, MILKY_RGB, WHITE_RGB = (205, 199, 178), (238, 234, 221), (255, 255, 255)


def yolk_rgb(thick: Array, firm: Array) -> Array:
    """Colours of a yolk by how far it has thickened and how crumbly it is, 0 to 1."""
    stops = np.array(YOLK_RGB, dtype=float)
    base = np.stack([np.interp(thick, YOLK_STOPS, stops[:, k]) for k in range(3)], axis=-1)
    share = np.clip(firm, 0.0, 1.0)[..., None] ** 2
    return np.asarray(base * (1.0 - share) + np.array(CRUMBLY_RGB) * share)


def white_rgb(first: Array, main: Array) -> Array:
    """Colours of a white by how far its two proteins have set, 0 to 1."""
    glassy, milky, white = (np.array(c, dtype=float) for c in (GLASSY_RGB, MILKY_RGB, WHITE_RGB))
    a, b = np.clip(first, 0, 1)[..., None], np.clip(main, 0, 1)[..., None]
    return np.asarray((glassy * (1 - a) + milky * a) * (1 - b) + white * b)


@dataclass(frozen=True)
class Section:
    """An egg cut along its axis, in pixels: the painted inside, its outline as a path, and the yolk's circle."""

    image: str
    width: int
    height: int
    outline: str
    yolk: float
    label: str


def _outline(length: float, breadth: float) -> tuple[Array, Array]:
    """The outline of an egg, m: from its axis, and along it, from the blunt end to the pointed one."""
    angle = np.linspace(0.0, np.pi, 60)
    along = np.cos(angle)
    return np.asarray(breadth / 2 * np.sin(angle) * (1 + TAPER * along)), np.asarray(length / 2 * along)


def section_of(state: EggState, shape: Mapping[str, Any], mesh: Mesh, label: str) -> Section:
    """The section of an egg as it is eaten.

    Parameters
    ----------
    state : EggState
    shape : mapping
        ``piece.shape`` of its plan.
    mesh : Mesh
        Whose nodes the state has.
    label : str
        What it shows, for who does not see it.
    """
    row = species_of(shape)
    length, breadth = egg_sizes(room_g(shape), shape_index=row["shape"])
    out_r, out_z = _outline(length, breadth)
    half = out_r.max()
    per = length / HIGH
    wide = 2 * int(np.ceil(half / per))
    x = (np.arange(wide) + 0.5 - wide / 2) * per
    z = length / 2 - (np.arange(HIGH) + 0.5) * per
    grid = np.stack(np.meshgrid(np.abs(x), z), axis=-1)
    edge = np.interp(-z, -out_z, out_r)
    inside = grid[..., 0] <= edge[:, None]
    points = egg_points(shape, mesh)
    volume = row["yolk"] * (np.pi * np.trapezoid(out_r**2, -out_z))
    radius = float((volume * 3 / (4 * np.pi)) ** (1 / 3))
    in_yolk = np.hypot(grid[..., 0], grid[..., 1]) <= radius
    pixels = np.zeros((HIGH, wide, 4), dtype=np.uint8)
    apart = float(np.sqrt(np.pi / 4 * length * breadth / 2 / mesh.n))
    for part, own in ((inside & in_yolk, mesh.inner), (inside & ~in_yolk, ~mesh.inner)):
        nodes = np.flatnonzero(own)
        far, near = (np.asarray(v) for v in cKDTree(points[nodes]).query(grid[part], k=NEAREST))
        weight = np.exp(-((far / (SMOOTH * apart)) ** 2)) + 1e-9
        weight /= weight.sum(axis=1, keepdims=True)
        set_ = (state.nodes[nodes][near] * weight).sum(axis=1)
        if own is mesh.inner:
            rgb = yolk_rgb(set_, (state.crumbly[nodes][near] * weight).sum(axis=1))
        else:
            rgb = white_rgb((state.first[nodes][near] * weight).sum(axis=1), set_)
        pixels[part, :3] = rgb.round().astype(np.uint8)
        pixels[part, 3] = 255
    path = np.concatenate([np.stack([out_r, out_z], axis=1), np.stack([-out_r[::-1], out_z[::-1]], axis=1)])
    xy = np.stack([path[:, 0] / per + wide / 2, (length / 2 - path[:, 1]) / per], axis=1)
    d = "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in xy) + "Z"
    return Section(image_of(pixels), wide, HIGH, d, radius / per, label)


MAP_W, MAP_H = 480, 260
FINE = (240, 130)  # pixels of the map


@dataclass(frozen=True)
class MapPicture:
    """The map in pixels: its image, words of its regions and where they stand, marks along both axes."""

    image: str
    words: list[dict[str, Any]]
    across: list[dict[str, Any]]
    up: list[dict[str, Any]]
    minutes: tuple[float, float]
    water_c: tuple[float, float]


UNSET = N_("white unset")
HEIGHT = {
    "runny": 0.72,
    "syrupy": 0.56,
    "jammy": 0.42,
    "fudgy": 0.28,
    "dry": 0.14,
}  # where a region's name is looked for
BAND = 0.1
WORD_HALF = 34.0  # half of what a name takes across
LEAST_SHARE = 0.012  # of the map that a region must have to be named


def map_of(found: EggMap) -> MapPicture:
    """The map painted by the yolk, its edges drawn, striped where the white is unset."""
    wide, high = FINE
    minutes = np.linspace(found.minutes[0], found.minutes[-1], wide)
    water = np.linspace(found.water_c[-1], found.water_c[0], high)

    def fine(values: Array) -> Array:
        rows = np.stack([np.interp(minutes, found.minutes, row) for row in values])
        return np.stack([np.interp(water, found.water_c, rows[:, j]) for j in range(wide)], axis=1)

    yolk, firm, white = fine(found.yolk), fine(found.firm), fine(found.white)
    rgb = yolk_rgb(yolk, firm)
    order = list(YOLKS)
    words = np.zeros((high, wide), dtype=np.int64)
    for k, row in enumerate(read_toml("eggs.toml")["yolk_word"]):
        words[(yolk >= row.get("from_set", 0.0)) & (firm >= row.get("from_firm", 0.0))] = k
    unset = white < read_toml("eggs.toml")["white_word"]["set"]
    stripes = (np.add.outer(np.arange(high), np.arange(wide)) % 8) < 4
    rgb[unset] = np.where(stripes[unset][:, None], np.array(GLASSY_RGB), np.array((224, 219, 203)))
    edge = np.zeros((high, wide), dtype=bool)
    region = np.where(unset, -1, words)
    edge[:, 1:] |= region[:, 1:] != region[:, :-1]
    edge[1:, :] |= region[1:, :] != region[:-1, :]
    rgb[edge] = (35, 29, 23)
    named = []
    for k, word in [(-1, UNSET), *((order.index(w), n) for w, n in YOLKS.items())]:
        own = region == k
        if own.mean() < (LEAST_SHARE if k >= 0 else 5 * LEAST_SHARE):
            continue
        row, column = _middle(own, HEIGHT.get(word, 0.6))
        x = min(max(column / wide * MAP_W, WORD_HALF), MAP_W - WORD_HALF)
        named.append({"word": word, "x": x, "y": row / high * MAP_H})
    span = float(found.minutes[-1] - found.minutes[0])
    step = next(s for s in (0.5, 1, 2, 5, 10, 20, 30, 60) if span / s <= 8)
    at = np.arange(np.ceil(found.minutes[0] / step) * step, found.minutes[-1] + 1e-9, step)
    across = [{"x": float((m - found.minutes[0]) / span * MAP_W), "value": f"{m:g}"} for m in at]
    tall = float(found.water_c[-1] - found.water_c[0])
    degrees = 10.0 if tall > 25 else 5.0 if tall > 12 else 2.0
    at = np.arange(np.ceil(found.water_c[0] / degrees) * degrees, found.water_c[-1] + 1e-9, degrees)
    up = [{"y": float((found.water_c[-1] - c) / tall * MAP_H), "c": float(c)} for c in at]
    return MapPicture(
        image_of(rgb.round().astype(np.uint8)), named, across, up,
        (float(found.minutes[0]), float(found.minutes[-1])), (float(found.water_c[0]), float(found.water_c[-1])),
    )  # fmt: skip


PER_MM = 6  # pixels of an opened egg
SOFT_MM = 3.0  # over so much one height goes over into the next


@dataclass(frozen=True)
class PieceInMedium:
    """An opened egg in section, in pixels."""

    image: str
    width: int
    height: int


def lying_of(painted: Sequence[Painted]) -> PieceInMedium:
    """An opened egg in section, to scale: its yolk a dome on a film of white, the white round it, painted by how far they have set."""
    out = painted[-1].out_mm
    yolk = next(p for p in painted if p.name == "yolk")
    dome = yolk.out_mm
    top = 1.7 * (yolk.high_mm - yolk.white_mm)  # of a cap whose mean height is that of its column
    r = np.abs((np.arange(int(2 * out * PER_MM)) + 0.5) / PER_MM - out)
    ball = (dome**2 + top**2) / (2.0 * top)
    white = np.full(r.size, painted[-1].high_mm)
    for p in painted[-2:0:-1]:
        white += (p.high_mm - painted[-1].high_mm) * 0.5 * (1.0 - np.tanh((r - p.out_mm) / SOFT_MM))
    white *= np.clip((out - r) / SOFT_MM, 0.0, 1.0) ** 0.5 if painted[-1].name == "thin" else 1.0
    cap = np.where(r < dome, np.sqrt(np.maximum(ball**2 - r**2, 0.0)) - (ball - top), 0.0)
    high = np.where(cap > 0.0, np.maximum(yolk.white_mm + cap, white), white)
    tall = int((high.max() + 1.0) * PER_MM)
    z = (tall - np.arange(tall) - 0.5) / PER_MM
    pixels = np.zeros((tall, r.size, 4), dtype=np.uint8)
    for i, (p, inside) in enumerate(zip(painted, np.diff([0.0, *(p.out_mm for p in painted)]), strict=True)):
        around = painted[i + 1] if p.name == "yolk" else p  # the white beside a yolk is that round it
        for x in np.flatnonzero((r <= p.out_mm) & (r > p.out_mm - inside)):
            here = (z >= 0.0) & (z <= high[x])
            level = z[here]
            rgb = white_rgb(*_look(around, level / max(high[x], 1e-9), "first", "main"))
            if p.name == "yolk":
                under = level <= p.white_mm
                rgb[under] = white_rgb(*_look(p, level[under] / p.high_mm, "first", "main"))
                own = ~under & (level <= p.white_mm + cap[x])
                rgb[own] = yolk_rgb(*_look(p, level[own] / high[x], "yolk", "crumbly"))
            pixels[here, x, :3], pixels[here, x, 3] = rgb.round().astype(np.uint8), 255
    return PieceInMedium(image_of(pixels), r.size, tall)


def _look(p: Painted, share: Array, first: str, second: str) -> tuple[Array, Array]:
    """Two of a column's shares at heights that are shares of its own."""
    order = np.argsort(p.up_mm)
    a, b = (np.interp(share * p.high_mm, p.up_mm[order], getattr(p, name)[order]) for name in (first, second))
    return np.asarray(a), np.asarray(b)


STRIP_PX = 480


def strip_of(strip: Strip) -> str:
    """An egg by the minute as a line of pixels: its yolk's colour, striped where the white is unset, edges between words drawn."""
    minutes = np.linspace(strip.minutes[0], strip.minutes[-1], STRIP_PX)
    yolk, firm, white = (np.interp(minutes, strip.minutes, v) for v in (strip.yolk, strip.firm, strip.white))
    rgb = yolk_rgb(yolk, firm)
    unset = white < read_toml("eggs.toml")["white_word"]["set"]
    stripes = np.where((np.arange(STRIP_PX) % 8 < 4)[:, None], np.array(GLASSY_RGB), np.array((224, 219, 203)))
    rgb[unset] = stripes[unset]
    words = [yolk_word(float(a), float(b)) for a, b in zip(yolk, firm, strict=True)]
    edge = np.array([False, *(a != b for a, b in pairwise(words))]) & ~unset
    rgb[edge | np.roll(edge, 1)] = (35, 29, 23)
    return image_of(rgb.round().astype(np.uint8)[None])


def _middle(own: NDArray[np.bool_], height: float) -> tuple[float, float]:
    """The pixel of a region that is deep inside it and near a height, as a share of the whole from above: row and column."""
    left = own.astype(float)
    depth = np.zeros(own.shape)
    for axis in (0, 1):
        runs = np.zeros(own.shape)
        forward = np.zeros(own.shape[1 - axis])
        back = np.zeros(own.shape[1 - axis])
        line = left if axis == 0 else left.T
        out = runs if axis == 0 else runs.T
        ahead = np.zeros_like(line)
        for i in range(line.shape[0]):
            forward = (forward + 1) * line[i]
            ahead[i] = forward
        for i in range(line.shape[0] - 1, -1, -1):
            back = (back + 1) * line[i]
            out[i] = np.minimum(ahead[i], back)
        depth = runs if axis == 0 else np.minimum(depth, runs)
    off = (np.arange(own.shape[0]) / own.shape[0] - height) / BAND
    wanted = depth * np.exp(-(off**2))[:, None] + 1e-6 * depth
    row, column = np.unravel_index(int(wanted.argmax()), depth.shape)
    return float(row), float(column)
