"""Long answers in a lane of their own: so many at once, one for each person; the server's other threads stay free."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from upwelling.web.common.requests import Refused


class Busy(Refused):
    """The lane is full of other people's."""


class LanePlace:
    """One person's place in a lane."""


class Lane:
    """``most`` places, one for each person: who asks again gives up what they had under way. A place is given back when
    its answer ends, however it does.
    """

    def __init__(self, most: int) -> None:
        self.most = most
        self._held: dict[int, LanePlace] = {}
        self._lock = threading.Lock()

    def take(self, person: int) -> LanePlace:
        """Takes a place; raises Busy."""
        with self._lock:
            if person not in self._held and len(self._held) >= self.most:
                raise Busy("Others keep this busy just now. Try again in a moment; everything else goes on.")
            self._held[person] = LanePlace()
            return self._held[person]

    @contextmanager
    def turn(self, person: int) -> Iterator[None]:
        """A place for one answer that is not long enough to be given up half way; raises Busy."""
        place = self.take(person)
        try:
            yield
        finally:
            self.leave(person, place)

    def holds(self, person: int, place: LanePlace) -> bool:
        """Whether a place is still that person's."""
        return self._held.get(person) is place

    def leave(self, person: int, place: LanePlace) -> None:
        """Gives a place back; one that was given up already is no matter."""
        with self._lock:
            if self.holds(person, place):
                del self._held[person]


class Answer:
    """An answer's lines from a lane: it ends early when its person has asked again, and gives its place back at the end
    and when the page goes away.
    """

    def __init__(self, lane: Lane, person: int, place: LanePlace, lines: Iterator[str]) -> None:
        self._lane, self._person, self._place, self._lines = lane, person, place, lines

    def __iter__(self) -> Iterator[str]:
        return self

    def __next__(self) -> str:
        try:
            if not self._lane.holds(self._person, self._place):
                raise StopIteration
            return next(self._lines)
        except BaseException:
            self.close()
            raise

    def close(self) -> None:
        """Called by the server when the answer is over or nobody reads it any more."""
        self._lane.leave(self._person, self._place)
