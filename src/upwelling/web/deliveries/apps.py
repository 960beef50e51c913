from django.apps import AppConfig


class DeliveriesConfig(AppConfig):
    """Files that are handed out: ordered, rendered in the background, proved, kept with what they were made from."""

    name = "upwelling.web.deliveries"

    def ready(self) -> None:
        """Deliveries made from the settings of a bake keep it from being removed."""
        from upwelling.web.bakes.services import CITING
        from upwelling.web.deliveries.citing import deliveries_from

        if deliveries_from not in CITING:
            CITING.append(deliveries_from)
