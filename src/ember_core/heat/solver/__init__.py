"""The compiled solver: one module a step of the method."""
