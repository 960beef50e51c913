from django.apps import AppConfig


class BakesConfig(AppConfig):
    """Bakes and certificates."""

    name = "upwelling.web.bakes"
