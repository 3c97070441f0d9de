"""A kitchen as a place: its home, clock, people and health."""
