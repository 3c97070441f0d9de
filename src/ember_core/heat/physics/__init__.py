"""Properties of food, boiling, and what surrounds a piece."""
