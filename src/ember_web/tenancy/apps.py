"""The application that holds kitchens and members."""

from django.apps import AppConfig


class TenancyConfig(AppConfig):
    """Registers the checks of kitchen-owned models."""

    name = "ember_web.tenancy"
    label = "tenancy"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Load the checks."""
        from ember_web.tenancy import checks  # noqa: F401
