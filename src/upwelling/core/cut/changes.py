"""What a newer version of a cut does to an older one: events added, removed, moved, trimmed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from upwelling.core.count_of import count_of
from upwelling.core.cut.read import Event

Kind = Literal["added", "removed", "moved", "trimmed", "same"]


@dataclass(frozen=True)
class Change:
    """An event of the newer cut, of the older one, or of both, and what became of it."""

    kind: Kind
    new: Event | None
    old: Event | None

    @property
    def summary(self) -> str:
        """What changed, with labels."""
        if self.new is None or self.old is None:
            return self.kind
        parts = []
        if self.new.record != self.old.record:
            parts.append(f"from {self.old.label(self.old.record)} to {self.new.label(self.new.record)}")
        head, tail = self.new.start - self.old.start, _end(self.new) - _end(self.old)
        if head:
            parts.append(f"begins {count_of(abs(head), 'frame')} {'later' if head > 0 else 'earlier'}")
        if tail:
            parts.append(f"ends {count_of(abs(tail), 'frame')} {'later' if tail > 0 else 'earlier'}")
        return ", ".join(parts)


def _end(event: Event) -> int:
    return event.start + event.frames


def _source(event: Event) -> tuple[str, str]:
    return (event.file or event.name).lower(), event.reel.lower()


def compare(old: Sequence[Event], new: Sequence[Event]) -> list[Change]:
    """Every event of the newer cut in order, then what is gone; events are known by what they are of and by the frames
    they share, the ones that share most first.
    """
    pairs = [
        (shared, -abs(n - o), n, o)
        for n, one in enumerate(new)
        for o, other in enumerate(old)
        if _source(one) == _source(other) and (shared := min(_end(one), _end(other)) - max(one.start, other.start)) > 0
    ]
    mine: dict[int, int] = {}
    for _, _, n, o in sorted(pairs, reverse=True):
        if n not in mine and o not in mine.values():
            mine[n] = o
    made = []
    for n, one in enumerate(new):
        other = old[mine[n]] if n in mine else None
        made.append(Change(_kind(one, other), one, other))
    gone = set(range(len(old))) - set(mine.values())
    return [*made, *(Change("removed", None, old[o]) for o in sorted(gone))]


def _kind(new: Event, old: Event | None) -> Kind:
    if old is None:
        return "added"
    if (new.start, new.frames) != (old.start, old.frames):
        return "trimmed"
    return "same" if new.record == old.record else "moved"
