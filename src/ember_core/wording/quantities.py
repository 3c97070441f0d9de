"""Quantities as a reader wants them: °C or °F, mm or in, g and kg or oz and lb, L or qt, 24 or 12 hours.

The core computes in SI with °C; only what is shown and what is typed in passes through here. Factors are exact by
definition (international yard and pound of 1959; US liquid quart, 57.75 cubic inches).
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, time
from typing import Final

INCH_MM: Final = 25.4
FOOT_M: Final = 0.3048
OUNCE_G: Final = 28.349523125
POUND_G: Final = 453.59237
QUART_L: Final = 0.946352946
WHOLE_F: Final = 0.1  # so near a whole °F it is shown whole: tables in °F were rounded to 0.1 °C


@dataclass(frozen=True)
class Scale:
    """A unit a quantity can be shown in: ``shown = factor · value + offset``, with so many decimals at most."""

    sign: str
    factor: float
    offset: float = 0.0
    decimals: int = 2


def _trimmed(value: float, decimals: int) -> str:
    text = f"{value + 0.0:.{decimals}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text == "-0" else text


SCALES: Final = {
    "temp": {"C": Scale("°C", 1.0), "F": Scale("°F", 1.8, 32.0, 1)},
    "rise": {"C": Scale("°C", 1.0), "F": Scale("°F", 1.8, 0.0, 1)},
    "length": {"mm": Scale("mm", 1.0), "in": Scale("in", 1.0 / INCH_MM)},
    "height": {"mm": Scale("m", 1.0), "in": Scale("ft", 1.0 / FOOT_M, 0.0, 0)},
    "mass": {"g": Scale("g", 1.0), "oz": Scale("oz", 1.0 / OUNCE_G, 0.0, 1)},
    "volume": {"L": Scale("L", 1.0), "qt": Scale("qt", 1.0 / QUART_L, 0.0, 1)},
}
KINDS: Final = frozenset({*SCALES, "degrees", "difference", "span", "hours"})
_NUMBER: Final = re.compile(r"[-+−]?(\d+([.,]\d*)?|[.,]\d+)([eE][-+]?\d+)?")


@dataclass(frozen=True)
class Units:
    """The units one reader wants.

    Attributes
    ----------
    temperature : str
        ``C`` or ``F``.
    length : str
        ``mm`` or ``in``.
    mass : str
        ``g`` (with kg from 1,000 g) or ``oz`` (with lb from 16 oz).
    volume : str
        ``L`` or ``qt``.
    clock : str
        ``24`` or ``12`` hours.
    """

    temperature: str = "C"
    length: str = "mm"
    mass: str = "g"
    volume: str = "L"
    clock: str = "24"

    @property
    def code(self) -> str:
        """These units as one word, such as ``F-in-oz-qt-12``, for addresses and pages."""
        return "-".join((self.temperature, self.length, self.mass, self.volume, self.clock))

    @classmethod
    def of(cls, code: str) -> Units:
        """The units of a :attr:`code`; SI for a word that is none."""
        words = code.split("-")
        allowed = ("C F", "mm in", "g oz", "L qt", "24 12")
        known = len(words) == len(allowed) and all(w in a.split() for w, a in zip(words, allowed, strict=True))
        return cls(*words) if known else SI

    def scale(self, kind: str) -> Scale:
        """The unit of a kind of quantity: ``temp``, ``rise`` (a difference), ``length``, ``height`` (of a place, m), ``mass``,
        ``volume``."""
        name = {"temp": self.temperature, "rise": self.temperature, "height": self.length}.get(kind) or getattr(
            self, kind
        )
        return SCALES[kind][str(name)]

    def sign(self, kind: str) -> str:
        """The unit's sign, as it stands behind a number."""
        return self.scale(kind).sign

    def number(self, kind: str, value: float, decimals: int | None = None) -> str:
        """A value in °C, K, mm, g or L as a number in this reader's unit; without ``decimals`` no more digits than it has.

        A temperature within 0.1 °F of a whole degree is shown whole then: the tables' rows in °C are themselves whole
        degrees Fahrenheit rounded to a tenth of a degree Celsius.
        """
        unit = self.scale(kind)
        if unit.factor == 1.0:
            return f"{value:g}" if decimals is None else f"{value:.{decimals}f}"
        shown = unit.factor * value + unit.offset
        if decimals is not None:
            return f"{shown:.{decimals}f}"
        if kind == "temp" and abs(shown - round(shown)) <= WHOLE_F:
            return f"{round(shown)}"
        return _trimmed(shown, unit.decimals)

    def shown(self, kind: str, value: float, decimals: int | None = None) -> str:
        """A value with its unit; masses from 1,000 g (or 16 oz) in kg (or lb)."""
        if kind == "mass" and decimals is None:
            if self.mass == "oz" and value >= POUND_G:
                return f"{_trimmed(value / POUND_G, 2)} lb"
            if self.mass == "g" and value >= 1000.0:
                return f"{_trimmed(value / 1000.0, 3)} kg"
        return f"{self.number(kind, value, decimals)} {self.sign(kind)}"

    def read(self, kind: str, text: str) -> float:
        """A number typed in this reader's unit, in °C, K, mm, g or L; a comma counts as a point.

        Raises
        ------
        ValueError
            What is not a number.
        """
        plain = text.strip().replace("−", "-")
        if not _NUMBER.fullmatch(plain):
            raise ValueError(text)
        value = float(plain.replace(",", "."))
        if not math.isfinite(value):
            raise ValueError(text)
        unit = self.scale(kind)
        return value if unit.factor == 1.0 else (value - unit.offset) / unit.factor

    def moment(self, at: datetime | time, *, seconds: bool = False) -> str:
        """A time of day: ``19:40``, or ``7:40 pm``."""
        if self.clock == "24":
            return at.strftime("%H:%M:%S" if seconds else "%H:%M")
        hour = at.hour % 12 or 12
        tail = f":{at.minute:02d}:{at.second:02d}" if seconds else f":{at.minute:02d}"
        return f"{hour}{tail} {'am' if at.hour < 12 else 'pm'}"


