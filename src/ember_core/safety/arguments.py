"""Checks of the arguments that go with a log."""

from __future__ import annotations

from ember_core.book.foods import food_row
from ember_core.data.loader import read_toml
from ember_core.errors import InputError, ValueRangeError
from ember_core.safety.forms import requirement
from ember_core.safety.rules import profiles
from ember_core.wording.message import say

MOST_PROBE_ERROR_C = 10.0


def forms() -> tuple[str, ...]:
    """Every form that a piece may be judged as."""
    return tuple(sorted({form for allowed in read_toml("forms.toml")["forms"].values() for form in allowed}))


def check_arguments(rules: str, food: str, form: str | None, probe_error_c: float) -> None:
    """Raise an InputError naming the argument when one cannot be used."""
    if rules not in profiles():
        raise InputError(
            say("Unknown rules {rules!r}; choose one of {choices}.", rules=rules, choices=", ".join(profiles())),
            path="--rules",
            code="choice",
        )
    if form is not None and form not in forms():
        raise InputError(
            say("Unknown form {form!r}; choose one of {choices}.", form=form, choices=", ".join(forms())),
            path="--form",
            code="choice",
        )
    if food_row(food) is None:
        raise InputError(say("Unknown food {food!r}; see the food table.", food=food), path="--food", code="choice")
    if not 0 <= probe_error_c <= MOST_PROBE_ERROR_C:
        raise ValueRangeError(
            say("--probe-error-c is {probe_error_c:g}; give 0 to 10.", probe_error_c=probe_error_c),
            path="--probe-error-c",
        )
    requirement(food_row(food), form, path="--form")


def check_thickness(thickness_mm: float | None) -> None:
    """Raise a ValueRangeError when a stated thickness is none that a piece has."""
    if thickness_mm is not None and not 1 <= thickness_mm <= 400:
        raise ValueRangeError(
            say("--thickness-mm is {thickness_mm:g}; give 1 to 400.", thickness_mm=thickness_mm), path="--thickness-mm"
        )
