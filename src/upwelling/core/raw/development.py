"""Raw development as settings and as operations: white balance, exposure, highlights, camera matrix."""

from __future__ import annotations

import math
from typing import Any, Literal

import numpy as np
from pydantic import Field

from upwelling.core.colour.primaries import Adaptation, Primaries, adaptation_matrix, rgb_to_xyz
from upwelling.core.colour.temperature import KELVIN_RANGE, kelvin_duv_to_xy, xy_to_kelvin_duv
from upwelling.core.frozen import Frozen
from upwelling.core.operations import Affine, BalanceHighlights, Matrix, Operation
from upwelling.core.raw.profile import D50, RawProfile

Balance = Literal["as shot", "daylight", "cloudy", "shade", "tungsten", "fluorescent", "own"]
PRESETS: dict[str, float] = {"daylight": 5500, "cloudy": 6500, "shade": 7500, "tungsten": 2850, "fluorescent": 3800}
"""Kelvins of the EXIF LightSource names, as in profile.LIGHTS."""


def _parameter(default: Any, title: str, unit: str, low: float, high: float, fine: float, description: str) -> Any:
    return Field(
        default,
        title=title,
        description=description,
        ge=low,
        le=high,
        json_schema_extra={"unit": unit, "low": low, "high": high, "fine": fine},
    )


class Development(Frozen):
    """What a person sets; the file's own numbers are in RawProfile."""

    balance: Balance = Field("as shot", title="White balance", description="“own” uses the kelvin and Duv beside it.")
    kelvin: float = _parameter(
        5500.0, "Light", "K", *KELVIN_RANGE, 50, "Colour temperature of the light that becomes white."
    )
    duv: float = _parameter(
        0.0, "Tint", "Duv", -0.03, 0.03, 0.001, "Distance of that light from the black-body line; + is greener."
    )
    exposure: float = _parameter(0.0, "Exposure", "stops", -6, 6, 0.05, "Gain before everything else.")
    exposure_index: int = _parameter(
        0, "Exposure index", "EI", 0, 12800, 100, "Gain against the recorded index; 0 leaves it as recorded."
    )
    highlights: Literal["balanced", "as recorded"] = Field(
        "balanced",
        title="Highlights",
        description="Balanced: channels that clip are lifted with the others, so clipped white stays white.",
    )
    values: Literal["of the first frame", "of each frame"] = Field(
        "of the first frame",
        title="Recorded values",
        description="Of a run whose frames differ in white, baseline or index: the first frame's, or each one's own.",
    )


class RawSettings(Frozen):
    """A raw file's profile with its development: all that turns camera RGB into working light."""

    profile: RawProfile
    development: Development = Development()

    @property
    def moves(self) -> bool:
        """Whether the development follows values that change along the run."""
        return bool(self.profile.along) and self.development.values == "of each frame"

    def at(self, frame: float) -> RawSettings:
        """As it stands at a frame of the run."""
        return self.model_copy(update={"profile": self.profile.at(frame)}) if self.moves else self

    def white(self) -> tuple[float, float]:
        """The xy of the light that becomes white."""
        settings = self.development
        if settings.balance == "as shot":
            return self.profile.white_of(self.profile.as_shot)
        kelvin = settings.kelvin if settings.balance == "own" else PRESETS[settings.balance]
        return kelvin_duv_to_xy(kelvin, settings.duv if settings.balance == "own" else 0.0)

    def light(self) -> tuple[float, float]:
        """Kelvin and Duv of the light that becomes white."""
        return xy_to_kelvin_duv(self.white())

    @property
    def stops(self) -> float:
        """All exposure: the file's baseline, the exposure index against the recorded one, and the person's."""
        settings = self.development
        recorded = self.profile.exposure_index
        index = math.log2(settings.exposure_index / recorded) if settings.exposure_index and recorded else 0.0
        return self.profile.baseline_exposure + settings.exposure + index

    def operations(self, working: Primaries, adaptation: Adaptation) -> tuple[Operation, ...]:
        """From camera RGB (1.0 = white level) to working light.

        Raises BadValue for a light the camera cannot balance.
        """
        white = self.white()
        as_shot = self.development.balance == "as shot"
        neutral = (
            np.array(self.profile.as_shot) / max(self.profile.as_shot) if as_shot else self.profile.neutral_of(white)
        )
        gains = tuple(float(1 / v) for v in neutral)
        to_xyz = self.profile.balanced_to_xyz_d50(neutral, white)
        to_white = adaptation_matrix(D50, working.white, adaptation)
        to_working = np.linalg.inv(rgb_to_xyz(working)) @ to_white @ to_xyz
        balance: Operation = Matrix.of(np.diag(gains))
        if self.development.highlights == "balanced":
            balance = BalanceHighlights(gains)  # type: ignore[arg-type]
        return (balance, Affine(2.0**self.stops), Matrix.of(to_working))
