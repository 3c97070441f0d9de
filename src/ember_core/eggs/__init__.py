"""Eggs: what is wanted of them, when they come to it, and the ways to get there."""