SI: Final = Units()
IMPERIAL: Final = Units("F", "in", "oz", "qt", "12")


def celsius(fahrenheit: float) -> float:
    """°C of a temperature in °F."""
    return (fahrenheit - 32.0) / 1.8


Translate = Callable[[str], str]


SECONDS_BELOW, CLOCK_BELOW, MINUTES_BELOW = 120, 600, 7200  # s


def span(seconds: float, translate: Translate = str) -> str:
    """A duration in a sentence: seconds below two minutes, then minutes, from two hours on hours and minutes; rounded up.

    Parameters
    ----------
    seconds : float
        s; what is below half of one is an instant.
    translate : callable
        Of a template.
    """
    whole = math.floor(seconds + 0.5)
    if whole <= 0:
        return translate("an instant")
    if whole < SECONDS_BELOW:
        return translate("{seconds:.0f} s").format(seconds=whole)
    minutes = -(-whole // 60)
    if minutes * 60 < MINUTES_BELOW:
        return translate("{minutes:.0f} min").format(minutes=minutes)
    if minutes % 60 == 0:
        return translate("{hours} h").format(hours=minutes // 60)
    return translate("{hours} h {minutes:02d} min").format(hours=minutes // 60, minutes=minutes % 60)


def clock_span(seconds: float, translate: Translate = str) -> str:
    """A duration on a clock or in a table: m:ss below ten minutes, then as in :func:`span`, without the last unit; with its sign.

    The scripts have the same function, ``span`` in ``ui/said.js``; both are held to the cases of ``tests/core/data/spans.json``.
    """
    whole = math.floor(abs(seconds) + 0.5)
    sign = "−" if seconds < 0 and whole else ""
    if whole < CLOCK_BELOW:
        return f"{sign}{whole // 60}:{whole % 60:02d}"
    minutes = -(-whole // 60)
    if minutes * 60 < MINUTES_BELOW:
        return sign + translate("{minutes:.0f} min").format(minutes=minutes)
    return sign + translate("{hours} h {minutes:02d}").format(hours=minutes // 60, minutes=minutes % 60)
