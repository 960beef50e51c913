"""Simulated cameras: scene light to file codes, with exposure and balance error, noise, clipping and quantisation."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.colour.primaries import adaptation_matrix, primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.colour.temperature import kelvin_duv_to_xy, xy_to_kelvin_duv
from upwelling.core.encodings import encoding
from upwelling.core.raw import RawProfile


@dataclass(frozen=True)
class SimulatedCamera:
    """One camera. Light is in diffuse whites after exposure; noise is shot noise plus read noise, as variances."""

    name: str
    encoding_name: str
    clip: float
    shot_noise: float
    read_noise: float
    bits: int = 10

    def shoot(
        self, rgb_linear: Any, *, stops: float = 0.0, gains: tuple[float, float, float] = (1.0, 1.0, 1.0), seed: int = 0
    ) -> Float32:
        """File codes (H, W, 3), multiples of 1/(2^bits − 1), of scene-linear AP1 light.

        ``stops`` is the exposure error, ``gains`` the white-balance error on the camera's own channels.
        """
        target = encoding(self.encoding_name)
        matrix = rgb_to_rgb(primaries("AP1"), target.primaries, "CAT02")
        light = np.asarray(rgb_linear, dtype=np.float32) @ (matrix.T * 2.0**stops * np.array(gains)).astype(np.float32)
        rng = np.random.default_rng(seed)
        spread = np.sqrt(self.shot_noise * np.maximum(light, 0) + self.read_noise**2)
        light = np.minimum(light + spread * rng.standard_normal(light.shape, dtype=np.float32), self.clip)
        top = 2**self.bits - 1
        return np.asarray(np.rint(np.clip(target.from_linear(light), 0, 1) * top) / top, dtype=np.float32)

    def roll(
        self,
        rgb_linear: Any,
        count: int,
        *,
        stops: float = 0.0,
        gains: tuple[float, float, float] = (1.0, 1.0, 1.0),
        seed: int = 0,
        width: int = 0,
    ) -> Iterator[Float32]:
        """``count`` frames of a slow pan over a wider picture; each has its own noise. ``width`` 0:
        the picture's own.
        """
        wide = rgb_linear.shape[1]
        width = width or wide
        for index in range(count):
            left = round((wide - width) * index / max(count - 1, 1))
            yield self.shoot(rgb_linear[:, left : left + width], stops=stops, gains=gains, seed=seed * 1000 + index)


SOFTNESS = 0.8
"""Pixels (sigma) by which a mosaic sensor's lens and low-pass filter soften, so that each colour sees the same detail.
"""


@dataclass(frozen=True)
class SimulatedRawCamera:
    """A stills camera with a mosaic sensor. ``clip`` is the diffuse whites at which the first channel is full."""

    name: str
    profile: RawProfile
    clip: float
    shot_noise: float
    read_noise: float
    black: int = 512
    white: int = 15871

    def shoot(
        self, rgb_linear: Any, *, kelvin: float = 5200.0, stops: float = 0.0, seed: int = 0
    ) -> tuple[Any, RawProfile]:
        """Sensor values (H, W) uint16 of scene-linear AP1 light under a light of that temperature, and the file's
        profile.

        The scene's white is turned to the light's, then seen through the camera's own matrix for it.
        """
        from scipy.ndimage import gaussian_filter  # loaded when first used: it takes a while

        light = kelvin_duv_to_xy(kelvin, 0.0)
        space = primaries("AP1")
        to_light = adaptation_matrix(space.white, light, "Bradford") @ rgb_to_xyz(space)
        neutral = self.profile.neutral_of(light)
        matrix = self.profile.xyz_to_camera(xy_to_kelvin_duv(light)[0])
        white = matrix @ to_light @ np.ones(3)
        rgb = np.asarray(rgb_linear, dtype=np.float64) @ (matrix @ to_light).T / white.max() * 2.0**stops / self.clip
        rgb = gaussian_filter(rgb, (SOFTNESS, SOFTNESS, 0))
        height, width = rgb.shape[0] // 2 * 2, rgb.shape[1] // 2 * 2
        plane = np.empty((height, width))
        for place, colour in enumerate((0, 1, 1, 2)):
            plane[place // 2 :: 2, place % 2 :: 2] = rgb[place // 2 : height : 2, place % 2 : width : 2, colour]
        rng = np.random.default_rng(seed)
        plane += np.sqrt(self.shot_noise * np.maximum(plane, 0) + self.read_noise**2) * rng.standard_normal(plane.shape)
        values = np.clip(np.rint(self.black + np.minimum(plane, 1.0) * (self.white - self.black)), 0, 16383).astype(
            np.uint16
        )
        said = self.profile.model_copy(
            update={"as_shot": tuple(float(v) for v in neutral), "baseline_exposure": math.log2(self.clip)}
        )
        return values, said


A_CAM = SimulatedCamera("A-cam", "S-Log3/S-Gamut3.Cine", clip=15.2, shot_noise=6e-5, read_noise=4e-4)
B_CAM = SimulatedCamera("B-cam", "V-Log/V-Gamut", clip=11.0, shot_noise=1.1e-4, read_noise=7e-4)
PHONE = SimulatedCamera("Phone", "HLG/BT.2020", clip=3.77, shot_noise=2.5e-4, read_noise=1.2e-3)
GIMBAL = SimulatedCamera("Gimbal", "D-Log/D-Gamut", clip=9.0, shot_noise=2.0e-4, read_noise=1.0e-3, bits=8)
# Invented matrices (XYZ to camera) under light A and D65, of the size real ones have.
STILLS = SimulatedRawCamera(
    "Stills",
    RawProfile(
        camera="Lumen 1",
        color_1=((0.95, -0.30, -0.08), (-0.42, 1.22, 0.21), (-0.06, 0.18, 0.58)),
        kelvin_1=2850,
        color_2=((0.86, -0.22, -0.09), (-0.45, 1.26, 0.20), (-0.08, 0.20, 0.62)),
        kelvin_2=6500,
        exposure_index=400,
    ),
    clip=4.0,
    shot_noise=1.5e-5,
    read_noise=1.2e-4,
)
