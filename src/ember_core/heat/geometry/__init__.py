"""Grids and meshes of the shapes."""
