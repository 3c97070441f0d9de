"""Plan as an application: what it offers to the workers."""

from django.apps import AppConfig


class PlansConfig(AppConfig):
    """Registers its long jobs."""

    name = "ember_web.plans"

    def ready(self) -> None:
        """Register."""
        from ember_web.jobs.long import register_kind
        from ember_web.plans.times import KIND, compute_table

        register_kind(KIND, compute_table)
