from django.apps import AppConfig


class ProductionsConfig(AppConfig):
    """Productions, their rules and members."""

    name = "upwelling.web.productions"

    def ready(self) -> None:
        """Each sign-in keeps from where it was."""
        from django.contrib.auth.signals import user_logged_in

        from upwelling.web.productions.accounts import note_sign_in

        user_logged_in.connect(note_sign_in, dispatch_uid="note-sign-in")
