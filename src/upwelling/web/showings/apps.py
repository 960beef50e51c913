from django.apps import AppConfig


class ShowingsConfig(AppConfig):
    """What is shown to people without an account: frames or a cut, fixed, through a signed link that ends."""

    name = "upwelling.web.showings"
