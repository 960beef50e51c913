"""The record of a production: who did what to it, and when. One row a change; the same again within a while is counted
in the row that is there.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta
from typing import TYPE_CHECKING, Any

from django.conf import settings
from django.db import models
from django.utils import timezone

if TYPE_CHECKING:
    from upwelling.web.productions.models import Production

TOGETHER = timedelta(minutes=10)
"""Within this long the same change of the same thing by the same person is one row, with a count."""
DONE = {
    "rules": "rules saved",
    "rules-back": "rules changed back",
    "numbers-seen": "new numbers taken note of",
    "upload": "file handed in",
    "register": "folder registered",
    "change": "shots changed in Intake",
    "proposal": "camera made as proposed",
    "camera": "camera changed",
    "remove-camera": "camera removed",
    "change-correction": "camera's correction changed",
    "match-camera": "camera matched",
    "settle": "encoding settled",
    "take-alike": "encoding settled",
    "begin-anew": "settings begun anew",
    "mark-chart": "chart marked",
    "make-shots": "shots split",
    "torture-chart": "torture chart added",
    "save": "settings changed",
    "save-layer": "layer changed",
    "manage-layer": "version of a layer brought back",
    "undo-layer": "change of a layer taken back",
    "redo-layer": "change of a layer made again",
    "move-step": "step moved between shot and layer",
    "undo": "change taken back",
    "redo": "change made again",
    "history": "gone back in the history",
    "change-marks": "Marks changed",
    "mark-region": "what a region is marked",
    "stand": "frame that stands for the shot changed",
    "give": "steps given",
    "take-back": "given steps taken back",
    "give-match": "match given to the camera",
    "first-pass": "first pass begun",
    "say-of-pass": "said of a shot in the first pass",
    "leave-pass": "first pass left",
    "references": "shelf changed",
    "shelve": "frame put on the shelf",
    "match-many": "shots matched",
    "own-encodings": "encoding defined",
    "remove-encoding": "encoding removed",
    "people": "members changed",
    "about": "production changed",
    "remark": "remark written",
    "remark-at-frame": "remark written",
    "copy": "copied as a template",
    "new-showing": "showing made",
    "change-showing": "showing changed",
}
"""What a change at an address is called; others are called by their address's name."""
BY_COMMAND, BY_GUEST = " by command", " by a guest"
BY = {BY_COMMAND: "the command line", BY_GUEST: "a guest of a showing"}
"""How the words end of what the command line did, which knows no person."""


class Entry(models.Model):
    """Someone's change of something, ``count`` times. ``about`` is the thing's name then; things may go, rows stay."""

    production = models.ForeignKey("productions.Production", on_delete=models.CASCADE, related_name="record")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    what = models.CharField(max_length=80)
    about = models.CharField(max_length=160, blank=True)
    said = models.TextField(blank=True)
    """What differed, a line each, “name: before → after”; empty where nobody said."""
    began = models.DateTimeField(default=timezone.now)
    last = models.DateTimeField(default=timezone.now)
    count = models.PositiveIntegerField(default=1)

    class Meta:
        ordering = ("-last", "-pk")
        indexes = (models.Index(fields=("production", "-last")),)

    def __str__(self) -> str:
        return f"{self.by}: {self.what} {self.about}".strip()

    @property
    def by(self) -> str:
        """Who it was, for a page."""
        if self.user is None:
            return next((by for end, by in BY.items() if self.what.endswith(end)), "an account that is gone")
        return str(self.user)


def words_for(address: str) -> str:
    """What a change at an address of that name is called."""
    return DONE.get(address) or address.replace("-", " ")


MOST_LINES, LONGEST_LINE = 40, 400


def together(old: Sequence[str], new: Sequence[str]) -> list[str]:
    """Two lists of differences as one, the second made after the first: from 0.3 to 0.4 and on to 0.5 is from 0.3 to
    0.5, and what came back to where it was is no difference.
    """
    found: dict[str, tuple[str, str]] = {}
    for line in (*old, *new):
        name, _, values = line.partition(": ")
        before, arrow, after = values.partition(" → ")
        first = found.get(name, (before, ""))[0] if arrow else line
        found[name if arrow else line] = (first, after if arrow else "")
    return [f"{name}: {first} → {last}" if last else first for name, (first, last) in found.items() if first != last]


def _listed(lines: Sequence[str]) -> str:
    """Differences for a row, so many of them; how many are not named is said."""
    named, more = [line[:LONGEST_LINE] for line in lines[:MOST_LINES]], len(lines) - MOST_LINES
    return "\n".join([*named, f"and {more} more"] if more > 0 else named)


def enter(production: Production, user: Any, what: str, about: str = "", said: Sequence[str] = ()) -> None:
    """Notes a change, with what differed a line each; the same as the last row of the production, a short while ago, is
    counted there. ``user`` is None for what was done on the command line, which knows no person.
    """
    now = timezone.now()
    last = Entry.objects.filter(production=production).first()
    same = last is not None and (last.user, last.what, last.about) == (user, what[:80], about[:160])
    if last is not None and same and now - last.last < TOGETHER:
        lines = _listed(together(last.said.splitlines(), said))
        Entry.objects.filter(pk=last.pk).update(last=now, count=models.F("count") + 1, said=lines)
    else:
        new = {"what": what[:80], "about": about[:160], "said": _listed(said)}
        Entry.objects.create(production=production, user=user, began=now, last=now, **new)
