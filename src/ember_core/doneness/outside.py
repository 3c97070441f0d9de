"""What becomes of the outside, and of the juice: colour, crust, grey band, loss and yield of a computed cook. Advisory only.

Coefficients and their sources: ``data/long_cooks.toml``.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.doneness.browning import browned_min, colour_of, in_hot_air, is_dry, skin_course, skin_of
from ember_core.doneness.long_cooks import equivalent_hours, water_held
from ember_core.heat.cook import Cook
from ember_core.heat.physics.boiling import boiling_point
from ember_core.heat.setup import setup
from ember_core.plan.plan import Plan

Array = NDArray[np.float64]
POWER = {"cylinder": 1, "sphere": 2, "ellipsoid": 2, "egg": 2}  # by which a round piece's volume grows outwards


@dataclass(frozen=True)
class Face:
    """One face.

    Attributes
    ----------
    browning_k_min : float
        Kelvins above 140 °C times minutes.
    scorched_min : float
        Minutes above 180 °C.
    colour : str
        ``pale``, ``golden``, ``brown``, ``dark``.
    crust_mm, grey_mm : float
        Depth that has been dry; depth that has been past 65 °C, the crust included.
    browned_min : float
        Minutes at 180 °C that would have browned it as much.
    """

    browning_k_min: float
    scorched_min: float
    colour: str
    crust_mm: float
    grey_mm: float
    browned_min: float = 0.0

    @property
    def seared(self) -> bool:
        """Whether dry heat gave it a colour for sure: what a clause on seared pieces rests on, with no skin in the reckoning."""
        return self.browning_k_min >= float(read_toml("long_cooks.toml")["outside"]["sears_k_min"])


@dataclass(frozen=True)
class Outside:
    """What becomes of the outside and the juice.

    Attributes
    ----------
    faces : tuple of Face
        Face a and b, or the one outside of a round piece.
    drip, evaporated : float
        Shares of the raw mass, 0 to 1: juice that runs off, and water that left as vapour, out of a crust or off the outside.
    thickness : float
        What is left of the thickness, 0 to 1, if it shrinks alike in all directions.
    tender_h : tuple of float
        Hours at 70 °C that would soften a tough cut as much, by the low end, the middle and the high end of the activation energy.
    """

    faces: tuple[Face, ...]
    drip: float
    evaporated: float
    thickness: float
    tender_h: tuple[float, float, float]

    @property
    def loss(self) -> float:
        """Share of the raw mass that is lost until the end of the cook."""
        return min(self.drip + self.evaporated, 1.0)

    def as_dict(self) -> dict[str, Any]:
        """As a result has it."""
        return {
            "faces": [{k: round(v, 2) if isinstance(v, float) else v for k, v in vars(f).items()} for f in self.faces],
            "drip": round(self.drip, 4),
            "evaporated": round(self.evaporated, 4),
            "yield": round(1.0 - self.loss, 4),
            "thickness": round(self.thickness, 4),
            "tender_h": [round(h, 2) for h in self.tender_h],
        }


def shares_of(depth: Array, closed: bool, kind: str) -> Array:
    """Shares of the volume that places along a line through the core stand for; sum 1.

    Parameters
    ----------
    depth : ndarray (places,)
        mm, from face a, or from the centre (``closed``).
    closed : bool
    kind : str
        Of the shape.
    """
    edges = np.concatenate([[0.0], 0.5 * (depth[1:] + depth[:-1]), [depth[-1] + 0.5 * (depth[-1] - depth[-2])]])
    power = POWER.get(kind, 0) + 1 if closed else 1
    volume = np.diff(edges**power)
    return np.asarray(volume / volume.sum())


def expelled(t_s: Array, field_c: Array, shares: Array, tau_s: float | None = None) -> float:
    """Share of the raw mass that is pressed out as juice: water above what the meat can hold leaves it with a delay, and does not come back.

    Parameters
    ----------
    t_s : ndarray (times,)
        s, rising.
    field_c : ndarray (times, places)
        °C.
    shares : ndarray (places,)
        Of the volume; those of places that have dried are 0.
    tau_s : float, optional
        Time constant, s; default that of the data.
    """
    raw = water_at_first()
    return float(((raw - still_held(np.full(field_c.shape[1], raw), t_s, field_c, tau_s)) * shares).sum())


def water_at_first() -> float:
    """Water in a kilogram of raw meat that it holds, kg."""
    return float(water_held(read_toml("long_cooks.toml")["loss"]["valid_c"][0]))


def still_held(water: Array, t_s: Array, field_c: Array, tau_s: float | None = None) -> Array:
    """Water that places hold after a history, kg per kg of raw meat; other parameters as of :func:`expelled`.

    Parameters
    ----------
    water : ndarray (places,)
        What they held at its begin.
    """
    return np.asarray(held_along(water, t_s, field_c, tau_s)[-1])


def held_along(water: Array, t_s: Array, field_c: Array, tau_s: float | None = None) -> Array:
    """Water that places hold along a history, times × places; as of :func:`still_held`."""
    data = read_toml("long_cooks.toml")
    tau = data["relaxation"]["tau_s"] if tau_s is None else tau_s
    can = water_held(np.clip(field_c, *data["loss"]["valid_c"]))
    follows = 1.0 - np.exp(-np.diff(t_s) / tau)
    held = np.empty(field_c.shape)
    held[0] = water
    for i, share in enumerate(follows):
        held[i + 1] = held[i] - np.maximum(held[i] - can[i + 1], 0.0) * share
    return held


def left_by_salt(salt: float) -> float:
    """Share of the juice that meat still loses with so much salt in it (a share of its mass, 0 to 0.08)."""
    points = np.array(read_toml("long_cooks.toml")["salted"]["points"])
    return float(np.interp(salt, points[:, 0], points[:, 1]))


def salt_of(plan: Plan) -> float:
    """Salt in a plan's piece as a share of its mass: as stated, else what its ash is above that of fresh meat."""
    stated = plan.document["piece"].get("salt")
    if stated is not None:
        return float(stated)
    row = food_row(plan.food) if plan.food else None
    ash = (plan.composition or {}).get("ash", row["parts"]["ash"] / 100.0 if row else 0.0)
    return max(float(ash) - float(read_toml("long_cooks.toml")["salted"]["fresh_ash"]), 0.0)


