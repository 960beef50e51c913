"""Where in a picture a remark is: a rectangle, an ellipse, a point, or an outline drawn by hand."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from upwelling.core.scopes.spans import Region
from upwelling.web.common.requests import Refused, list_of, number

MOST_POINTS = 400
OUTSIDE = "The page sent a place that lies outside the picture. Draw it again."


def read_place(sent: Any) -> dict[str, Any] | None:
    """A place in shares of the frame as it is stored, an outline with the rectangle round it; None: all of it.

    Raises Refused.
    """
    if sent is None:
        return None
    if isinstance(sent, dict) and sent.get("kind") == "outline":
        return _outline(list_of(sent.get("points")))
    try:
        return Region.model_validate(sent).model_dump(mode="json")
    except ValidationError:
        raise Refused(OUTSIDE) from None


def _outline(sent: list[Any]) -> dict[str, Any]:
    pairs = [list_of(pair) for pair in sent[: MOST_POINTS + 1]]
    if not 3 <= len(pairs) <= MOST_POINTS or any(len(pair) != 2 for pair in pairs):
        raise Refused(f"An outline has 3 to {MOST_POINTS} points. Draw it again.")
    points = [[round(number(value), 5) for value in pair] for pair in pairs]
    across, down = zip(*points, strict=True)
    if not (min(across) >= 0 and max(across) <= 1 and min(down) >= 0 and max(down) <= 1):
        raise Refused(OUTSIDE)
    bounds = {"left": min(across), "right": max(across), "top": min(down), "bottom": max(down)}
    return {"kind": "outline", **bounds, "points": points}
