from django.apps import AppConfig


class MeasuringConfig(AppConfig):
    """Cameras that are in no list, measured from pictures of a chart and of greys."""

    name = "upwelling.web.measuring"
