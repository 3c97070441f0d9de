"""Eggs: how long, for these eggs, here."""
