"""What people say of a production, a camera, a bake, a shot or one frame of it, and what came of what they asked."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.db import models
from django.utils import timezone

from upwelling.web.common.models import Authored
from upwelling.web.common.requests import Refused

MOST = 2000
KINDS = {"production": "the production", "camera": "a camera", "shot": "a shot", "bake": "a bake"}
ASKED = [("any", "with remarks"), ("open", "with open remarks"), ("answered", "with answers to tick off")]
"""What a list can be narrowed by."""


class Remark(Authored):
    """A remark on one thing: ``kind`` of KINDS and its number; ``name`` is what the thing was called then.

    One that asks for something (``question``) is open until it is answered, and done when who asked ticks it off. Of a
    frame it holds where in the picture (``place``), and what was seen: ``seen`` begins the fingerprint of its path,
    ``settings_then`` are the shot's. A reply hangs on the remark that began the thread.
    """

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="remarks")
    thread = models.ForeignKey("self", null=True, on_delete=models.CASCADE, related_name="replies")
    kind = models.CharField(max_length=12, choices=list(KINDS.items()))
    number = models.PositiveIntegerField(default=0)
    name = models.CharField(max_length=255, blank=True)
    text = models.TextField(max_length=MOST)
    question = models.BooleanField(default=False)
    answered = models.DateTimeField(null=True, blank=True)
    answered_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    answer = models.CharField(max_length=300, blank=True)
    """What had been changed when it was answered, in words."""
    ticked = models.DateTimeField(null=True, blank=True)
    frame = models.PositiveIntegerField(null=True)
    place = models.JSONField(null=True)
    output = models.CharField(max_length=80, blank=True)
    seen = models.CharField(max_length=12, blank=True)
    settings_then = models.JSONField(null=True)
    guest = models.CharField(max_length=60, blank=True)
    """The name that somebody without an account gave, to whom it was shown."""
    guest_until = models.DateTimeField(null=True)
    """How long that person can come back to it."""

    class Meta:
        ordering = ("-created", "-pk")
        indexes = (models.Index(fields=("production", "kind", "number")),)

    def __str__(self) -> str:
        return self.text[:60]

    @property
    def state(self) -> str:
        """``said`` (asks for nothing), ``open``, ``answered`` or ``done``."""
        if not self.question:
            return "said"
        return "done" if self.ticked else "answered" if self.answered else "open"

    @property
    def said_by(self) -> str:
        """Who said it."""
        return f"{self.guest} (guest)" if self.guest else str(self.created_by or "someone")

    @property
    def asker_is_gone(self) -> bool:
        """Whether nobody is left who asked for it: the account is gone, or the guest's showing is over."""
        if self.guest_until is not None:
            return self.guest_until <= timezone.now()
        return self.created_by is None

    @property
    def is_open(self) -> bool:
        return self.state == "open"


_IN = {"any": {}, "open": {"question": True, "answered": None}}
_IN["answered"] = {"question": True, "answered__isnull": False, "ticked": None}


def in_state(remarks: Any, asked: str) -> Any:
    """Those that began a thread and are in a state of ASKED."""
    return remarks.filter(thread=None, **_IN.get(asked, {}))


def remarked(rows: Any, kind: str, asked: str) -> Any:
    """Those of rows of one kind of thing that have remarks in a state of ASKED; empty: all."""
    if not asked:
        return rows
    remarks = Remark.objects.filter(kind=kind, production=models.OuterRef("production"), number=models.OuterRef("pk"))
    return rows.filter(models.Exists(in_state(remarks, asked)))


def remarks_on(production: Any, kind: str, number: int = 0) -> list[Remark]:
    """The remarks on one thing that began a thread, the newest first, with their replies."""
    begun = production.remarks.filter(kind=kind, number=number, thread=None)
    return list(begun.select_related("created_by", "answered_by").prefetch_related("replies__created_by"))


def open_on(production: Any, kind: str, numbers: Any) -> dict[int, int]:
    """How many open remarks there are on each of the things of a kind that have any."""
    found = in_state(production.remarks.filter(kind=kind, number__in=numbers), "open")
    return dict(found.order_by().values_list("number").annotate(models.Count("pk")))


def write_remark(
    production: Any, user: Any, about: tuple[str, int, str], text: str, *, question: bool, **of_frame: Any
) -> Remark:
    """Keeps a remark on a thing (kind, number, name); raises Refused for an empty one or one that is too long."""
    kind, number, name = about
    said = text.replace("\0", "").strip()
    if not said:
        raise Refused("A remark needs words.")
    if len(said) > MOST:
        raise Refused(f"A remark may have {MOST} characters; this one has {len(said)}. Shorten it, or write two.")
    row = {"kind": kind, "number": number, "name": name[:255], "text": said, "question": question}
    return Remark.objects.create(production=production, created_by=user, **row, **of_frame)


def reply(remark: Remark, user: Any, text: str, **by: Any) -> Remark:
    """Keeps a reply in the thread of a remark; ``by`` names a guest. Raises Refused."""
    head = remark.thread or remark
    about = (head.kind, head.number, head.name)
    return write_remark(head.production, user, about, text, question=False, thread=head, **by)


def allowed(remark: Remark, user: Any, *, changes: bool) -> set[str]:
    """What a person may do with a remark: technicians answer, who asked ticks off and opens again; ``changes`` says
    whether the person is a technician.
    """
    own = remark.created_by == user or (changes and remark.asker_is_gone)
    may = {"remove"} if own or changes else set()
    if remark.state == "open" and changes:
        may.add("answered")
    if remark.state in ("open", "answered") and own:
        may.add("tick")
    if remark.state in ("answered", "done") and (own or changes):
        may.add("open")
    return may


def settle(remark: Remark, user: Any, what: str, *, changes: bool, words: str = "") -> None:
    """Answers, ticks off, opens again or removes; ``words`` say what an answer has changed. Raises Refused."""
    if what not in allowed(remark, user, changes=changes):
        raise Refused(_WHY.get(what, "There is nothing of that kind to do with a remark. Reload the page."))
    now = timezone.now()
    if what == "remove":
        remark.delete()
        return
    if what == "open":
        remark.answered = remark.ticked = remark.answered_by = None
        remark.answer = ""
    elif what == "answered":
        remark.answered, remark.answered_by, remark.answer = now, user, words[:300]
    else:
        remark.ticked, remark.answered = now, remark.answered or now
    remark.save()


_WHY = {
    "answered": "It is answered already, or answering is a technician’s. Reload the page.",
    "tick": "Who asked for it ticks it off.",
    "open": "Who asked, or a technician, opens what is answered again. Reload the page.",
    "remove": "Who wrote it, or a technician, removes it.",
}
