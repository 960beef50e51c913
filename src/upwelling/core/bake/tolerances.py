"""What a bake is held to."""

from __future__ import annotations

from typing import Any, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from upwelling.core.errors import BadValue, refusal


class Tolerances(BaseModel):
    """Largest allowed errors in ΔE: 2000 on SDR outputs, ITP on HDR ones. Common practice, no source: 1 is about what a careful eye can tell apart.

    Neutral is held tightest, as a cast in greys is seen first; ``picture`` holds for the production's own frames; ``anywhere``
    for codes that no picture may ever hold.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)
    neutral_max: float = Field(0.5, gt=0, le=100, title="Neutral axis, worst sample")
    picture_p99: float = Field(1.0, gt=0, le=100, title="Own frames, 99 % of samples")
    picture_max: float = Field(3.0, gt=0, le=100, title="Own frames, worst sample")
    anywhere_median: float = Field(0.5, gt=0, le=100, title="All samples, median")
    anywhere_p99: float = Field(2.0, gt=0, le=100, title="All samples, 99 %")
    anywhere_max: float = Field(12.0, gt=0, le=100, title="Worst place found anywhere")

    @classmethod
    def checked(cls, body: Any) -> Self:
        """From plain data; raises BadValue with one sentence."""
        try:
            return cls.model_validate(body)
        except ValidationError as error:
            raise BadValue(refusal(error)) from None

    def rows(self) -> list[tuple[str, str, float]]:
        """Names, titles and limits."""
        return [(name, str(field.title), getattr(self, name)) for name, field in type(self).model_fields.items()]
