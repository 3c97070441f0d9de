"""What is built on eggs: yolk butter sauces by numbers, and pasta bound with egg by a balance of heat."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, inf, log

import numpy as np

from ember_core.data.loader import read_toml
from ember_core.errors import ValueRangeError
from ember_core.heat.arrays import Array
from ember_core.heat.physics.boiling import boiling_point
from ember_core.safety.lethality import log_reduction, organisms
from ember_core.wording.message import say

USUAL_YOLKS = 4  # that the bowl of the data is for


@dataclass(frozen=True)
class Sauce:
    """A yolk butter sauce in numbers: yolks, and grams of each; ``most_butter_g`` they would carry at the most."""

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
    """The yolks' course while they are whisked: s, °C; when they thicken, s, how long that may last, and Salmonella's log10 until then."""

    t: Array
    yolk_c: Array
    thick_s: float
    window_s: float
    log10: float


def whisking(
    made: Sauce, heat: str = "water", altitude_m: float = 0.0, hold_minutes: float = 0.0, hold_c: float = 57.0
) -> Whisking:
    """How warm the yolks get, over water or direct gentle heat, by a balance of heat; what that and the holding kill, by a model.

    Parameters
    ----------
    made : Sauce
    heat : str
        ``water`` or ``direct``.
    altitude_m : float
        m.
    hold_minutes, hold_c : float
        Held afterwards, min and °C.
    """
    row = read_toml("eggs_open.toml")["sauce"]
    mass = made.yolks * (row["yolk_g"] + row["water_g"] + row["acid_g"]) / 1000.0
    bowl = read_toml("eggs_open.toml")["whisked_in"]
    larger = max(made.yolks / USUAL_YOLKS, 1.0) ** (2 / 3)
    holds = mass * bowl["heat_j_kgk"] + bowl["bowl_j_k"] * larger
    area, begin = bowl["area_m2"] * larger, bowl["begin_c"]
    source, h = (
        (boiling_point(altitude_m), bowl["water_h"]) if heat == "water" else (bowl["direct_c"], bowl["direct_h"])
    )
    tau = holds / (h * area)
    low, high = row["thick_c"]

    def when(level: float) -> float:
        return float(tau * log((source - begin) / (source - level))) if level < source else inf

    thick = when(0.5 * (low + high))
    t = np.linspace(0.0, thick, 120)
    yolk = source - (source - begin) * np.exp(-t / tau)
    if hold_minutes > 0.0:
        t = np.append(t, [thick + 60.0, thick + 60.0 + 60.0 * hold_minutes])
        yolk = np.append(yolk, [hold_c, hold_c])
    deadly = organisms()["salmonella"]
    killed = float(log_reduction(t, yolk, deadly.d_s, deadly.at_c, deadly.z_c))
    return Whisking(t, yolk, thick, when(row["scrambles_c"]) - when(low), killed)


@dataclass(frozen=True)
class Bound:
    """Pasta bound with egg: grams and °C of all that comes together; ``bowl_g`` of steel."""

    pasta_g: float = 200.0
    pasta_c: float = 92.0
    egg_g: float = 80.0
    cheese_g: float = 60.0
    fat_g: float = 20.0
    mix_c: float = 15.0
    bowl_g: float = 0.0
    bowl_c: float = 22.0
    water_g: float = 0.0
    water_c: float = 90.0


def lands_c(b: Bound) -> float:
    """Where the mixture lands, °C: Σ m c (T - T_mix) = 0 with the bowl."""
    heat = read_toml("eggs_open.toml")["bound"]["heat"]
    parts = [
        (b.pasta_g * heat["pasta"], b.pasta_c), (b.egg_g * heat["egg"], b.mix_c), (b.cheese_g * heat["cheese"], b.mix_c),
        (b.fat_g * heat["fat"], b.mix_c), (b.water_g * heat["water"], b.water_c), (b.bowl_g * 490.0, b.bowl_c),
    ]  # fmt: skip
    return mixed_c(parts)


def mixed_c(parts: Sequence[tuple[float, float]]) -> float:
    """Where things land that come together, °C: Σ C (T - T_mix) = 0 over what each takes up by degree (any unit) and its °C."""
    return float(sum(w * t for w, t in parts) / sum(w for w, _ in parts))


def bound_word(c: float) -> str:
    """``thin``, ``thick`` or ``scrambled`` at ``c`` °C."""
    row = read_toml("eggs_open.toml")["bound"]
    low, high = row["thick_c"]
    return "thin" if c < low else "thick" if c <= high else "scrambled" if c >= row["scrambles_c"] else "close"


def water_steps(b: Bound, step_g: float = 20.0, most: int = 8) -> list[tuple[float, float, str]]:
    """Starchy water by so many grams at a time: grams, where it lands, °C, and the word."""
    out = []
    for i in range(most + 1):
        water = i * step_g
        c = lands_c(Bound(**{**vars(b), "water_g": water}))
        out.append((water, c, bound_word(c)))
    return out


def pasta_c_for(b: Bound, wanted_c: float) -> float:
    """How hot the pasta must be so that all lands at ``wanted_c``, °C; may lie beyond the boiling point: then it cannot."""
    cold, hot = lands_c(Bound(**{**vars(b), "pasta_c": 0.0})), lands_c(Bound(**{**vars(b), "pasta_c": 100.0}))
    return 100.0 * (wanted_c - cold) / (hot - cold)
