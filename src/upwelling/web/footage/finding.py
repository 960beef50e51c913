"""Finding shots: by word, camera, encoding, what is known of it, group and Look, in an order, everywhere the same."""

from __future__ import annotations

import re
from typing import Any

from django.db.models import Case, F, Q, QuerySet, TextField, Value, When
from django.db.models.functions import Cast

from upwelling.core.media.timecode import Timecode
from upwelling.web.common.finding import Choice, Finder, finder
from upwelling.web.common.requests import Refused, whole_list, whole_or
from upwelling.web.footage.listing import IN_ORDER, with_settled
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production
from upwelling.web.productions.remarks import ASKED, remarked

STATES = ("contradictory", "unknown", "likely", "known", "settled")
STATE_ORDER = Case(*(When(state=state, then=Value(place)) for place, state in enumerate(STATES)))
ORDERS: dict[str, tuple[str, tuple[Any, ...]]] = {
    "camera": ("camera", IN_ORDER),
    "name": ("name", ("name", "pk")),
    "state": ("what is known", (STATE_ORDER, "name", "pk")),
    "encoding": ("encoding", ("in_force", "name", "pk")),
    "group": ("group", (F("group__name").asc(nulls_last=True), *IN_ORDER)),
    "new": ("newest", ("-pk",)),
    "length": ("length", ("-frames", "name", "pk")),
}
NONE = "none"
_LABEL = re.compile(r"\d{1,2}:\d{2}:\d{2}[:;.,]\d{2,3}")


def shot_finder(asked: Any, production: Production, first: str = "camera") -> Finder:
    """What the address asks of a list of shots; ``first`` is the order of a list that was asked for none."""
    cameras = [(str(pk), name) for pk, name in production.cameras.values_list("pk", "name")]
    groups = [(str(pk), name) for pk, name in production.groups.values_list("pk", "name")]
    encodings = sorted({name for name in with_settled(production).values_list("in_force", flat=True) if name})
    sorts = [(name, title) for name, (title, _) in ORDERS.items()]
    return finder(
        asked,
        [
            Choice("camera", "any camera", [*cameras, (NONE, "no camera")] if cameras else []),
            Choice("encoding", "any encoding", [*((name, name) for name in encodings), (NONE, "not settled")]),
            Choice("state", "however known", [(state, Shot.State(state).label) for state in STATES]),
            Choice("group", "any group", [*groups, (NONE, "no group")] if groups else []),
            Choice("remark", "any remarks", ASKED),
        ],
        sorted(sorts, key=lambda one: one[0] != first),
        hint="Name, file, reel or timecode",
    )


def found(asked: Finder, shots: QuerySet[Any]) -> list[int]:
    """The numbers of the shots (annotated by ``with_settled``) that are asked for, in the order asked for."""
    for name, at in (("camera", "camera"), ("group", "group")):
        if asked[name] == NONE:
            shots = shots.filter(**{f"{at}__isnull": True})
        elif asked[name]:
            shots = shots.filter(**{at: whole_or(asked[name])})
    if asked["encoding"]:
        shots = shots.filter(in_force="" if asked["encoding"] == NONE else asked["encoding"])
    if asked["state"]:
        shots = shots.filter(state=asked["state"])
    shots = remarked(shots, "shot", asked["remark"])
    if asked.word:
        shots = _with_word(shots, asked.word)
    return list(shots.order_by(*ORDERS[asked.sort][1]).values_list("pk", flat=True))


def found_all(asked: Finder, shots: QuerySet[Any]) -> list[int]:
    """As ``found``, for “all” of a form: raises Refused where what the page showed can no longer be asked for."""
    if asked.lost:
        raise Refused(f"What the list was narrowed by (“{', '.join(asked.lost)}”) is gone meanwhile. Reload the page.")
    return found(asked, shots)


def chosen_numbers(form: Any, production: Production, shots: QuerySet[Any]) -> list[int]:
    """The numbers of the shots that a form ticks, or with “all” of all that its list was asked for; in its order."""
    numbers = found_all(shot_finder(form, production), shots)
    if form.get("all") == "on":
        return numbers
    wanted = whole_list(form.getlist("shot"))
    return [number for number in numbers if number in wanted]


def _with_word(shots: QuerySet[Any], word: str) -> QuerySet[Any]:
    """Shots that have a word in what they are called or say of themselves, or the frame of a timecode in them."""
    shots = shots.annotate(told=Cast("metadata", TextField()))
    anywhere = Q(name__icontains=word) | Q(original_name__icontains=word) | Q(camera__name__icontains=word)
    anywhere |= Q(told__icontains=word)
    if _LABEL.fullmatch(word):
        anywhere |= Q(pk__in=_at_timecode(shots, word))
    return shots.filter(anywhere)


def _at_timecode(shots: QuerySet[Any], label: str) -> list[int]:
    """Shots in which the frame of a label lies."""
    inside = []
    for pk, metadata, rate, first, frames in shots.values_list("pk", "metadata", "rate", "first_frame", "frames"):
        begins, wanted = (Timecode.read(text, rate) for text in (str(metadata.get("timecode", "")), label))
        if begins and wanted and first <= wanted.count - begins.count < first + frames:
            inside.append(pk)
    return inside
