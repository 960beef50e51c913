"""A first pass: somebody's walk over many shots with a few controls under the hand."""

from __future__ import annotations

from typing import Literal

from django.conf import settings
from django.db import models

from upwelling.web.productions.models import Production

Said = Literal["good", "later"]


class FirstPass(models.Model):
    """Shots in the order of the walk, what was said of each so far, and the controls chosen for it; one for each person
    and production.
    """

    production = models.ForeignKey(Production, on_delete=models.CASCADE, related_name="first_passes")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    numbers = models.JSONField(default=list)
    said = models.JSONField(default=dict)
    """By the shot's number as text: good, later, or cannot for what could not be worked at as it began."""
    controls = models.JSONField(default=list)
    is_open = models.BooleanField(default=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("production", "user"), name="one_first_pass_a_person"),)

    def __str__(self) -> str:
        return f"{self.user}'s first pass"

    def next_after(self, pk: int) -> int | None:
        """The next shot that nothing was said of, after one and then from the beginning; None when none is left."""
        at = self.numbers.index(pk) if pk in self.numbers else -1
        around = [*self.numbers[at + 1 :], *self.numbers[: max(at, 0)]]
        return next((one for one in around if str(one) not in self.said), None)

    def before(self, pk: int) -> int | None:
        """The shot before one in the row."""
        at = self.numbers.index(pk) if pk in self.numbers else 0
        return self.numbers[at - 1] if at else None
