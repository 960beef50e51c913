"""How much noise a picture has at each brightness, and whether something that calms it brings it nearer to the truth.

Noise is what the 3 × 3 difference of J. Immerkær, "Fast Noise Variance Estimation", CVIU 64 (1996), finds in the
evenest blocks. The error that is left without knowing the truth is C. Stein's unbiased estimate ("Estimation of the
Mean of a Multivariate Normal Distribution", Annals of Statistics 9, 1981), its divergence found by one disturbed run
(S. Ramani, T. Blu and M. Unser, "Monte-Carlo SURE", IEEE Transactions on Image Processing 17, 2008).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter

from upwelling.core.arrays import Float64

_DIFFERENCE = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], dtype=np.float64) / 6
"""Immerkær's mask; of white noise it leaves as much as there was."""
_BLOCK, _FEWEST = 8, 40
"""Pixels of a block's side; blocks of a brightness below which nothing is said of it."""
_EVENEST, _MIDDLE = 20.0, 50.0
"""The percentile of blocks that counts as even in a picture alone; in a difference of frames texture is gone."""
_SOFTEST, _DISTURBED = 1.6, 0.05
"""The softest noise that is told apart, as the deviation in pixels of the blur that made it; and the share of the
noise by which a run is disturbed."""
MOST_MOVED = 0.24
"""``moved_share`` of two frames above which their difference is not noise alone."""
_LUMA = np.array((0.25, 0.5, 0.25))


Steps = dict[float, float]
"""The deviation at each brightness of one channel, both in stops."""


@dataclass(frozen=True, eq=False)
class Noise:
    """Of each channel, as a sensor's noise goes by what its own channel holds; and how soft it is, in pixels."""

    channels: tuple[Steps, Steps, Steps]
    softness: float

    def of(self, log_rgb: Float64) -> Float64:
        """The deviation at each pixel and channel of a picture in stops (H, W, 3)."""
        planes = [
            np.interp(log_rgb[..., c], list(steps), list(steps.values())) for c, steps in enumerate(self.channels)
        ]
        return np.stack(planes, axis=-1)


def noise_of(log_rgb: Float64, later: Float64 | None = None, *, soft: bool = True) -> Noise | None:
    """The noise of a picture in stops (H, W, 3), by its difference from the frame after it where there is one; None
    where too little of it is even. A picture alone can look noisy by fine texture: not ``soft`` takes noise for white,
    which tells least of it.
    """
    shown = log_rgb if later is None else (log_rgb - later) / np.sqrt(2)
    share = _EVENEST if later is None else _MIDDLE
    fine = _deviations(log_rgb, shown, share)
    if not all(fine):
        return None
    softness, (left, softnesses, shares) = 0.0, _responses()
    if soft or later is not None:
        coarse = _deviations(_halved(log_rgb), _halved(shown), share)
        ratios = [2 * b[stop] / max(a[stop], 1e-9) for a, b in zip(fine, coarse, strict=True) for stop in {*a} & {*b}]
        if ratios:
            softness = float(np.interp(np.median(ratios), np.maximum.accumulate(shares), softnesses))
    kept = float(np.interp(softness, softnesses, left))
    red, green, blue = ({stop: value / kept for stop, value in steps.items()} for steps in fine)
    return Noise((red, green, blue), softness)


class ErrorLeft:
    """The error of a picture in stops by estimate, as root mean squares: ``before``, and ``after`` something."""

    def __init__(self, log_rgb: Float64, noise: Noise) -> None:
        self._log_rgb, deviation = log_rgb, noise.of(log_rgb)
        self._squared = float((deviation**2).mean())
        self.before = float(np.sqrt(self._squared))
        disturbed = np.random.default_rng(0).choice((-1.0, 1.0), log_rgb.shape)
        if noise.softness:
            disturbed = gaussian_filter(disturbed, (noise.softness, noise.softness, 0))
            disturbed /= disturbed.std()
        self._disturbed = disturbed * deviation

    def after(self, calm: Callable[[Float64], Float64]) -> float:
        """What is left by something that makes a picture in stops of one."""
        made, disturbed = calm(self._log_rgb), self._disturbed
        follows = float((disturbed * (calm(self._log_rgb + _DISTURBED * disturbed) - made)).mean()) / _DISTURBED
        after = float(((made - self._log_rgb) ** 2).mean()) - self._squared + 2 * follows
        return float(np.sqrt(max(after, 0.0)))


