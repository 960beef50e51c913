from django.apps import AppConfig


class ProductionsConfig(AppConfig):
    """Productions, their rules and members."""

    name = "upwelling.web.productions"
