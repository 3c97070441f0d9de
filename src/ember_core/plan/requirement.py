"""What a piece is judged as."""

from __future__ import annotations

from dataclasses import dataclass

from ember_core.plan.finding import Finding

JUICELESS = frozenset({"plant", "egg-now", "egg-later"})  # forms of which the curve of water held says nothing


@dataclass(frozen=True)
class Requirement:
    """What a piece is judged as.

    Attributes
    ----------
    form : str
        The regulatory form, as stated or as the food has it; ``unknown`` when nothing says it.
    forms : tuple of str
        The forms whose clauses must all be met.
    species : str or None
        Of the food table; None when no food is named.
    whole : bool
        Whole muscle and intact: no offal, and nothing was done to it that opens it.
    notes : tuple of finding
        What a reader should know about it.
    breast : bool
        A whole, intact breast of a bird, as the book has the cut.
    """

    form: str
    forms: tuple[str, ...]
    species: str | None
    whole: bool
    notes: tuple[Finding, ...] = ()
    breast: bool = False

    @property
    def is_animal(self) -> bool:
        """Whether animal food is, or may be, in it: not of a vegetable as it is, but of one with a filling that nobody names."""
        return self.species != "plant" or set(self.forms) != {"plant"}
