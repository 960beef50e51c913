"""One way to find things in long lists: a word, choices, an order and the size of pictures, all in the address."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any
from urllib.parse import urlencode

from django.db.models import Q
from django.utils import timezone

from upwelling.web.common.requests import one_of, text_of

Options = Iterable[tuple[str, str]]
SIZES = (("small", "small pictures"), ("", "pictures"), ("large", "large pictures"))
OWN = ("find", "sort", "size", "page")


@dataclass(frozen=True)
class Choice:
    """One thing to filter by: its name in the address, what the menu says while nothing is chosen, and the options."""

    name: str
    title: str
    options: Sequence[tuple[str, str]]


@dataclass(frozen=True)
class Finder:
    """What the address asks for. ``picked`` has only options that exist; ``kept`` is what else the address says."""

    word: str
    picked: Mapping[str, str]
    sort: str
    size: str
    choices: Sequence[Choice]
    sorts: Sequence[tuple[str, str]]
    kept: Sequence[tuple[str, str]] = field(default=())
    hint: str = "Search"
    pictures: bool = True
    lost: Sequence[str] = field(default=())
    """What was asked for that is no option any more, by the titles of its menus: it leaves nothing out."""

    @property
    def asks(self) -> bool:
        """Whether anything is left out of the list."""
        return bool(self.word or any(self.picked.values()))

    def __getitem__(self, name: str) -> str:
        return self.picked[name]

    @property
    def rows(self) -> list[dict[str, Any]]:
        """The menus with what is chosen in each, for the page."""
        return [
            {"name": one.name, "title": one.title, "options": one.options, "now": self[one.name]}
            for one in self.choices
            if len(one.options) > 1 or self[one.name]
        ]

    @property
    def first_rows(self) -> list[dict[str, Any]]:
        """The menus that are always seen."""
        return self.rows[:SEEN]

    @property
    def folded(self) -> list[dict[str, Any]]:
        """The others."""
        return self.rows[SEEN:]

    @property
    def folded_in_force(self) -> int:
        """How many of the folded menus leave something out, so that none does so unseen."""
        return sum(bool(row["now"]) for row in self.folded)

    @property
    def sizes(self) -> Sequence[tuple[str, str]]:
        return SIZES if self.pictures else ()

    @property
    def said(self) -> list[tuple[str, str]]:
        """Name and value of all that is asked for, for the hidden fields of another form."""
        mine = [("find", self.word), *self.picked.items(), ("sort", self.sort), ("size", self.size)]
        return [(name, value) for name, value in mine if value]

    @property
    def without(self) -> str:
        """The address that asks for everything."""
        return "?" + urlencode(self.kept)


def finder(
    asked: Any, choices: Iterable[Choice], sorts: Options, *, hint: str = "Search", pictures: bool = True
) -> Finder:
    """What ``asked`` (a QueryDict) asks for; what is no option any more asks for nothing."""
    known = list(choices)
    order = list(sorts)
    names = {*OWN, *(one.name for one in known)}
    picked = {one.name: one_of(asked.get(one.name), [value for value, _ in one.options], "") for one in known}
    lost = [one.title for one in known if asked.get(one.name) and not picked[one.name]]
    return Finder(
        text_of(asked.get("find"), 80).strip(),
        picked,
        one_of(asked.get("sort"), [value for value, _ in order], order[0][0] if order else ""),
        one_of(asked.get("size"), [value for value, _ in SIZES], ""),
        known,
        order,
        tuple((name, value) for name, values in asked.lists() if name not in names for value in values),
        hint,
        pictures,
        lost,
    )


SEEN = 3
"""Menus beside the field of search; more are folded."""
SINCE = (("1", "of the last day"), ("7", "of the last 7 days"), ("30", "of the last 30 days"))


def made_finder(asked: Any, rows: Any, more: Iterable[Choice], sorts: Options, hint: str) -> Finder:
    """For a list of what people made: by who, since when, and ``more``."""
    who = sorted({name for name in rows.order_by().values_list("created_by__username", flat=True) if name})
    choices = [*more, Choice("who", "by anybody", [(name, name) for name in who]), Choice("since", "ever", SINCE)]
    return finder(asked, choices, sorts, hint=hint, pictures=False)


def made_by(asked: Finder, rows: Any, words: Iterable[str], orders: Mapping[str, Sequence[str]]) -> Any:
    """The rows that a ``made_finder`` asks for, in its order; a word is looked for in the fields ``words``."""
    if asked["who"]:
        rows = rows.filter(created_by__username=asked["who"])
    if asked["since"]:
        rows = rows.filter(created__gte=timezone.now() - timedelta(days=int(asked["since"])))
    if asked.word:
        anywhere = Q()
        for field_name in words:
            anywhere |= Q(**{f"{field_name}__icontains": asked.word})
        rows = rows.filter(anywhere)
    return rows.order_by(*orders[asked.sort])
