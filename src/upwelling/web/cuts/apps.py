from django.apps import AppConfig


class CutsConfig(AppConfig):
    """Editors' cuts: their events, and which shots they are of."""

    name = "upwelling.web.cuts"
