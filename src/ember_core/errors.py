"""Errors of the core. Each carries a code, the place in the input, and a message that says what to do.

EmberError
 ├─ InputError          something in a plan, log or argument cannot be used
 │   ├─ FormatError     not the file it should be (JSON, CSV, unknown key, wrong type)
 │   └─ ValueRangeError a value outside what is physically sensible
 └─ ComputationError    the numerical method gave up
"""

from __future__ import annotations


class EmberError(Exception):
    """Base of all errors raised on purpose by the core."""

    code = "error"

    def __init__(self, message: str, *, path: str = "", code: str | None = None) -> None:
        super().__init__(message)
        self.message = message
        self.path = path
        if code:
            self.code = code

    def as_dict(self) -> dict[str, dict[str, str]]:
        """The error object of the open formats."""
        return {"error": {"code": self.code, "message": self.message, "path": self.path}}


class InputError(EmberError):
    """The input cannot be used as it is."""

    code = "input"


class FormatError(InputError):
    """The input does not have the form the format asks for."""

    code = "format"


class ValueRangeError(InputError):
    """A value lies outside the accepted range."""

    code = "range"


class ComputationError(EmberError):
    """The method did not converge; the message says in which stage."""

    code = "computation"
