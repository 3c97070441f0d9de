"""The place of a kitchen's own matters: its people, stations, gear and services."""

from django.apps import AppConfig


class KitchensConfig(AppConfig):
    """Its pages and tables."""

    name = "ember_web.kitchens"
    label = "kitchens"
