"""What the line gives to the shell and to other places."""

from django.apps import AppConfig


class LineConfig(AppConfig):
    """Registers the strip, the probes and the clock."""

    name = "ember_web.line"

    def ready(self) -> None:
        """Register."""
        from ember_web.line.clock import clock_state, tend_clock
        from ember_web.line.media import start_choices
        from ember_web.line.queries import free_probes, probes_of
        from ember_web.line.strip import strip_marks
        from ember_web.ui.registry import CLOCK, FREE_PROBES, PROBES, START_CHOICES, STRIP, TEND_CLOCK, provide

        provide(STRIP, strip_marks)
        provide(FREE_PROBES, free_probes)
        provide(START_CHOICES, start_choices)
        provide(PROBES, probes_of)
        provide(CLOCK, clock_state)
        provide(TEND_CLOCK, tend_clock)
