"""Yolk butter sauces: their grams, the whisking as a balance of heat, what a hot reduction and cold butter do, and holding."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil, inf, log

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.eggs.built import mixed_c
from ember_core.errors import ValueRangeError
from ember_core.heat.arrays import Array
from ember_core.heat.physics.boiling import boiling_point
from ember_core.safety.lethality import log_reduction, organisms
from ember_core.wording.message import N_, say

OVER = {"water": N_("a water bath"), "direct": N_("direct gentle heat"), "medium": N_("medium heat")}
BASES = {"lemon": N_("lemon and water"), "reduction": N_("a sharp reduction")}
USUAL_YOLKS = 4  # that the bowl of the data is for


@dataclass(frozen=True)
class Sauce:
    """A warm butter-and-yolk sauce in numbers: yolks, and grams of each; ``most_butter_g`` they would carry at the most."""

    yolks: int
    butter_g: float
    water_g: float
    acid_g: float
    total_g: float
    covers: int
    most_butter_g: float


def sauce(*, covers: int | None = None, yolks: int | None = None, butter_g: float | None = None) -> Sauce:
    """Scale a sauce by what is known: covers, yolks or butter; exactly one.

    Raises
    ------
    ValueRangeError
        None or several of them; more than a kitchen makes at once.
    """
    known = [("covers", covers), ("yolks", yolks), ("butter_g", butter_g)]
    stated = [(k, v) for k, v in known if v is not None]
    if len(stated) != 1:
        raise ValueRangeError(say("Give covers, or yolks, or butter: one of them."), path="covers")
    name, value = stated[0]
    if not 0 < value <= (5000 if name == "covers" else 1000 if name == "yolks" else 100000):
        raise ValueRangeError(
            say("{name} is {value:g}; give what a kitchen makes at once.", name=name, value=value), path=name
        )
    row = read_toml("eggs_open.toml")["sauce"]
    each = row["yolk_g"] + row["water_g"] + row["acid_g"] + row["butter_g"]
    if name == "covers":
        count = ceil(value * row["cover_g"] / each)
    elif name == "yolks":
        count = int(value)
    else:
        count = ceil(value / row["most_butter_g"])
    butter = float(value) if name == "butter_g" else count * row["butter_g"]
    total = count * (row["yolk_g"] + row["water_g"] + row["acid_g"]) + butter
    return Sauce(
        count, butter, count * row["water_g"], count * row["acid_g"], total, int(total // row["cover_g"]), count * row["most_butter_g"]
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class Whisking:
    """How yolks go while they are whisked.

    Attributes
    ----------
    t, yolk_c : ndarray
        Their course until they are thick, s and °C.
    thick_s, window_s : float
        When the whisk leaves tracks; how long it is from where they begin to thicken to where they scramble, s; infinite where this heat never
        brings them there.
    log10 : float
        What that and the holding kill of Salmonella, by a model.
    """

    t: Array
    yolk_c: Array
    thick_s: float
    window_s: float
    log10: float

    def rows(self, count: int = 5) -> list[tuple[float, float, float]]:
        """The course to the tracks in so many rows: s, °C, and Salmonella's log10 until then."""
        at = np.linspace(0.0, self.thick_s, count + 1)[1:]
        out = []
        for end in at:
            t = np.append(self.t[self.t < end], end)
            out.append(
                (float(end), float(np.interp(end, self.t, self.yolk_c)), _killed(t, np.interp(t, self.t, self.yolk_c)))
            )
        return out


def _killed(t: Array, c: Array) -> float:
    deadly = organisms()["salmonella"]
    return float(log_reduction(t, c, deadly.d_s, deadly.at_c, deadly.z_c))


@dataclass(frozen=True)
class Warm:
    """The yolks with their water and acid, and the bowl round them, as something to be warmed: J/K of each, m² that is heated."""

    yolks_j_k: float
    base_j_k: float
    bowl_j_k: float
    area_m2: float

    @property
    def all_j_k(self) -> float:
        """All of it."""
        return self.yolks_j_k + self.base_j_k + self.bowl_j_k


def warmed(made: Sauce) -> Warm:
    """What is warmed of a sauce before its butter."""
    row, bowl = read_toml("eggs_open.toml")["sauce"], read_toml("eggs_open.toml")["whisked_in"]
    larger = max(made.yolks / USUAL_YOLKS, 1.0) ** (2 / 3)
    return Warm(
        made.yolks * row["yolk_g"] / 1000.0 * bowl["heat_j_kgk"], (made.water_g + made.acid_g) / 1000.0 * bowl["heat_j_kgk"],
        bowl["bowl_j_k"] * larger, bowl["area_m2"] * larger,
    )  # fmt: skip


