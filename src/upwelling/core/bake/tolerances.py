"""What a bake is held to."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field


class Tolerances(BaseModel):
    """Largest allowed errors, ΔE 2000. Common practice, no source: 1 is about what a careful eye can tell apart.

    Neutral is held tightest, as a cast in greys is seen first; ``picture`` holds for the shot's own frame; ``anywhere``
    for codes that no picture may ever hold.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    neutral_max: float = Field(0.5, gt=0, title="Neutral axis, worst sample")
    picture_p99: float = Field(1.0, gt=0, title="The shot's own frame, 99 % of samples")
    picture_max: float = Field(3.0, gt=0, title="The shot's own frame, worst sample")
    anywhere_median: float = Field(0.5, gt=0, title="All samples, median")
    anywhere_p99: float = Field(2.0, gt=0, title="All samples, 99 %")

    def rows(self) -> list[tuple[str, float]]:
        """Titles and limits, for printing."""
        return [(str(field.title), getattr(self, name)) for name, field in type(self).model_fields.items()]
