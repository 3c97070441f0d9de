"""A finding: something a reader should know, with its code, level and source."""

from __future__ import annotations


def finding(code: str, level: str, message: str, source: str) -> dict[str, str]:
    """A finding of the open formats; levels are note, care and stop."""
    return {"code": code, "level": level, "message": message, "source": source}
