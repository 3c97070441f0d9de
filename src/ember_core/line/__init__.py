"""The live cook: an append-only list of events and the state folded from it."""
