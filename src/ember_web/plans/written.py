"""The numbers of a sentence as they were written, and what they are in SI.

A number stays as it was entered: whoever reads the same unit sees the same digits again. Whoever reads another unit sees it
converted, and sending that back unchanged changes nothing.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any
from urllib.parse import parse_qsl, urlencode

from ember_core.wording.quantities import SI, Units

KINDS = {"size_mm": "length", "mass_g": "mass", "start_c": "temp", "target_c": "temp", "heat_c": "temp"}
TIMES = ("%H:%M", "%H.%M", "%H:%M:%S", "%I:%M %p", "%I.%M %p", "%I:%M%p", "%I %p", "%I%p")
SAME = 1e-6  # two numbers no further apart, as a share, are one


@dataclass(frozen=True)
class Written:
    """What was sent or stored: every value with quantities as SI text, and the text and unit of those that were typed."""

    values: dict[str, Any]
    typed: dict[str, tuple[str, str]] = field(default_factory=dict)

    def shown(self, name: str, value: Any, units: Units) -> Any:
        """A quantity's text for a reader: as it was typed when that was in their unit, else converted."""
        kind = KINDS[name]
        text, sign = self.typed.get(name, ("", ""))
        if text and sign == units.sign(kind) and same(value, text, units, kind):
            return text
        if units.scale(kind).factor == 1.0:
            return value
        try:
            return units.number(kind, float(str(value).replace(",", ".")))
        except ValueError:
            return value

    def entered(self, values: Mapping[str, Any]) -> dict[str, list[str]]:
        """What of it is to be kept with a plan: texts that are still what the values say."""
        return {
            name: [text, sign]
            for name, (text, sign) in self.typed.items()
            if same(values.get(name), text, units_with(KINDS[name], sign), KINDS[name])
        }


def same(value: Any, text: str, units: Units, kind: str) -> bool:
    """Whether a text in some unit is a value in SI."""
    try:
        si = float(str(value))
        return abs(units.read(kind, text) - si) <= SAME * max(1.0, abs(si))
    except (TypeError, ValueError):
        return False


def units_with(kind: str, sign: str) -> Units:
    """Units in which a kind of quantity has a sign."""
    imperial = Units("F", "in", "oz", "qt")
    return imperial if imperial.sign(kind) == sign else SI


def read_written(data: Mapping[str, Any]) -> Written:
    """What an address or a form says; its ``units`` are those its numbers are in, without them SI.

    ``si`` holds what the page had shown, in SI: a number that comes back as it was shown is that one.
    """
    values: dict[str, Any] = {k: data.get(k) for k in data}
    stated = Units.of(str(data.get("units", "")))
    exact = dict(parse_qsl(str(data.get("si", ""))))
    typed = {}
    for name, kind in KINDS.items():
        text = str(values.get(name) or "").strip()
        if not text or "units" not in data:
            continue
        was = exact.get(name, "")
        if was and _shown(was, stated, kind) == text:
            values[name] = was
            continue
        try:
            si = stated.read(kind, text)
        except ValueError:
            continue  # the form says what is wrong with it
        typed[name] = (text, stated.sign(kind))
        values[name] = text.replace(",", ".") if stated.scale(kind).factor == 1.0 else f"{si:.10g}"
    if values.get("serve"):
        values["serve"] = _time(str(values["serve"]))
    return Written(values, typed)


def _shown(si: str, units: Units, kind: str) -> str:
    try:
        return units.number(kind, float(si))
    except ValueError:
        return ""


def _time(text: str) -> str:
    for form in TIMES:
        try:
            return datetime.strptime(text.strip().lower(), form).strftime("%H:%M")
        except ValueError:
            continue
    return text


def stored(entered: Any) -> dict[str, tuple[str, str]]:
    """What was kept with a plan: text and unit by field; what is not of that form is left out."""
    if not isinstance(entered, Mapping):
        return {}
    return {
        name: (pair[0][:20], pair[1])
        for name, pair in entered.items()
        if name in KINDS and isinstance(pair, list) and len(pair) == 2 and all(isinstance(p, str) for p in pair)
    }


def posted(text: str) -> dict[str, tuple[str, str]]:
    """What a form sends along of it, as JSON."""
    try:
        return stored(json.loads(text[:1000]))
    except (ValueError, RecursionError):
        return {}


def exact(values: Mapping[str, Any], units: Units) -> str:
    """What a page shows converted, in SI, for :func:`read`; empty for who reads SI."""
    held = {n: values.get(n) for n, kind in KINDS.items() if units.scale(kind).factor != 1.0}
    return urlencode({n: v for n, v in held.items() if v not in (None, "")})
