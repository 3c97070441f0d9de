"""Messages: a sentence of the catalogue with the values in it, said in any language and any units.

Wherever the core says something, it says a :class:`Message`. As text it is English with SI units, which is what the
command line and the open formats write. It remembers its template, which is the key of the gettext catalogue, and its
values in SI, from which a :class:`Speaker` makes the same sentence for another reader.

Fields of a template are plain names. Behind the colon stands a kind of quantity, with a digit for its decimals
(``{core:temp1}``), or one of Python's own format specifications. A value may itself be a message, or a list of them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from string import Formatter
from typing import Any, Self

from ember_core.wording.quantities import KINDS, SI, Translate, Units, span

_PLAIN = re.compile(r",?(\.\d)?[dfgs]?")  # no widths: a template cannot ask for a long text


class Message(str):
    """A sentence with what it was made of; equal to its English text."""

    template: str
    values: Mapping[str, Any]

    def __new__(cls, template: str, values: Mapping[str, Any] | None = None) -> Self:
        """Make the sentence; raises KeyError for a field without a value."""
        held = dict(values or {})
        made = super().__new__(cls, _compose(template, held, ENGLISH))
        made.template, made.values = template, held
        return made

    def __getnewargs__(self) -> tuple[str, Mapping[str, Any]]:  # type: ignore[override]  # copies and pickles call __new__ with both
        """For copies and pickles."""
        return self.template, self.values


@dataclass(frozen=True)
class Speaker:
    """Makes sentences for one reader: their language, as what finds a template's translation, and their units."""

    translate: Translate = str
    units: Units = SI

    def say(self, text: str) -> str:
        """A message in this reader's language and units; other text as it is."""
        if not isinstance(text, Message):
            return text
        try:
            return _compose(_in_units(self.translate(text.template), self.units), text.values, self)
        except (KeyError, ValueError, IndexError):  # a translation that asks for what is not there
            return _compose(text.template, text.values, self)

    def quantity(self, kind: str, value: float, decimals: int | None = None) -> str:
        """A quantity with its unit; ``span`` and ``hours`` are durations in s, ``degrees`` a temperature and ``difference`` one of two,
        without unit.
        """
        if kind in {"span", "hours"}:  # hours: in what earlier versions wrote
            return span(value, self.translate)
        if kind == "degrees":  # the first of two temperatures: the unit stands behind the second
            return self.units.number("temp", value, decimals)
        if kind == "difference":  # beside a temperature that has the unit
            return self.units.number("rise", value, decimals)
        return self.units.shown(kind, value, decimals)


# what a clause's own words state in SI: a temperature, two of them, a mass, a length
_STATED = re.compile(
    r"(?:(?P<low>-?\d+(?:\.\d+)?)(?P<to> [^\W\d]+ ))?(?P<value>-?\d+(?:\.\d+)?) (?P<unit>°C|kg|mm)(?!\w)"
)
_OF_SIGN = {"°C": ("temp", 1.0), "kg": ("mass", 1000.0), "mm": ("length", 1.0)}


def _in_units(template: str, units: Units) -> str:
    """A template with the quantities that are written out in it in a reader's units; those in its fields come later."""

    def shown(match: re.Match[str]) -> str:
        kind, times = _OF_SIGN[match["unit"]]
        if units.scale(kind).factor == 1.0:
            return match[0]
        first = ""
        digits = 0 if kind == "temp" and "." not in match[0] else None  # whole °C stand for no less than a whole °F
        if match["low"]:  # a range: only its end has the unit
            low = float(match["low"]) * times
            first = (units.number(kind, low, digits) if kind != "mass" else units.shown(kind, low)) + match["to"]
        return first + units.shown(kind, float(match["value"]) * times, digits)

    return _STATED.sub(shown, template)


