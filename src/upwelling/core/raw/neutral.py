"""The light of a raw shot, from a patch that shall be neutral."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import Float
from upwelling.core.colour.temperature import KELVIN_RANGE, xy_to_kelvin_duv
from upwelling.core.errors import BadValue
from upwelling.core.raw.development import Development
from upwelling.core.raw.profile import RawProfile

FULL = 0.99
"""Share of the white level from which a sensor value counts as clipped. Our own choice, for noise below it."""


@dataclass(frozen=True, slots=True)
class RawNeutral:
    """The light under which the patch is white: kelvin and Duv (+ is greener), and how uneven the patch is
    (largest spread over mean of its channels).
    """

    kelvin: float
    duv: float
    uneven: float

    def sentence(self) -> str:
        """What was found, in words."""
        return f"The patch is neutral under a light of {self.kelvin:.0f} K, Duv {self.duv:+.4f}.".replace("-", "−")


def neutral_light(camera_rgb: Float, profile: RawProfile) -> RawNeutral:
    """The light that makes the mean of a patch of camera RGB (N, 3), 1.0 = white level, neutral.

    Raises BadValue where the patch is clipped or dark, or where no light within the controls' range makes it neutral.
    Source: Adobe, Digital Negative Specification 1.7, chapter 6, "Translating Camera Neutral Coordinates to White
    Balance xy Coordinates".
    """
    rgb = np.asarray(camera_rgb, dtype=np.float64).reshape(-1, 3)
    if (rgb >= FULL).any(axis=-1).mean() > 0.01:
        raise BadValue("The patch is clipped in camera: its colour is not the light’s. Take a darker grey.")
    mean = rgb.mean(axis=0)
    if (mean <= 1e-4).any():
        raise BadValue("The patch is too dark to tell its colour. Take a brighter grey.")
    kelvin, duv = xy_to_kelvin_duv(profile.white_of(mean / mean.max()))
    span = next(f for f in Development.model_fields["duv"].metadata if hasattr(f, "le")).le
    if not KELVIN_RANGE[0] <= kelvin <= KELVIN_RANGE[1] or abs(duv) > span:
        raise BadValue(
            f"That patch would be neutral under {kelvin:.0f} K, Duv {duv:+.3f}, beyond what the controls reach "
            f"({KELVIN_RANGE[0]:.0f} to {KELVIN_RANGE[1]:.0f} K, Duv ± {span:g}). Take a patch that is grey."
        )
    return RawNeutral(round(float(kelvin), 1), round(float(duv), 5), float((rgb.std(axis=0) / mean).max()))
