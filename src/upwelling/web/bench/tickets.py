"""Newest request wins: a page numbers its previews, and one that a newer overtook is given up at the next occasion."""

from __future__ import annotations

import threading
from collections import OrderedDict

_PAGES = 500
_newest: OrderedDict[str, int] = OrderedDict()
_lock = threading.Lock()


class Overtaken(Exception):
    """The page has asked for something newer; this answer is wanted no more."""


class Ticket:
    """One preview's place in its page's row. A page without a name is never overtaken."""

    def __init__(self, page: str, number: int) -> None:
        self.page, self.number = page[:40], number
        if not page:
            return
        with _lock:
            _newest[self.page] = max(number, _newest.get(self.page, number))
            _newest.move_to_end(self.page)
            while len(_newest) > _PAGES:
                _newest.popitem(last=False)

    def check(self) -> None:
        """Raises Overtaken when a newer preview of the same page has come in."""
        if self.page and _newest.get(self.page, self.number) > self.number:
            raise Overtaken


NEVER_OVERTAKEN = Ticket("", 0)
