from django.apps import AppConfig


class DeliveriesConfig(AppConfig):
    """Files that are handed out: ordered, rendered in the background, proved, kept with what they were made from."""

    name = "upwelling.web.deliveries"
