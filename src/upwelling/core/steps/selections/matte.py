"""A step's matte: its selections, joined in order, and what is done to the whole."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Self

from pydantic import Field, model_validator

from upwelling.core.colour.primaries import Primaries
from upwelling.core.frozen import Frozen, any_of
from upwelling.core.operations import Matte as MatteOperation
from upwelling.core.parameters import number
from upwelling.core.steps.selections.base import LABELS, Selection
from upwelling.core.steps.selections.colour_range import ColourRange
from upwelling.core.steps.selections.ellipse import Ellipse
from upwelling.core.steps.selections.line import LinearGradient
from upwelling.core.steps.selections.polygon import Polygon
from upwelling.core.steps.selections.radial import RadialGradient
from upwelling.core.steps.selections.rectangle import Rectangle

SELECTIONS: tuple[type[Selection], ...] = (ColourRange, LinearGradient, RadialGradient, Ellipse, Rectangle, Polygon)
"""In the order they are offered in."""
if TYPE_CHECKING:
    AnySelection = Selection
else:
    AnySelection = any_of(*SELECTIONS)
MOST_SELECTIONS = 12


def _named(rows: Any) -> list[Any]:
    """Plain data of selections, each with an id of its own; what is no plain data stays as it is."""
    taken = {name for row in rows if isinstance(row, dict) and isinstance(name := row.get("id"), str)}
    made = []
    for row in rows:
        if isinstance(row, dict) and not row.get("id"):
            stem = str(row.get("kind", "")).replace("_", "")[:9]
            name = next(n for n in (stem, *(f"{stem}{k}" for k in range(2, 1000))) if n not in taken)
            taken.add(name)
            row = {**row, "id": name}
        made.append(row)
    return made


class Matte(Frozen):
    """Where, and how strongly, a step acts. Without selections that are on it acts everywhere."""

    selections: Annotated[tuple[AnySelection, ...], Field(max_length=MOST_SELECTIONS)] = ()
    clean: float = number(
        0.0, "Clean", "share", 0, 0.02, 0.001, "Radius of holes that are closed and of specks that are removed."
    )
    grow: float = number(0.0, "Grow", "share", -0.03, 0.03, 0.001, "Moves the edge outwards; below 0 inwards.")
    blur: float = number(0.0, "Blur", "share", 0, 0.2, 0.002, "Sigma of a Gaussian, so that the edge does not tear.")
    gamma: float = number(1.0, "Gamma", "", 0.2, 5, 0.05, "Above 1 weak parts count for more, below 1 for less.")
    inverted: bool = False
    """Whether the step acts where the whole, as it is joined and softened, does not select."""

    @model_validator(mode="before")
    @classmethod
    def _of_old(cls, body: Any) -> Any:
        """Until there were shapes, a limit was one colour range, without a kind. Plain data without ids get them."""
        if isinstance(body, Selection):
            return {"selections": (body,)}
        if not isinstance(body, dict):
            return body
        if body and "selections" not in body and not set(body) & set(cls.model_fields):
            body = {"selections": [{"kind": "colour_range", **body}]}
        rows = body.get("selections")
        return {**body, "selections": _named(rows)} if isinstance(rows, list | tuple) else body

    @model_validator(mode="after")
    def _ids_differ(self) -> Self:
        ids = [one.id for one in self.selections if one.id]
        if len(set(ids)) < len(ids):
            raise ValueError("Each selection of a step needs an id of its own")
        return self

    @property
    def active(self) -> list[Selection]:
        """The selections that are on."""
        return [one for one in self.selections if one.on]

    @property
    def moves(self) -> bool:
        """Whether one of them changes along the shot."""
        return any(one.moves for one in self.active)

    def at(self, frame: float) -> Self:
        """As it stands at a frame of the file."""
        if not any(one.tracks for one in self.selections):
            return self
        return self.model_copy(update={"selections": tuple(one.at(frame) for one in self.selections)})

    def unplaced(self) -> Self | None:
        """What of it needs no more than a pixel's own value: its colour ranges; None where that is none."""
        ranges = tuple(one for one in self.selections if isinstance(one, ColourRange))
        if not any(one.on for one in ranges):
            return None
        return self.model_copy(update={"selections": ranges, "clean": 0.0, "grow": 0.0, "blur": 0.0})

    def operation(self, working: Primaries) -> MatteOperation | None:
        """The matte as an operation on scene-linear working light; None where it selects everything."""
        if not self.active:
            return None
        parts = tuple((one.join, one.operation(working)) for one in self.active)
        return MatteOperation(parts, self.clean, self.grow, self.blur, self.gamma, self.inverted)

    def summary(self) -> str:
        """What is selected, in a few words."""
        text = ""
        for one in self.active:
            text += f" {one.join} {one.summary()}" if text else one.summary()
        return (f"all but {text}" if self.inverted and text else text) or "everything"

    def numbers(self, body: dict[str, Any]) -> Any:
        """What of its dumped ``body`` decides numbers, as fingerprints are made of: a lone colour range without
        anything else counts as it did before there were shapes.
        """
        rows: list[dict[str, Any]] = []
        for index, (one, row) in enumerate(zip(self.selections, body["selections"], strict=True)):
            if not one.on:
                continue
            row = {name: value for name, value in row.items() if name not in (*LABELS, "on")}
            if not rows:
                row.pop("join")
            if not self.selections[index].tracks:
                row.pop("tracks")
            rows.append(row)
        rest = {n: value for n, value in body.items() if n != "selections" and not (n == "inverted" and not value)}
        plain = all(value == type(self).model_fields[name].default for name, value in rest.items())
        if plain and len(rows) == 1 and rows[0]["kind"] == "colour_range" and "tracks" not in rows[0]:
            return {name: value for name, value in rows[0].items() if name != "kind"}
        return {"selections": rows, **rest} if rows else None
