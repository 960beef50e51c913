from django.apps import AppConfig


class JobsConfig(AppConfig):
    """Background work, progress, cancel."""

    name = "upwelling.web.jobs"
