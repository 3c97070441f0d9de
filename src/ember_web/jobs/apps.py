"""Work beside the requests, as an application: it keeps long jobs."""

from django.apps import AppConfig


class JobsConfig(AppConfig):
    """Has one table of its own; the queue's tables are the library's."""

    name = "ember_web.jobs"