def moved_share(log_rgb: Float64, later: Float64) -> float:
    """How much of the difference of two frames is explained by the slope of what they show, as movement is, in the
    middle block: 0.14 to 0.2 where nothing moves, more from a tenth of a pixel on.
    """
    first, second = log_rgb @ _LUMA, later @ _LUMA
    slopes = np.gradient(gaussian_filter((first + second) / 2, 1.0))
    apart, y, x = (_blocks(one) for one in (gaussian_filter(first - second, 1.0), *slopes))
    xx, yy, xy, ax, ay = ((a * b).sum(axis=-1) for a, b in ((x, x), (y, y), (x, y), (apart, x), (apart, y)))
    explained = (ax * ax * yy - 2 * ax * ay * xy + ay * ay * xx) / np.maximum(xx * yy - xy * xy, 1e-12)
    return float(np.median(explained / np.maximum((apart * apart).sum(axis=-1), 1e-12)))


def _deviations(log_rgb: Float64, shown: Float64, share: float) -> list[Steps]:
    """What the mask leaves of ``shown`` at a percentile of the blocks of each brightness, of each channel."""
    found: list[Steps] = []
    for c in range(3):
        level = _blocks(log_rgb[..., c]).mean(axis=-1)
        fine = cv2.filter2D(np.ascontiguousarray(shown[..., c]), -1, _DIFFERENCE, borderType=cv2.BORDER_REFLECT)
        spread = np.sqrt((_blocks(fine) ** 2).mean(axis=-1))
        steps: Steps = {}
        for stop in np.arange(np.floor(level.min()), np.ceil(level.max()) + 1) if level.size else ():
            here = np.abs(level - stop) <= 0.75
            if here.sum() >= _FEWEST:
                steps[float(stop)] = float(np.percentile(spread[here], share)) / _of_white(share)
        found.append(steps)
    return found


def _blocks(plane: Any) -> Float64:
    rows, columns = plane.shape[0] // _BLOCK, plane.shape[1] // _BLOCK
    cut = plane[: rows * _BLOCK, : columns * _BLOCK].reshape(rows, _BLOCK, columns, _BLOCK)
    return np.asarray(cut.swapaxes(1, 2).reshape(rows * columns, -1))


def _halved(rgb: Float64) -> Float64:
    rows, columns = rgb.shape[0] // 2, rgb.shape[1] // 2
    return np.asarray(rgb[: rows * 2, : columns * 2].reshape(rows, 2, columns, 2, 3).mean(axis=(1, 3)))


@cache
def _of_white(share: float) -> float:
    """What a percentile of the blocks of white noise of deviation 1 show."""
    noise = np.random.default_rng(1).normal(0, 1, (800, 800))
    shown = cv2.filter2D(noise, -1, _DIFFERENCE, borderType=cv2.BORDER_REFLECT)
    return float(np.percentile(np.sqrt((_blocks(shown) ** 2).mean(axis=-1)), share))


@cache
def _responses() -> tuple[Float64, Float64, Float64]:
    """What the mask leaves of noise of deviation 1, softnesses, and twice what it leaves at half size over that."""
    steps = np.linspace(0, _SOFTEST, 33)
    wide = np.zeros((5, 5))
    wide[::2, ::2] = _DIFFERENCE
    left, coarse = [], []
    for step in steps:
        spot = np.zeros((33, 33))  # wide enough that nothing reaches its edge
        spot[16, 16] = 1
        spot = gaussian_filter(spot, step) if step else spot
        power = (spot**2).sum()
        halved = cv2.filter2D(cv2.filter2D(spot, -1, np.full((2, 2), 0.25)), -1, wide)
        left.append(np.sqrt((cv2.filter2D(spot, -1, _DIFFERENCE) ** 2).sum() / power))
        coarse.append(2 * np.sqrt((halved**2).sum() / power))
    return np.array(left), steps, np.array(coarse) / np.array(left)
