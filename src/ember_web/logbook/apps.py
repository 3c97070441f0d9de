"""The log writes a record when the line says that a cook is finished."""

from django.apps import AppConfig


class LogbookConfig(AppConfig):
    """Listens to the line."""

    name = "ember_web.logbook"

    def ready(self) -> None:
        """Connect."""
        from ember_web.line.signals import cook_finished
        from ember_web.logbook.listening import on_finished

        cook_finished.connect(on_finished, dispatch_uid="logbook")
