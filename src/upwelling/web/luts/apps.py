from django.apps import AppConfig


class LutsConfig(AppConfig):
    """Lookup tables brought in, and the inspector."""

    name = "upwelling.web.luts"
