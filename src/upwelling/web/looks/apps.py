from django.apps import AppConfig


class LooksConfig(AppConfig):
    """Pages of the Look library; its models lie with the shots they are given to."""

    name = "upwelling.web.looks"
