"""What every method is held to: pictures that hold light, stops that a step can hold, and a result no worse by its own
figures.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import wraps
from typing import Any, Concatenate, ParamSpec, cast

from pydantic import ValidationError

from upwelling.core.match.light import CannotMatch, Match, Picture, Space
from upwelling.core.match.report import LEAST_GAIN

MOST_CLIPPED = 0.5
"""Share of a channel at its highest code from which a picture says nothing of light; ours."""
Rest = ParamSpec("Rest")
Matching = Callable[Concatenate[Picture, Picture, Space, Rest], Match]
WORSE = "By its own figures this correction would make it worse, so none is offered. Try another method, or mark pairs."


def guarded(method: Callable[Concatenate[Picture, Picture, Space, Rest], Match]) -> Matching[Rest]:
    """The method, refusing with CannotMatch what no correction can be worked out from or held by; a correction that
    comes no nearer is left out and said.
    """

    @wraps(method)
    def match(source: Picture, reference: Picture, space: Space, *args: Rest.args, **kwargs: Rest.kwargs) -> Match:
        for picture, name in ((source, "The picture"), (reference, "The reference")):
            if max(picture.clipped) > MOST_CLIPPED:
                raise CannotMatch(
                    f"{name} is clipped in {max(picture.clipped) * 100:.0f} % of a channel, so that its light is not "
                    "known. Choose another frame or reference."
                )
        try:
            found = method(source, reference, space, *args, **kwargs)
        except ValidationError as error:
            raise CannotMatch(
                f"What would bring one to the other is beyond what a step can hold ({_first(error)}): they differ by "
                "too much to be one scene. Check encodings and exposure, or choose another reference."
            ) from None
        if found.steps and found.figures.after >= found.figures.before - LEAST_GAIN:
            return replace(found, steps=(), remarks=(WORSE, *found.remarks))
        return found

    return cast("Matching[Rest]", match)


def _first(error: ValidationError) -> str:
    """The step and the value that do not go together."""
    one: Any = error.errors()[0]
    return f"{'.'.join(str(part) for part in one['loc'])} {one.get('input')}"[:80]
