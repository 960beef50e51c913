"""What is another on every frame, by its seed and the frame's number: grain, dust, a gate that weaves."""

from __future__ import annotations

from typing import Self

from pydantic import Field

from upwelling.core.errors import BadValue
from upwelling.core.steps.base import Step


class EachFrame(Step):
    """A step that ``at`` gives the frame, its ``moment``; without one it cannot be run."""

    moment: int | None = Field(None, ge=0)

    @property
    def moves(self) -> bool:
        """Along a shot it always does."""
        return super().moves or (self.moment is None and not self.changes_nothing)

    def at(self, frame: float) -> Self:
        """The step as it stands at a frame of the file, which then is its moment."""
        step = super().at(frame)
        return step if step.moment is not None else step.model_copy(update={"moment": int(frame)})

    @property
    def frame(self) -> int:
        """The moment; raises BadValue where none is said."""
        if self.moment is None:
            raise BadValue(f"{self.shown_name} is another on every frame: say at which frame it is wanted.")
        return self.moment
