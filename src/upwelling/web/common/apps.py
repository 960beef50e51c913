from django.apps import AppConfig


class CommonConfig(AppConfig):
    """What all pages share."""

    name = "upwelling.web.common"
