from django.apps import AppConfig


class FootageConfig(AppConfig):
    """Shots."""

    name = "upwelling.web.footage"
