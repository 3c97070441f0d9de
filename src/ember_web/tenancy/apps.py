"""The application that holds kitchens and members; its label is the name its tables have had from the start."""

from django.apps import AppConfig


class TenancyConfig(AppConfig):
    """Registers the checks of kitchen-owned models."""

    name = "ember_web.tenancy"
    label = "kitchens"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Load the checks."""
        from ember_web.tenancy import checks  # noqa: F401
