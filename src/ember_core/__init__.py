"""Open Ember's core: heat, coast, doneness and safety of a piece of food. No interface code."""

__version__ = "0.1.0"
