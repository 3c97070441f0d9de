"""The place of a kitchen's own matters; it has no tables."""

from django.apps import AppConfig


class KitchensConfig(AppConfig):
    """Brings the management commands."""

    name = "ember_web.kitchens"
    label = "kitchen_place"
