"""A JSON field that keeps what the core said, so that it can be said again for another reader."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.db import models

from ember_core.wording.message import packed, unpacked


class SaidField(models.JSONField):
    """JSON in which the core's messages keep their template and values.

    Parameters
    ----------
    foreign : tuple of str
        Keys at the top that hold what others wrote, such as a plan file: kept as they are, never read as messages.
    """

    def __init__(self, *args: Any, foreign: tuple[str, ...] = (), **kwargs: Any) -> None:
        self.foreign = foreign
        super().__init__(*args, **kwargs)

    def deconstruct(self) -> Any:
        """For migrations."""
        name, path, args, kwargs = super().deconstruct()
        return name, path, args, {**kwargs, **({"foreign": self.foreign} if self.foreign else {})}

    def _each(self, tree: Any, make: Callable[[Any], Any]) -> Any:
        if isinstance(tree, Mapping) and self.foreign:
            return {k: v if k in self.foreign else make(v) for k, v in tree.items()}
        return make(tree)

    def get_db_prep_value(self, value: Any, connection: Any, prepared: bool = False) -> Any:
        """To the database."""
        return super().get_db_prep_value(self._each(value, packed), connection, prepared)

    def from_db_value(self, value: Any, expression: Any, connection: Any) -> Any:
        """From the database."""
        return self._each(super().from_db_value(value, expression, connection), unpacked)
