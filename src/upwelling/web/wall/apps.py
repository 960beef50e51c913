from django.apps import AppConfig


class WallConfig(AppConfig):
    """Shots of a scene side by side, what does not belong, and the way to mend it."""

    name = "upwelling.web.wall"
