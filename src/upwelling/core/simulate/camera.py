"""Simulated cameras: scene light to file codes, with exposure and balance error, noise, clipping and quantisation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.encodings import encoding
from upwelling.core.primaries import primaries, rgb_to_rgb


@dataclass(frozen=True)
class SimulatedCamera:
    """One camera. Light is in diffuse whites after exposure; noise is shot noise plus read noise, as variances."""

    name: str
    encoding_name: str
    clip: float
    shot_noise: float
    read_noise: float
    bits: int = 10

    def shoot(self, rgb_linear: Any, *, stops: float = 0.0, gains: tuple[float, float, float] = (1.0, 1.0, 1.0),
              seed: int = 0) -> Float32:
        """File codes (H, W, 3), multiples of 1/(2^bits − 1), of scene-linear AP1 light.

        ``stops`` is the exposure error, ``gains`` the white-balance error on the camera's own channels.
        """
        target = encoding(self.encoding_name)
        matrix = rgb_to_rgb(primaries("AP1"), target.primaries, "CAT02")
        light = np.asarray(rgb_linear, dtype=np.float64) @ matrix.T * 2.0**stops * np.array(gains)
        rng = np.random.default_rng(seed)
        spread = np.sqrt(self.shot_noise * np.maximum(light, 0) + self.read_noise**2)
        light = np.minimum(light + spread * rng.standard_normal(light.shape), self.clip)
        top = 2**self.bits - 1
        return np.asarray(np.rint(np.clip(target.from_linear(light), 0, 1) * top) / top, dtype=np.float32)


A_CAM = SimulatedCamera("A-cam", "S-Log3/S-Gamut3.Cine", clip=15.2, shot_noise=6e-5, read_noise=4e-4)
B_CAM = SimulatedCamera("B-cam", "V-Log/V-Gamut", clip=11.0, shot_noise=1.1e-4, read_noise=7e-4)
