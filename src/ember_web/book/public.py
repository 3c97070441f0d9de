"""What other places use of the Book."""

from __future__ import annotations

from ember_web.book.queries import book_of, food_choices, house_document, own_food

__all__ = ["book_of", "food_choices", "house_document", "own_food"]
