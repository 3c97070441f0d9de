"""The commands that are given at the machine."""
