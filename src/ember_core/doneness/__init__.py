"""Doneness names and how done each depth has become."""