class _Compose(Formatter):
    """Fills a template's fields for a speaker; fields are plain names, so that no template reaches into an object."""

    def __init__(self, speaker: Speaker) -> None:
        self.speaker = speaker

    def get_field(self, field_name: str, args: Sequence[Any], kwargs: Mapping[str, Any]) -> Any:
        if field_name not in kwargs:
            raise KeyError(field_name)
        return kwargs[field_name], field_name

    def format_field(self, value: Any, format_spec: str) -> str:
        if isinstance(value, (list, tuple)):
            return ", ".join(self.format_field(v, format_spec) for v in value)
        if isinstance(value, str):
            if format_spec:
                raise ValueError(f"A text takes no {format_spec!r}.")
            return str(self.speaker.say(value))
        kind = format_spec.rstrip("0123456789")
        if kind not in KINDS:
            if not _PLAIN.fullmatch(format_spec):
                raise ValueError(f"{format_spec!r} is no way to write a number here.")
            return format(value, format_spec)
        decimals = format_spec[len(kind) :]
        return self.speaker.quantity(kind, float(value), int(decimals) if decimals else None)


def _compose(template: str, values: Mapping[str, Any], speaker: Speaker) -> str:
    return _Compose(speaker).vformat(template, (), values)


ENGLISH = Speaker()


def say(template: str, **values: Any) -> Message:
    """A message; the template is looked up in the catalogue when it is said in another language."""
    return Message(template, values)


def join_sentences(parts: Sequence[str], between: str = " ") -> Message:
    """Several sentences as one, each still a message of its own; empty ones are left out."""
    kept = [p for p in parts if p]
    fields = between.join(f"{{p{i}}}" for i in range(len(kept)))
    return Message(fields, {f"p{i}": p for i, p in enumerate(kept)})


def mentions(whole: str, part: str) -> bool:
    """Whether a message is another, or has it among its values, at any depth; by what they are made of, not by their letters."""
    if whole == part:
        return True
    if not isinstance(whole, Message):
        return False
    for value in whole.values.values():
        each = value if isinstance(value, (list, tuple)) else [value]
        if any(isinstance(v, str) and mentions(v, part) for v in each):
            return True
    return False


def either(parts: Sequence[Message]) -> Message:
    """One or another of several: *a*, *a or b*, *a or b or c*."""
    first, *others = parts
    return say("{first} or {others}", first=first, others=either(others)) if others else first


def N_(template: str) -> str:
    """Marks a template for the catalogue where it is not written into :func:`say` itself."""
    return template


def packed(tree: Any) -> Any:
    """A document with its messages as ``{"say": template, "with": values}``, to be kept as JSON and said again later."""
    if isinstance(tree, Message):
        return {"say": tree.template, "with": {k: packed(v) for k, v in tree.values.items()}}
    if isinstance(tree, Mapping):
        return {k: packed(v) for k, v in tree.items()}
    if isinstance(tree, (list, tuple)):
        return [packed(v) for v in tree]
    return tree


def unpacked(tree: Any) -> Any:
    """A document as it was before :func:`packed`; what cannot be made into its sentence stays as it is."""
    if isinstance(tree, Mapping):
        if tree.keys() == {"say", "with"} and isinstance(tree["say"], str) and isinstance(tree["with"], Mapping):
            try:
                return Message(tree["say"], {k: unpacked(v) for k, v in tree["with"].items()})
            except (KeyError, ValueError, IndexError, TypeError):
                return tree
        return {k: unpacked(v) for k, v in tree.items()}
    if isinstance(tree, (list, tuple)):
        return [unpacked(v) for v in tree]
    return tree


def spoken(tree: Any, speaker: Speaker = ENGLISH) -> Any:
    """A document with every message said by a speaker, as plain text."""
    if isinstance(tree, str):
        return str(speaker.say(tree)) if isinstance(tree, Message) else tree
    if isinstance(tree, Mapping):
        return {k: spoken(v, speaker) for k, v in tree.items()}
    if isinstance(tree, (list, tuple)):
        if all(type(v) is float or type(v) is int for v in tree):  # long rows of numbers, which say nothing
            return list(tree)
        return [spoken(v, speaker) for v in tree]
    return tree
