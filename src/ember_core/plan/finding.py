"""A finding: something a reader should know, with its code, level and source."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Self

from ember_core.wording.message import Message


class Level(StrEnum):
    """How grave a finding is; a stop takes *met* away."""

    NOTE = "note"
    CARE = "care"
    STOP = "stop"


@dataclass(frozen=True)
class Finding:
    """Something a reader should know.

    Attributes
    ----------
    code : str
        What it is about, for programs; behaviour hangs on it and on the level, never on the sentence.
    level : str
        A :class:`Level`.
    message : Message
        The sentence with its parameters in SI.
    source : str
        Clause and edition, publication, or what of ours it comes from.
    """

    code: str
    level: str
    message: Message
    source: str

    @property
    def params(self) -> Mapping[str, Any]:
        """The sentence's parameters, SI."""
        return self.message.values

    @property
    def stops(self) -> bool:
        """Whether it takes *met* away."""
        return self.level == Level.STOP

    @classmethod
    def of(cls, document: Mapping[str, Any]) -> Self:
        """A finding as :meth:`as_dict` wrote it; a sentence that was kept as plain text stays one."""
        words = document["message"]
        message = words if isinstance(words, Message) else Message("{said}", {"said": str(words)})
        return cls(document["code"], document["level"], message, document["source"])

    def as_dict(self) -> dict[str, str]:
        """As the open formats have it; the message stays one that can be said again."""
        return {"code": self.code, "level": str(self.level), "message": self.message, "source": self.source}
