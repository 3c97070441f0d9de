"""What is built on eggs: pasta bound with egg, by a balance of heat."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ember_core.data.loader import read_toml


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
