from django.apps import AppConfig


class MatchesConfig(AppConfig):
    """Matching many shots at once: what is proposed for each, and what was accepted."""

    name = "upwelling.web.matches"
