from django.apps import AppConfig


class BenchConfig(AppConfig):
    """The Bench."""

    name = "upwelling.web.bench"
