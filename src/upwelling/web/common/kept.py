"""Things kept while they are worked on, the latest used ones, within so many bytes."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

T = TypeVar("T")


class Kept(Generic[T]):
    """A store that lets go of what was used longest ago when it holds more than ``limit()`` bytes; safe between
    threads.

    One thing larger than the limit is not kept at all.
    """

    def __init__(self, limit: Callable[[], int], size: Callable[[T], int]) -> None:
        self._limit, self._size = limit, size
        self._things: OrderedDict[Hashable, T] = OrderedDict()
        self._lock = threading.Lock()
        self.bytes = 0

    def get(self, key: Hashable) -> T | None:
        """The thing of that key, now the latest used, or None."""
        with self._lock:
            if key in self._things:
                self._things.move_to_end(key)
            return self._things.get(key)

    def put(self, key: Hashable, thing: T) -> None:
        """Keeps a thing in the place of an older one of that key."""
        with self._lock:
            old = self._things.pop(key, None)
            self.bytes -= self._size(old) if old is not None else 0
            self._things[key] = thing
            self.bytes += self._size(thing)
            while self.bytes > self._limit() and self._things:
                self.bytes -= self._size(self._things.popitem(last=False)[1])

    def clear(self) -> None:
        """Lets go of everything."""
        with self._lock:
            self._things.clear()
            self.bytes = 0