def water_of(plan: Plan) -> float:
    """Water in a kilogram of a plan's raw food, kg: by its composition or its row of the food table, else lean beef's."""
    row = food_row(plan.food) if plan.food else None
    own = (plan.composition or {}).get("water", row["parts"]["water"] / 100.0 if row else None)
    return water_at_first() if own is None else float(own)


@dataclass(frozen=True, eq=False)
class Juice:
    """What places of a piece have lost so far.

    Attributes
    ----------
    shares : ndarray (places,)
        Of the volume; sum 1.
    by_salt : float
        Share of the juice that salt lets go, 0 to 1.
    dries_c : float
        A place that was hotter has dried, °C.
    water : ndarray (places,)
        What they still hold, kg per kg of raw meat.
    hottest : ndarray (places,)
        °C.
    of_lean : float
        Its water as a share of what the curve's lean beef has.
    """

    shares: Array
    by_salt: float
    dries_c: float
    water: Array
    hottest: Array
    of_lean: float = 1.0

    @classmethod
    def of(cls, plan: Plan, shares: Array) -> Self:
        """That of a raw piece; ``shares`` as of :func:`shares_of`."""
        dries_c = boiling_point(plan.altitude_m) + read_toml("long_cooks.toml")["outside"]["dry_above_boiling_k"]
        raw = np.full(shares.size, water_at_first())
        none = np.full(shares.size, -np.inf)
        return cls(shares, left_by_salt(salt_of(plan)), dries_c, raw, none, water_of(plan) / water_at_first())

    def after(self, t_s: Array, field_c: Array) -> Self:
        """That after a history more; parameters as of :func:`expelled`."""
        hottest = np.maximum(self.hottest, field_c.max(axis=0))
        return replace(self, water=still_held(self.water, t_s, field_c), hottest=hottest)

    @property
    def gone(self) -> float:
        """Juice that was pressed out, and all water of what dried, as a share of the raw mass."""
        return float(self._gone(self.water, self.hottest))

    def along(self, t_s: Array, field_c: Array) -> Array:
        """That share along a history more, by its times; parameters as of :func:`expelled`."""
        hottest = np.maximum(np.maximum.accumulate(field_c, axis=0), self.hottest)
        return self._gone(held_along(self.water, t_s, field_c), hottest)

    def _gone(self, water: Array, hottest: Array) -> Array:
        """By what places hold, kg per kg of raw meat, and how hot they have been, °C."""
        dried = hottest > self.dries_c
        raw = water_at_first()
        pressed = ((raw - water) * np.where(dried, 0.0, self.shares)).sum(axis=-1) * self.by_salt
        return np.asarray(self.of_lean * (pressed + raw * (dried * self.shares).sum(axis=-1)))


