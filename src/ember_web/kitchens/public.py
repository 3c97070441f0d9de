"""What other places use of a kitchen's own matters."""

from __future__ import annotations

from ember_web.kitchens.kitchen_page import refused
from ember_web.kitchens.people import locked_names
from ember_web.kitchens.trail_words import ACTION_WORDS

__all__ = ["ACTION_WORDS", "locked_names", "refused"]
