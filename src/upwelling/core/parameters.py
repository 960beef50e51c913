"""How a parameter is declared, so that its control builds itself, and how a refused value becomes a sentence.

A declaration gives title, unit, range, smallest step and help. ``keyed`` values may change along a shot.
"""

from __future__ import annotations

import itertools
from collections.abc import Collection
from typing import Annotated, Any

from pydantic import AfterValidator, Field, ValidationError

from upwelling.core.curves.spline import Points

MOST_POINTS = 16


def number(
    default: float, title: str, unit: str, low: float, high: float, fine: float, help_text: str, *, keyed: bool = False
) -> Any:
    """A parameter with what a control needs: title, unit, range, smallest step, help; ``keyed``: it may change along a
    shot.
    """
    extra: dict[str, Any] = {"unit": unit, "fine": fine, "low": low, "high": high}
    return Field(
        default,
        ge=low,
        le=high,
        title=title,
        description=help_text,
        json_schema_extra={**extra, "keyed": True} if keyed else extra,
    )


def triple(
    default: tuple[float, float, float], title: str, unit: str, low: float, high: float, fine: float, help_text: str
) -> Any:
    """As ``number``, one each for red, green and blue; the annotation holds their range."""
    return Field(
        default,
        title=title,
        description=help_text,
        json_schema_extra={"unit": unit, "fine": fine, "low": low, "high": high},
    )


def choice(default: Any, title: str, help_text: str) -> Any:
    """A parameter whose type names its values."""
    return Field(default, title=title, description=help_text)


def signed(value: float, digits: int) -> str:
    """A number with a real sign, as the interface prints it."""
    text = f"{abs(value):.{digits}f}"
    if float(text) == 0:
        return text
    return ("−" if value < 0 else "+") + text


def _in_order(points: Points) -> Points:
    for (x, _), (after, _) in itertools.pairwise(points):
        if after - x < 1e-4:
            raise ValueError(f"Points must lie from left to right, each with room of its own; {after:g} follows {x:g}")
    return points


CurvePoints = Annotated[Points, Field(min_length=2, max_length=MOST_POINTS), AfterValidator(_in_order)]


def curve(
    default: Points,
    title: str,
    help_text: str,
    *,
    x: tuple[float, float],
    y: tuple[float, float],
    x_unit: str,
    y_unit: str,
    around: bool = False,
    identity: bool = False,
    falls: float | None = None,
) -> Any:
    """A step's curve as points (x, y): its ranges, units, whether it runs around, and whether its rest is y = x.
    ``falls``: the most by which it may fall over one of x, so that a hand is stopped there.
    """
    return Field(
        default,
        title=title,
        description=help_text,
        json_schema_extra={
            "curve": {
                "x": list(x),
                "y": list(y),
                "x_unit": x_unit,
                "y_unit": y_unit,
                "around": around,
                "identity": identity,
                "falls": falls,
            }
        },
    )


def within(points: Points, x: tuple[float, float], y: tuple[float, float], what: str) -> None:
    """Raises ValueError when a point lies outside its plot."""
    for px, py in points:
        if not (x[0] <= px <= x[1] and y[0] <= py <= y[1]):
            raise ValueError(f"{what}: the point {px:g}, {py:g} lies outside {x[0]:g}…{x[1]:g} by {y[0]:g}…{y[1]:g}")


def spoken(error: ValidationError) -> str:
    """What the first thing a validation found says, without its place, ending in a full stop."""
    words = str(error.errors()[0]["msg"]).removeprefix("Value error, ")
    return words if words.endswith(".") else words + "."


def dotted(error: ValidationError) -> str:
    """The place of the first thing a validation found, as it is written in a recipe."""
    return ".".join(str(part) for part in error.errors()[0]["loc"])


def refusal(error: ValidationError, *, leave_out: Collection[str] = (), otherwise: str = "") -> str:
    """The first thing a validation found, as “Place: what is wrong.”; parts of the place may be left out."""
    parts = (
        str(part).replace("_", " ").replace("nits", "cd/m²")
        for part in error.errors()[0]["loc"]
        if part not in leave_out and not isinstance(part, int)
    )
    place = " ".join(parts) or otherwise
    return f"{place[0].upper()}{place[1:]}: {spoken(error)}" if place else spoken(error)
