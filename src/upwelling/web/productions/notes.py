"""Notes of people on a production, a camera, a shot or a bake, and the questions that are still open."""

from __future__ import annotations

from typing import Any

from django.db import models
from django.utils import timezone

from upwelling.web.common.models import Authored
from upwelling.web.common.requests import Refused

MOST = 2000
KINDS = {"production": "the production", "camera": "a camera", "shot": "a shot", "bake": "a bake"}


ASKED = [("any", "with notes"), ("open", "with open questions")]
"""What a list can be narrowed by."""


class Note(Authored):
    """A note on one thing: ``kind`` of KINDS and its number. ``name`` is what the thing was called when it was written.
    A question is open until someone says it is answered.
    """

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="notes")
    kind = models.CharField(max_length=12, choices=list(KINDS.items()))
    number = models.PositiveIntegerField(default=0)
    name = models.CharField(max_length=255, blank=True)
    text = models.TextField(max_length=MOST)
    question = models.BooleanField(default=False)
    answered = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ("-created", "-pk")
        indexes = (models.Index(fields=("production", "kind", "number")),)

    def __str__(self) -> str:
        return self.text[:60]

    @property
    def is_open(self) -> bool:
        return self.question and self.answered is None


def noted(rows: Any, kind: str, asked: str) -> Any:
    """Those of rows of one kind of thing that have notes (``asked`` is any) or open questions (open); empty: all."""
    if not asked:
        return rows
    notes = Note.objects.filter(kind=kind, production=models.OuterRef("production"), number=models.OuterRef("pk"))
    return rows.filter(models.Exists(notes.filter(question=True, answered=None) if asked == "open" else notes))


def notes_on(production: Any, kind: str, number: int = 0) -> list[Note]:
    """The notes on one thing, the newest first."""
    return list(production.notes.filter(kind=kind, number=number).select_related("created_by"))


def write_note(production: Any, user: Any, about: tuple[str, int, str], text: str, *, question: bool) -> Note:
    """Keeps a note on a thing (kind, number, name); raises Refused for an empty one or one that is too long."""
    kind, number, name = about
    said = text.strip()
    if not said:
        raise Refused("A note needs words.")
    if len(said) > MOST:
        raise Refused(f"A note may have {MOST} characters; this one has {len(said)}. Shorten it, or write two.")
    return Note.objects.create(
        production=production, created_by=user, kind=kind, number=number, name=name[:255], text=said, question=question
    )


def answer(note: Note, *, answered: bool) -> None:
    """Says that a question is answered, or open again."""
    Note.objects.filter(pk=note.pk).update(answered=timezone.now() if answered else None)
