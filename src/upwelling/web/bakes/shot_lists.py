"""Tables of a list of shots: one for each, or one for those whose tables come out alike."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path as FilePath
from typing import Any, Literal

from pydantic import Field

from upwelling.core.bake import BakeOrder
from upwelling.core.count_of import count_of
from upwelling.core.errors import BadValue, UpwellingError
from upwelling.core.frozen import Frozen
from upwelling.core.packages.made import Prepared
from upwelling.core.packages.naming import FIELDS, table_name
from upwelling.core.patterns import named_by
from upwelling.web.bakes.orders import frames_that_test, order_for, receiver_named, usual_start
from upwelling.web.common.requests import Refused, numbers_in_turn
from upwelling.web.footage.frames import frame_of
from upwelling.web.footage.listing import loaded
from upwelling.web.footage.models import Shot
from upwelling.web.productions.models import Production

PARTS = {
    "display": ("Camera code to display code", "camera", "display"),
    "input": ("Camera code to working light", "camera", "input"),
    "rendered": ("Working light to display code", "trim", "display"),
    "trim": ("Trim alone", "trim", "trim"),
    "look": ("Look alone", "look", "look"),
}
"""Which parts of a shot's path a list's tables may be of."""
MOST_SHOTS, MOST_TABLES, MOST_SAID, MOST_LOOKED_AT = 500, 600, 3, 40


class ListOrder(Frozen):
    """What was ordered. ``alike``: shots whose tables come out the same share one. ``leaves_out``: what no table can
    carry is left out, and what moves stands still at each shot's frame.
    """

    shots: tuple[int, ...] = Field(min_length=1, max_length=MOST_SHOTS)
    receivers: tuple[str, ...] = Field(min_length=1)
    part: Literal["display", "input", "rendered", "trim", "look"] = "display"
    output: str
    alike: bool = False
    pattern: str = Field("", max_length=200)
    leaves_out: bool = False


@dataclass(frozen=True)
class Table:
    """One table to be made: of which shots, for whom, and what a name it would have at its usual size."""

    shots: tuple[Shot, ...]
    receiver: str
    example: str

    @property
    def of(self) -> str:
        return self.shots[0].name

    @property
    def wish(self) -> dict[str, Any]:
        """As it is kept with the package."""
        others = [shot.name for shot in self.shots[1:]]
        return {
            "of": self.of,
            "receiver": self.receiver,
            "shots": [shot.pk for shot in self.shots],
            "file": FilePath(self.shots[0].original_name).stem,
            **({"note": f"Also for {', '.join(others)}, whose tables come out alike."} if others else {}),
        }


@dataclass
class ListPlan:
    """The tables, and what is to be known before: ``asks`` are shots with what no table carries of them."""

    shots: list[Shot] = field(default_factory=list)
    tables: list[Table] = field(default_factory=list)
    asks: dict[str, list[str]] = field(default_factory=dict)
    refused: list[str] = field(default_factory=list)
    gives: str = ""

    @property
    def asks_said(self) -> str:
        names = list(self.asks)
        first = "; ".join(f"{name}: {', '.join(self.asks[name])}" for name in names[:MOST_SAID])
        more = f"; and {len(names) - MOST_SAID} more shots" if len(names) > MOST_SAID else ""
        have = "has" if len(names) == 1 else "have"
        return f"{len(names)} of these shots {have} what no table can carry ({first}{more})."

    @property
    def shared(self) -> list[Table]:
        """Tables that stand for several shots, each once."""
        seen = {table.shots: table for table in self.tables if len(table.shots) > 1}
        return list(seen.values())


def list_from(production: Production, given: Any) -> ListOrder:
    """What a page ordered; raises Refused or BadValue."""
    numbers = numbers_in_turn(given.getlist("shot"))
    receivers = given.getlist("receiver")
    if not numbers or not receivers:
        raise Refused("Choose at least one shot and one receiver.")
    if len(numbers) * len(receivers) > MOST_TABLES or len(numbers) > MOST_SHOTS:
        raise Refused(
            f"At most {MOST_SHOTS} shots and {MOST_TABLES} tables are made at once; these are {len(numbers)} shots "
            f"for {count_of(len(receivers), 'receiver')}."
        )
    for name in receivers:
        receiver_named(production, name)
    pattern = str(given.get("pattern", "")).strip()
    if pattern:
        named_by(pattern, dict.fromkeys(FIELDS, "x"), FIELDS)
    part = str(given.get("part", "display"))
    return ListOrder.checked(
        {
            "shots": tuple(numbers),
            "receivers": tuple(receivers),
            "part": part if part in PARTS else "display",
            "output": production.checked_output(str(given.get("output", "")) or production.rule_set.output),
            "alike": given.get("alike") == "one",
            "pattern": pattern,
            "leaves_out": given.get("yes") == "on",
        }
    )


def plan_of(production: Production, order: ListOrder) -> ListPlan:
    """What an order makes of the shots as they are now; those that cannot be baked stand in ``refused``."""
    plan = ListPlan()
    kinds: dict[Any, list[Shot]] = {}
    firsts: dict[Any, BakeOrder] = {}
    for shot in loaded(production, order.shots):
        try:
            first = order_of(shot, order, order.receivers[0])
        except UpwellingError as error:
            plan.refused.append(f"{shot.name}: {error}")
            continue
        key: Any = first.section_fingerprint if order.alike else shot.pk
        plan.shots.append(shot)
        kinds.setdefault(key, []).append(shot)
        firsts.setdefault(key, first)
        if names := _not_carried(first):
            plan.asks[shot.name] = names
    for key, shots in kinds.items():
        first = firsts[key]
        plan.gives = plan.gives or first.section.output_name(first.path)
        fields = {"production": production.name, "name": shots[0].name, "file": FilePath(shots[0].original_name).stem}
        for name in order.receivers:
            one = first if name == order.receivers[0] else order_of(shots[0], order, name)
            plan.tables.append(Table(tuple(shots), name, table_name(one, fields, order.pattern)))
    return plan


def _not_carried(order: BakeOrder) -> list[str]:
    moving = [step.shown_name for _, step in order.path.acting(order.section.stages) if step.moves]
    return list(dict.fromkeys([*(step.shown_name for _, step in order.stuck), *moving]))


def order_of(shot: Shot, order: ListOrder, receiver: str) -> BakeOrder:
    """A shot's order for a receiver at the largest grid it takes; what moves stands at the shot's frame."""
    _, start, end = PARTS[order.part]
    start = usual_start(shot) if start == "camera" and shot.is_raw and end == "display" else start
    wish = {"receiver": receiver, "start": start, "end": end, "output": order.output, "entries": "sampled"}
    return order_for(shot, {**wish, "still": True})


def prepared(production: Production, order: ListOrder, shots: Sequence[Shot], receiver: str) -> Prepared:
    """A table's order with the frames that test it: those of its own shots first, then the hardest of its encoding."""
    if not shots:
        raise BadValue("Its shots are no longer there.")
    first = shots[0]
    made = order_of(first, order, receiver)
    frame = frame_of(first)
    keys = {frame for _, step in made.path.steps() for track in step.tracks for frame, _ in track.keys}
    ends = sorted({first.first_frame, first.last_frame, *keys} & set(range(first.first_frame, first.last_frame + 1)))
    tested = frames_that_test(first, made, [one.pk for one in shots[1:]])
    return Prepared(made, tested, frame.working, frame.place, tuple(ends[:MOST_LOOKED_AT]))
