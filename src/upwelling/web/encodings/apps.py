from django.apps import AppConfig


class EncodingsConfig(AppConfig):
    """The library of encodings."""

    name = "upwelling.web.encodings"
