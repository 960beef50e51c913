"""What a raw file says of its camera's colour, and the matrices that follow.

Source: Adobe, Digital Negative Specification 1.7.1.0 (2023), chapter 6, “Mapping Camera Color Space to CIE XYZ Space”.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import Field

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import adaptation_matrix, xy_to_xyz
from upwelling.core.colour.temperature import xy_to_kelvin_duv
from upwelling.core.errors import BadValue
from upwelling.core.frozen import Frozen

Matrix3 = tuple[tuple[float, float, float], tuple[float, float, float], tuple[float, float, float]]
IDENTITY: Matrix3 = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))
D50 = (0.3457, 0.3585)
LIGHTS: dict[int, float] = {
    1: 5500,
    2: 3800,
    3: 2850,
    4: 5500,
    9: 5500,
    10: 6500,
    11: 7500,
    12: 6400,
    13: 5050,
    14: 4150,
    15: 3525,
    17: 2850,
    18: 5500,
    19: 6500,
    20: 5500,
    21: 6500,
    22: 7500,
    23: 5000,
    24: 3200,
}
"""EXIF LightSource numbers (CIPA DC-008-2019, 4.6.5) to the rounded kelvins the DNG reference code takes for them."""


class RawMoment(Frozen):
    """What a run of raw frames says of itself from ``frame`` on, counted from 0 in the run."""

    frame: int = Field(ge=0)
    as_shot: tuple[float, float, float]
    baseline_exposure: float = Field(0.0, ge=-20, le=20)
    exposure_index: int = Field(0, ge=0, le=10_000_000)


class RawProfile(Frozen):
    """Colour data of one raw file; matrices are row by row, ``color`` from XYZ to camera, ``forward`` from camera to
    XYZ D50. ``along``: of a run, the moments from which its frames say something else than those before them.
    """

    camera: str = Field("", max_length=120)
    color_1: Matrix3
    color_2: Matrix3 | None = None
    kelvin_1: float = 6500.0
    kelvin_2: float = 6500.0
    calibration_1: Matrix3 = IDENTITY
    calibration_2: Matrix3 = IDENTITY
    forward_1: Matrix3 | None = None
    forward_2: Matrix3 | None = None
    analog_balance: tuple[float, float, float] = (1.0, 1.0, 1.0)
    as_shot: tuple[float, float, float] = (1.0, 1.0, 1.0)
    baseline_exposure: float = Field(0.0, ge=-20, le=20)
    exposure_index: int = Field(0, ge=0, le=10_000_000)
    along: tuple[RawMoment, ...] = ()

    def at(self, frame: float) -> RawProfile:
        """As a frame of the run says it."""
        said = [moment for moment in self.along if moment.frame <= frame]
        own = said[-1].model_dump(exclude={"frame"}) if said else {}
        return self.model_copy(update={"along": (), **own})

    def _between(self, first: Any, second: Any, kelvin: float) -> Float64:
        """Two matrices mixed by 1 / kelvin between their lights, held at either end."""
        one = np.array(first)
        if second is None or self.kelvin_1 == self.kelvin_2:
            return one
        low, high = 1 / self.kelvin_1, 1 / self.kelvin_2
        share = min(max((1 / kelvin - low) / (high - low), 0.0), 1.0)
        return np.asarray(one * (1 - share) + np.array(second) * share)

    def _to_sensor(self, kelvin: float) -> Float64:
        """Analog balance times calibration."""
        second = self.calibration_2 if self.color_2 is not None else None
        return np.diag(self.analog_balance) @ self._between(self.calibration_1, second, kelvin)

    def xyz_to_camera(self, kelvin: float) -> Float64:
        """The matrix under a light of that temperature."""
        return self._to_sensor(kelvin) @ self._between(self.color_1, self.color_2, kelvin)

    def neutral_of(self, xy: tuple[float, float]) -> Float64:
        """Camera RGB of a perfect white under a light, largest channel 1."""
        kelvin = xy_to_kelvin_duv(xy)[0]
        neutral = self.xyz_to_camera(kelvin) @ xy_to_xyz(xy)
        if (neutral <= 0).any():
            raise BadValue(
                "This camera cannot see that light as white: a channel would need a gain without bound. Choose a light "
                "nearer to daylight."
            )
        return np.asarray(neutral / neutral.max())

    def white_of(self, neutral: Any) -> tuple[float, float]:
        """The xy of the light under which ``neutral`` is white; found by repeating,
        as the matrix depends on the light.
        """
        xy = D50
        for _ in range(40):
            xyz = np.linalg.solve(self.xyz_to_camera(xy_to_kelvin_duv(xy)[0]), np.asarray(neutral, dtype=np.float64))
            total = float(xyz.sum())
            if not np.isfinite(total) or total <= 0:
                return D50
            found = (float(xyz[0]) / total, float(xyz[1]) / total)
            if abs(found[0] - xy[0]) + abs(found[1] - xy[1]) < 1e-9:
                return found
            xy = found
        return xy

    @property
    def as_shot_light(self) -> tuple[float, float]:
        """Kelvin and Duv of the light that the camera took for white."""
        return xy_to_kelvin_duv(self.white_of(self.as_shot))

    def balanced_to_xyz_d50(self, neutral: Any, xy: tuple[float, float]) -> Float64:
        """From camera RGB divided by ``neutral`` to XYZ under D50, where (1, 1, 1) is white of Y = 1."""
        kelvin = xy_to_kelvin_duv(xy)[0]
        neutral = np.asarray(neutral, dtype=np.float64)
        if self.forward_1 is not None:
            sensor = np.linalg.inv(self._to_sensor(kelvin))
            reference = sensor @ neutral
            forward = self._between(self.forward_1, self.forward_2, kelvin)
            return np.asarray(forward @ np.diag(1 / reference) @ sensor @ np.diag(neutral))
        matrix = adaptation_matrix(xy, D50, "Bradford") @ np.linalg.inv(self.xyz_to_camera(kelvin)) @ np.diag(neutral)
        return np.asarray(matrix / (matrix @ np.ones(3))[1])
