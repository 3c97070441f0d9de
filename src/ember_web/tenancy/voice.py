"""In which language and units a request is answered.

A :class:`Voice` is a value; the current one stands in a context variable while a view runs, so that templates, forms and
messages find it. Whoever is not known speaks the browser's language (of those there are) and SI.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from django.conf import settings
from django.utils import translation

from ember_core.wording.message import Speaker, say
from ember_core.wording.quantities import SI, Units


@dataclass(frozen=True)
class Voice:
    """A language, by its code, and units."""

    language: str = "en"
    units: Units = SI

    @cached_property
    def speaker(self) -> Speaker:
        """What says the core's messages; to be used where the language is the active one."""
        return Speaker(translation.gettext, self.units)

    @contextmanager
    def speaking(self) -> Iterator[Voice]:
        """Within it this is the current voice, and its language the active one."""
        token = _current.set(self)
        try:
            with translation.override(self.language):
                yield self
        finally:
            _current.reset(token)

    def say(self, text: str) -> str:
        """A message of the core, or a word of the data, for this reader."""
        return self.speaker.say(text) if hasattr(text, "template") else translation.gettext(text) if text else ""


_current: ContextVar[Voice | None] = ContextVar("voice", default=None)
ENGLISH = Voice()


def current() -> Voice:
    """The voice of the request that is being answered; without one, the active language and SI."""
    return _current.get() or Voice(translation.get_language() or settings.LANGUAGE_CODE)


def voice_of(user: Any) -> Voice:
    """The voice of a person; of nobody, what the browser asks for."""
    found = translation.get_language() or settings.LANGUAGE_CODE
    if not getattr(user, "is_authenticated", False):
        return Voice(found)
    known = {code for code, _ in settings.LANGUAGES}
    return Voice(user.language if user.language in known else found, user.units)


def tell(template: str, **values: Any) -> str:
    """A sentence of the catalogue for whoever is answered now."""
    return current().say(say(template, **values))
