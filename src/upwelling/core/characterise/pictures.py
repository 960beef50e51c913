"""What is photographed to measure a camera, and the codes read from it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Literal, cast

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.characterise.spectra import GRIDS, Chart, light_of, neutral_patches, patches_under, white_of
from upwelling.core.charts.grid import Corners, read_grid
from upwelling.core.colour.primaries import adaptation_matrix
from upwelling.core.errors import BadValue

Target = Literal["24", "140", "grey", "dark"]
TARGETS: dict[Target, str] = {
    "24": "chart of 24 patches",
    "140": "chart of 140 patches",
    "grey": "grey card",
    "dark": "lens capped",
}
D65 = (0.3127, 0.3290)
"""The white of what is measured."""
GREY = 0.18
"""Reflectance of a grey card, if nothing else is said."""
MIDDLE = (0.4, 0.4, 0.6, 0.6)
"""Where a card is read, if nothing was marked: left, top, right, bottom as shares."""


@dataclass(frozen=True, eq=False)
class Picture:
    """Codes read from one picture, full range 0…1. ``codes`` and ``spreads`` (N, 3) of N patches, ``pixels`` (N,).

    ``stops``: exposure against the metered picture, + is brighter; ``light`` by name; ``step``: one code of the file.
    """

    name: str
    target: Target
    codes: Float64
    spreads: Float64
    pixels: Float64
    stops: float = 0.0
    light: str = "D65"
    reflectance: float = GREY
    step: float = 1 / 1023

    @property
    def is_chart(self) -> bool:
        return self.target in GRIDS

    def greys(self, to_camera: Float64) -> tuple[tuple[int, ...], Float64]:
        """The patches that are neutral, by number, and the light each gives back in each channel, of 1 (n, 3): greys of
        a chart are not quite grey, so ``to_camera`` tells what they are in the camera's balanced channels, of XYZ under
        D65.
        """
        if not self.is_chart:
            return (0,), np.full((1, 3), 0.0 if self.target == "dark" else self.reflectance)
        neutral = neutral_patches(cast(Chart, self.target))
        return neutral, self.wanted()[list(neutral)] @ to_camera.T

    def wanted(self) -> Float64:
        """XYZ (N, 3) of a chart's patches, turned from its light to D65 by CAT02; white has Y = 1."""
        light = light_of(self.light)
        return patches_under(cast(Chart, self.target), light) @ adaptation_matrix(white_of(light), D65, "CAT02").T


def picture_of(
    rgb: Any, name: str, target: Target, corners: Corners | None = None, region: Sequence[float] = MIDDLE, **said: Any
) -> Picture:
    """Reads a picture's codes (H, W, 3); ``region`` is left, top, right, bottom. Raises BadValue."""
    if target in GRIDS:
        if corners is None:
            raise BadValue(f"{name}: mark the corners of its chart first.")
        read = read_grid(rgb, corners, *GRIDS[target])
        return Picture(name, target, read.means, read.spreads, read.pixels, **said)
    height, width = rgb.shape[:2]
    left, top, right, bottom = region
    part = np.asarray(rgb[int(top * height) : int(bottom * height), int(left * width) : int(right * width)])
    pixels = part.reshape(-1, 3).astype(np.float64)
    if len(pixels) < 16:
        raise BadValue(f"{name}: the card is marked too small to be read.")
    means, spreads = pixels.mean(axis=0)[None], pixels.std(axis=0)[None]
    return Picture(name, target, means, spreads, np.array([len(pixels)], dtype=np.float64), **said)
