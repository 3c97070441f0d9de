"""Django: thin pages over the core."""
