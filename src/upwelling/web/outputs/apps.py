from django.apps import AppConfig


class OutputsConfig(AppConfig):
    """Outputs, renderings compared, and the simulated monitor."""

    name = "upwelling.web.outputs"
