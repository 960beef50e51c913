"""ShotSettings: what one shot says for itself, over the production's rules."""

from __future__ import annotations

from typing import Any, Self

from pydantic import BaseModel, ConfigDict, model_validator

from upwelling.core.errors import BadValue, RecipeError
from upwelling.core.raw import Development
from upwelling.core.rendering import Rise
from upwelling.core.steps import STEPS, Exposure, SlopeOffsetPower, WhiteBalance


class ShotSettings(BaseModel):
    """The trim, an own rendering (None: the production's), an own raw development (None: the camera's), which stages are on.

    The trim holds each step once, in the order of the list of steps, so that a page always finds its controls.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    exposure: Exposure = Exposure()
    white_balance: WhiteBalance = WhiteBalance()
    slope_offset_power: SlopeOffsetPower = SlopeOffsetPower()
    rendering: Rise | None = None
    development: Development | None = None
    input_on: bool = True
    trim_on: bool = True
    rendering_on: bool = True
    display_on: bool = True

    @model_validator(mode="after")
    def _every_step_has_a_place(self) -> Self:
        assert all(step.model_fields["kind"].default in type(self).model_fields for step in STEPS)
        return self

    @property
    def steps(self) -> tuple[Exposure | WhiteBalance | SlopeOffsetPower, ...]:
        """The trim's steps in working order."""
        return (self.exposure, self.white_balance, self.slope_offset_power)


def read_settings(body: Any) -> ShotSettings:
    """Settings from plain data; raises BadValue with the place and the reason."""
    try:
        return ShotSettings.model_validate(body)
    except (ValueError, RecipeError) as error:
        first = error.errors()[0] if hasattr(error, "errors") else {"loc": (), "msg": str(error)}
        place = " ".join(str(part).replace("_", " ") for part in first["loc"])
        raise BadValue(f"{place.capitalize()}: {first['msg']}. The shot keeps its last good settings.") from None
