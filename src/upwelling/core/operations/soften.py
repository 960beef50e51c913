"""Each channel blurred by a width of its own, as the layers of film and the light of a lens are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import Float32, Float64
from upwelling.core.operations.base import FrameOperation, Place
from upwelling.core.operations.blur import blur_fast, blur_reference, blurred_pixel, gaussian_reach

Widths = tuple[float, float, float]
_SIGMAS = np.linspace(0.0, 1.5, 301)


def _spread_of(sigma: float) -> float:
    """Standard deviation of a Gaussian taken at whole pixels."""
    at = np.arange(-8, 9)
    taps = np.exp(-0.5 * (at / max(sigma, 1e-3)) ** 2)
    return float(np.sqrt((taps * at * at).sum() / taps.sum()))


_SPREADS = np.array([_spread_of(sigma) for sigma in _SIGMAS])


def sigma_for(width: float, pixel: float) -> float:
    """Sigma in pixels whose taps spread by ``width``: of a narrow Gaussian whole pixels miss the flanks, and a small
    picture would be less soft than the large one it stands for.
    """
    wanted = width / pixel
    return wanted if wanted >= _SIGMAS[-1] else float(np.interp(wanted, _SPREADS, _SIGMAS))


@dataclass(frozen=True)
class Soften(FrameOperation):
    """Light of each channel spread by a Gaussian of that sigma, in frame heights."""

    widths: Widths

    def reach(self, pixel: float) -> int:
        return gaussian_reach(max(self.widths) / pixel) + 2

    def _sigmas(self, place: Place) -> list[float]:
        return [sigma_for(width, place.pixel) for width in self.widths]

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        planes = [blur_reference(rgb[..., i], sigma) for i, sigma in enumerate(self._sigmas(place))]
        return np.stack(planes, axis=-1)

    def pixel_at(self, rgb: Float64, place: Place, row: int, column: int) -> Float64:
        found = [blurred_pixel(rgb[..., i], sigma, row, column) for i, sigma in enumerate(self._sigmas(place))]
        return np.array(found, dtype=np.float64).reshape(1, 1, 3)

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        sigmas = self._sigmas(place)
        if len(set(sigmas)) == 1:
            return blur_fast(rgb, sigmas[0])
        planes = [blur_fast(np.ascontiguousarray(rgb[..., i]), sigma) for i, sigma in enumerate(sigmas)]
        return np.stack(planes, axis=-1)
