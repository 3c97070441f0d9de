"""The use cases: a plan computed, its moves, what would make it work, rules of thumb."""