def beaten_in_c(made: Sauce, base_c: float) -> float:
    """Where yolks land that are beaten into a reduction of ``base_c`` °C in its own pan, °C."""
    of, cold = warmed(made), read_toml("eggs_open.toml")["whisked_in"]["begin_c"]
    return mixed_c([(of.yolks_j_k, cold), (of.base_j_k + of.bowl_j_k, base_c)])


def base_c_for(made: Sauce, wanted_c: float) -> float:
    """How warm that reduction must be so that they land at ``wanted_c``, °C; may lie beyond its boil."""
    of, cold = warmed(made), read_toml("eggs_open.toml")["whisked_in"]["begin_c"]
    return float(wanted_c + of.yolks_j_k * (wanted_c - cold) / (of.base_j_k + of.bowl_j_k))


def whisking(
    made: Sauce,
    heat: str = "water",
    altitude_m: float = 0.0,
    hold_minutes: float = 0.0,
    hold_c: float = 57.0,
    begin_c: float | None = None,
) -> Whisking:
    """How warm the yolks get by a balance of heat; what that and the holding kill, by a model.

    Parameters
    ----------
    made : Sauce
    heat : str
        A key of :data:`OVER`.
    altitude_m : float
        m.
    hold_minutes, hold_c : float
        Held afterwards, min and °C.
    begin_c : float, optional
        The yolks with their water and acid as the whisking begins, °C; usual: those of a kitchen.
    """
    row, bowl = read_toml("eggs_open.toml")["sauce"], read_toml("eggs_open.toml")["whisked_in"]
    begin = bowl["begin_c"] if begin_c is None else begin_c
    source, h = (
        (boiling_point(altitude_m), bowl["water_h"]) if heat == "water" else (bowl[f"{heat}_c"], bowl["direct_h"])
    )
    of = warmed(made)
    tau = of.all_j_k / (h * of.area_m2)
    low, high = row["thick_c"]

    def when(level: float) -> float:
        if level <= begin:
            return 0.0
        return float(tau * log((source - begin) / (source - level))) if level < source else inf

    thick = when(0.5 * (low + high))
    t = np.linspace(0.0, thick, 120)
    yolk = source - (source - begin) * np.exp(-t / tau)
    if hold_minutes > 0.0:
        t = np.append(t, [thick + 60.0, thick + 60.0 + 60.0 * hold_minutes])
        yolk = np.append(yolk, [hold_c, hold_c])
    return Whisking(t, yolk, thick, when(row["scrambles_c"]) - when(low), _killed(t, yolk))


def buttered_c(made: Sauce, butter_g: float, butter_c: float) -> float:
    """Where yolks that are just thick land off the heat with so much butter, °C: cold butter takes the heat of its melting too.

    Parameters
    ----------
    made : Sauce
    butter_g, butter_c : float
        g, °C.
    """
    row, stops = read_toml("eggs_open.toml")["sauce"], read_toml("eggs_open.toml")["stops"]["butter"]
    thick = 0.5 * sum(row["thick_c"])
    own, butter = warmed(made).all_j_k, butter_g / 1000.0 * stops["heat"]
    melting = butter_g / 1000.0 * stops["melts"] if butter_c < row["melted_c"] else 0.0
    return float((own * thick + butter * butter_c - melting) / (own + butter))


def butter_off_heat_g(made: Sauce, butter_c: float) -> float:
    """How much butter of ``butter_c`` °C goes in off the heat before the sauce falls to where it is held at the least, g; no more than it has."""
    row, stops = read_toml("eggs_open.toml")["sauce"], read_toml("eggs_open.toml")["stops"]["butter"]
    least, thick = float(row["hold_c"][0]), 0.5 * sum(row["thick_c"])
    each = stops["heat"] * (least - butter_c) + (
        stops["melts"] if butter_c < row["melted_c"] else 0.0
    )  # J/kg that it takes up to there
    return min(1000.0 * warmed(made).all_j_k * (thick - least) / each, made.butter_g) if each > 0.0 else made.butter_g


def unthinned_g(made: Sauce, grams: float) -> float:
    """Butter that brings back a sauce into which too much water went, g: in the proportion of its butter to its water."""
    return grams * made.butter_g / made.water_g
