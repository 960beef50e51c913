"""Steps: one Trim or Look operation a file. ``STEPS`` is the explicit list of members."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from upwelling.core.steps.base import Step
from upwelling.core.steps.exposure import Exposure
from upwelling.core.steps.slope_offset_power import SlopeOffsetPower
from upwelling.core.steps.white_balance import WhiteBalance

AnyStep = Annotated[Exposure | WhiteBalance | SlopeOffsetPower, Field(discriminator="kind")]
STEPS: tuple[type[Step], ...] = (Exposure, WhiteBalance, SlopeOffsetPower)

__all__ = ["STEPS", "AnyStep", "Exposure", "SlopeOffsetPower", "Step", "WhiteBalance"]
