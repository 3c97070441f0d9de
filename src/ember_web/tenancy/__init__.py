"""Kitchens, their members, and what belongs to a kitchen: models, keys, access, actors, actions."""