def size_left(lost: float) -> float:
    """What is left of each length of a piece that lost such a share of its mass, 0 to 1, if it shrinks alike in all directions."""
    return float((1.0 - lost) ** (1.0 / 3.0))


def _face(t_s: Array, surface_c: Array, hottest: Array, depth: Array, boil_c: float, browned: float) -> Face:
    """One face, by its own temperature and the hottest of each depth, counted from it."""
    data = read_toml("long_cooks.toml")["outside"]
    over = np.maximum(surface_c - data["browns_c"], 0.0)
    browning = float(np.trapezoid(over, t_s) / 60.0)
    scorched = float(np.trapezoid((surface_c > data["scorches_c"]).astype(float), t_s) / 60.0)

    def past(limit_c: float) -> float:
        """How deep the outside has been hotter than ``limit_c``, mm."""
        cooler = np.flatnonzero(hottest <= limit_c)
        if cooler.size == 0:
            return float(depth[-1])
        i = int(cooler[0])
        if i == 0:
            return 0.0
        part = (hottest[i - 1] - limit_c) / (hottest[i - 1] - hottest[i])
        return float(depth[i - 1] + part * (depth[i] - depth[i - 1]))

    crust, grey = past(boil_c + data["dry_above_boiling_k"]), past(data["grey_c"])
    return Face(browning, scorched, colour_of(browned), crust, grey, browned)


def _browned(plan: Plan, cook: Cook, face: int, boil_c: float) -> float:
    """Minutes at 180 °C that browned a face (0 or 1) as much, through its skin where it has one."""
    bare = (cook.surface_a, cook.surface_b)[face]
    skin = skin_of(plan)
    hangs = in_hot_air(plan, face)
    if skin is None or not any(hangs):
        return browned_min(cook.t, bare, is_dry(bare, boil_c))
    s, ends = setup(plan), [o.end_s for o in cook.stages]
    outside_c, dry = skin_course(skin, cook.t, bare, ends, hangs, s.schedule, face, cook.vapour_pa)
    hottest, either = np.maximum(outside_c, bare), dry | is_dry(bare, boil_c)
    return browned_min(cook.t, hottest, either)


def outside(plan: Plan, cook: Cook) -> Outside:
    """Colour, crust, grey band and loss of a computed cook.

    Parameters
    ----------
    plan, cook : Plan, Cook
        Of meat, poultry or fish; of other food the colour alone means something.
    """
    boil_c = boiling_point(plan.altitude_m)
    hottest, depth = cook.field.max(axis=0), cook.depth
    end = float(depth[-1] + 0.5 * (depth[-1] - depth[-2]))
    from_b = (hottest[::-1], end - depth[::-1])
    faces: tuple[Face, ...]
    if cook.closed:
        faces = (_face(cook.t, cook.surface_a, *from_b, boil_c, _browned(plan, cook, 0, boil_c)),)
    else:
        half = (depth.size + 1) // 2
        faces = (
            _face(cook.t, cook.surface_a, hottest[:half], depth[:half], boil_c, _browned(plan, cook, 0, boil_c)),
            _face(cook.t, cook.surface_b, from_b[0][:half], from_b[1][:half], boil_c, _browned(plan, cook, 1, boil_c)),
        )
    shares = shares_of(depth, cook.closed, plan.shape["kind"])
    gone = Juice.of(plan, shares).after(cook.t, cook.field).gone
    # juice that comes out evaporates from the outside first; what it leaves over drips
    drip = max(gone - cook.evaporated, 0.0)
    lost = min(drip + cook.evaporated, 1.0)
    tender = read_toml("long_cooks.toml")["tenderness"]
    low_ea, high_ea = tender["ea_range_j_mol"]
    low_h, middle_h, high_h = (
        float(equivalent_hours(cook.t, cook.field, ea, tender["reference_c"]).min())
        for ea in (low_ea, tender["ea_j_mol"], high_ea)
    )
    return Outside(faces, drip, cook.evaporated, size_left(lost), (low_h, middle_h, high_h))
