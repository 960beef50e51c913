"""What a bake is held to."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field


class Tolerances(BaseModel):
    """Largest allowed errors, ΔE 2000. Common practice, no source: 1 is about what a careful eye can tell apart.

    ``picture`` holds for the neutral axis and the shot's own frame; ``anywhere`` for codes no picture may ever hold.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    picture_p99: float = Field(0.5, gt=0, title="Picture and neutral axis, 99 % of samples")
    picture_max: float = Field(1.0, gt=0, title="Picture and neutral axis, worst sample")
    anywhere_median: float = Field(0.5, gt=0, title="Whole cube, median")
    anywhere_p99: float = Field(2.0, gt=0, title="Whole cube, 99 % of samples")
