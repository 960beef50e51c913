from django.apps import AppConfig


class CareConfig(AppConfig):
    """Looking after productions: what they are, archive and removal, copies as templates, hand-over."""

    name = "upwelling.web.care"

    def ready(self) -> None:
        """Productions whose time is over go when leftovers are swept."""
        from upwelling.web.care import lifecycle  # noqa: F401
