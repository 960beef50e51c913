"""Reading a card: all its files with its sub-folders, how far that is, what was found, and taking it up again."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from pathlib import Path as FilePath
from typing import Any

from django.db import transaction
from django.utils import timezone

from upwelling.web.common.requests import Refused
from upwelling.web.footage.arrivals import OVER, queue_runs, take_up_again
from upwelling.web.footage.card_models import Card
from upwelling.web.footage.folders import MOST_SHOTS, files_below, folder_at, media_folder, roots_of, runs_of, shown
from upwelling.web.footage.models import Arrival
from upwelling.web.productions.models import Production


@transaction.atomic
def read_card(production: Production, user: Any, relative: str) -> Card:
    """Queues every file and numbered run of a folder and of those in it; raises Refused where there is none.

    A card that was read before is taken up again: what is new on it is added.
    """
    place = folder_at(production, relative)
    files = files_below(place, roots_of(production))
    if not files:
        raise Refused(f"The folder “{shown(place.name)}” and those in it hold no footage.")
    runs = [run for group in _by_folder(files) for run in runs_of(group)]
    if len(runs) > MOST_SHOTS:
        raise Refused(
            f"“{shown(place.name)}” would become {len(runs)} shots; at most {MOST_SHOTS} are read at once. Read its "
            "folders one by one."
        )
    folder = str(place.relative_to(media_folder()))
    card, _ = Card.objects.get_or_create(
        production=production, folder=folder, defaults={"name": shown(place.name)[:120], "created_by": user}
    )
    known = set(card.arrivals.values_list("place", flat=True))
    queue_runs(production, user, [run for run in runs if str(run[0].relative_to(media_folder())) not in known], card)
    take_up(card)
    return card


def _by_folder(files: list[FilePath]) -> list[list[FilePath]]:
    folders: dict[FilePath, list[FilePath]] = {}
    for file in files:
        folders.setdefault(file.parent, []).append(file)
    return list(folders.values())


def take_up(card: Card) -> int:
    """Queues again what could not be read, and what waits for nobody; gives how many. Raises Refused while it is gone.

    What was read is not read again.
    """
    if not card.is_there:
        raise Refused(f"The card {card.name} is not there: put it back at {card.folder}, and take it up again.")
    return take_up_again(card.arrivals.filter(state=Arrival.State.FAILED))


@dataclass(frozen=True)
class CardState:
    """How far the reading is: files and bytes of all, and what is left in seconds, None while that is not known."""

    files: int
    read: int
    size: int
    done: int
    left: float | None
    counts: dict[str, int]
    over: bool
    gone: bool

    def sentence(self) -> str:
        """The same in words."""
        brought, here, failed = (self.counts.get(state, 0) for state in ("done", "here", "failed"))
        parts = [
            f"{brought} brought in" if brought else "",
            f"{here} already here" if here else "",
            f"{failed} not read" if failed else "",
        ]
        said = ", ".join(part for part in parts if part) or "nothing read yet"
        if self.over:
            return f"All {self.files} looked at: {said}."
        left = f", {_span(self.left)} left" if self.left is not None else ""
        return f"{self.read} of {self.files}, {_sizes(self.done, self.size)}{left}: {said}."


def _sizes(done: int, size: int) -> str:
    unit, name = (1e9, "GB") if size >= 1e9 else (1e6, "MB")
    return f"{done / unit:.1f} of {size / unit:.1f} {name}"


def _span(seconds: float) -> str:
    return f"about {seconds / 60:.0f} min" if seconds >= 90 else f"about {max(seconds, 1):.0f} s"


def state_of(card: Card) -> CardState:
    """Where its reading stands. The time left goes by the bytes read since the first file that is over began."""
    rows = list(card.arrivals.values("state", "size_bytes", "finished", "created"))
    over = [row for row in rows if row["state"] in OVER]
    done, size = sum(row["size_bytes"] for row in over), sum(row["size_bytes"] for row in rows)
    ends = [row["finished"] for row in over if row["finished"]]
    left = None
    if len(ends) > 1 and len(over) < len(rows):
        first, last = min(ends), max(ends)
        since = sum(row["size_bytes"] for row in over if row["finished"] and row["finished"] > first)
        if since and last > first:
            waited = timezone.now() - last
            left = max((size - done) * (last - first).total_seconds() / since - waited.total_seconds(), 0.0)
    counts = Counter(str(row["state"]) for row in rows)
    gone = bool(counts["failed"] or len(over) < len(rows)) and not card.is_there
    return CardState(len(rows), len(over), size, done, left, dict(counts), len(over) == len(rows), gone)


def checksums(card: Card) -> str:
    """A line for each file that was read: its SHA-256 and its place on the card, as sha256sum checks them."""
    lines = []
    for arrival in card.arrivals.all():
        places = arrival.members or [arrival.place]
        for place, digest in zip(places, arrival.digests, strict=False):
            lines.append(f"{digest}  {FilePath(place).relative_to(card.folder)}")
    return "".join(f"{line}\n" for line in sorted(lines, key=lambda line: line[66:]))
