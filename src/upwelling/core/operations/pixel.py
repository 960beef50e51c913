"""Operations on the channels' numbers: gains, matrices, curves, tables.

``apply`` is the exact path, in plain NumPy; the tile engine runs the same list fast and is held to it by tests.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.curves import Curve
from upwelling.core.curves.spline import Spline
from upwelling.core.lut import Interpolation, Lut
from upwelling.core.operations.base import PixelOperation

CDL_LUMA = np.array([0.2126, 0.7152, 0.0722])
"""ASC CDL v1.2: saturation always uses these BT.709 weights, whatever the primaries."""


@dataclass(frozen=True)
class Affine(PixelOperation):
    """rgb·gain + offset, the same for the three channels (exposure, legal and full range)."""

    gain: float
    offset: float = 0.0

    def apply(self, rgb: Float64) -> Float64:
        return np.asarray(rgb * self.gain + self.offset)


@dataclass(frozen=True)
class Matrix(PixelOperation):
    """A 3×3 matrix, rows as tuples."""

    rows: tuple[tuple[float, float, float], ...]

    @classmethod
    def of(cls, matrix: Float64) -> Matrix:
        return cls(tuple((float(r[0]), float(r[1]), float(r[2])) for r in matrix))

    def apply(self, rgb: Float64) -> Float64:
        return np.asarray(rgb @ np.array(self.rows).T)


@dataclass(frozen=True)
class RootMatrix(PixelOperation):
    """Rows (3, 6) over r, g, b, √(rg), √(gb), √(rb): a matrix whose mixture depends on the colour but not on how bright
    it is. A root of channels that are not both above 0 is 0.
    """

    rows: tuple[tuple[float, float, float, float, float, float], ...]

    def apply(self, rgb: Float64) -> Float64:
        return np.asarray(with_roots(rgb) @ np.array(self.rows).T)


def with_roots(rgb: Float64) -> Float64:
    """r, g, b, √(rg), √(gb), √(rb) of (…, 3): the root-polynomial terms of degree 2 (Finlayson, Mackiewicz and
    Hurlbert, "Color correction using root-polynomial regression", IEEE Trans. Image Processing 24 (2015), 1460–1470).
    """
    held = np.maximum(rgb, 0)
    return np.concatenate([rgb, np.sqrt(held[..., (0, 1, 0)] * held[..., (1, 2, 2)])], axis=-1)


@dataclass(frozen=True)
class Decode(PixelOperation):
    """Code values to linear light by a curve, times ``scale``."""

    curve: Curve
    scale: float = 1.0

    def apply(self, rgb: Float64) -> Float64:
        return np.asarray(self.curve.to_linear(rgb) * self.scale)


@dataclass(frozen=True)
class Encode(PixelOperation):
    """Linear light divided by ``scale`` to code values by a curve."""

    curve: Curve
    scale: float = 1.0

    def apply(self, rgb: Float64) -> Float64:
        return np.asarray(self.curve.from_linear(rgb / self.scale))


@dataclass(frozen=True)
class SlopeOffsetPower(PixelOperation):
    """ASC CDL v1.2 slope, offset and power; ``clamp`` holds the base of the power to 0…1 as the standard says.

    Without the clamp, values at or below 0 pass the power unchanged and values above 1 are kept.
    """

    slope: tuple[float, float, float]
    offset: tuple[float, float, float]
    power: tuple[float, float, float]
    clamp: bool

    def apply(self, rgb: Float64) -> Float64:
        base = rgb * np.array(self.slope) + np.array(self.offset)
        if self.clamp:
            base = np.clip(base, 0.0, 1.0)
        return np.asarray(np.where(base > 0, np.maximum(base, 1e-300) ** np.array(self.power), base))


@dataclass(frozen=True)
class Saturate(PixelOperation):
    """ASC CDL v1.2 saturation about luma; ``clamp`` holds the result to 0…1."""

    amount: float
    clamp: bool

    def apply(self, rgb: Float64) -> Float64:
        luma = (rgb @ CDL_LUMA)[..., None]
        mixed = luma + self.amount * (rgb - luma)
        return np.asarray(np.clip(mixed, 0.0, 1.0) if self.clamp else mixed)


@dataclass(frozen=True)
class ChannelCurves(PixelOperation):
    """Each channel through its own curves, one after the other (red, green, blue)."""

    chains: tuple[tuple[Spline, ...], tuple[Spline, ...], tuple[Spline, ...]]

    def apply(self, rgb: Float64) -> Float64:
        channels = []
        for channel, chain in enumerate(self.chains):
            value = rgb[..., channel]
            for curve in chain:
                value = curve(value)
            channels.append(value)
        return np.stack(channels, axis=-1)


Norm = Literal["luminance", "largest channel", "power norm"]


def power_norm(rgb: Float64) -> Float64:
    """(…): Σc³/Σc² over the positive channels of light."""
    light = np.maximum(rgb, 0.0)
    return np.asarray(np.sum(light**3, axis=-1) / np.maximum(np.sum(light**2, axis=-1), 1e-30))


def stops_of(rgb: Float64, norm: Norm, luminance: tuple[float, float, float]) -> Float64:
    """(…): stops of a pixel's norm from mid grey."""
    if norm == "luminance":
        level = rgb @ np.array(luminance)
    elif norm == "largest channel":
        level = rgb.max(axis=-1)
    else:
        level = power_norm(rgb)
    return np.asarray(np.log2(np.maximum(level, 1e-30) / MID_GREY))


@dataclass(frozen=True)
class BandGain(PixelOperation):
    """rgb·2^gain(stops of the pixel's norm from mid grey): channels keep their ratios, so hue is kept.

    A norm of 0 or less counts as far below the curve's first point.
    """

    norm: Norm
    luminance: tuple[float, float, float]
    gain: Spline

    def apply(self, rgb: Float64) -> Float64:
        return np.asarray(rgb * np.exp2(self.gain(stops_of(rgb, self.norm, self.luminance)))[..., None])


@dataclass(frozen=True)
class LuminancePower(PixelOperation):
    """rgb·scale·Y^exponent with Y = weights·rgb; 0 where Y is not above 1e-9 (the OOTF of HLG and its inverse)."""

    weights: tuple[float, float, float]
    exponent: float
    scale: float = 1.0

    def apply(self, rgb: Float64) -> Float64:
        y = (rgb @ np.array(self.weights))[..., None]
        gain = np.where(y > 1e-9, np.maximum(y, 1e-30) ** self.exponent, 0.0)
        return np.asarray(rgb * gain * self.scale)


@dataclass(frozen=True)
class BalanceHighlights(PixelOperation):
    """White balance of a raw whose channels clip at 1.0, so that clipped places do not turn pink.

    A channel near its clip is lifted to the mean of the other two where that is higher; where all three clip the result
    goes to neutral at the brightest. Our own rule; ``START`` and ``END`` are where a channel counts as clipping.
    """

    gains: tuple[float, float, float]
    START = 0.90
    END = 0.99

    def apply(self, rgb: Float64) -> Float64:
        clipping = np.clip((rgb - self.START) / (self.END - self.START), 0.0, 1.0)
        balanced = rgb * np.array(self.gains)
        others = (balanced.sum(axis=-1, keepdims=True) - balanced) / 2
        lifted = balanced + clipping * np.maximum(others - balanced, 0)
        most = lifted.max(axis=-1, keepdims=True)
        return np.asarray(lifted + clipping.min(axis=-1, keepdims=True) * (most - lifted))


@dataclass(frozen=True)
class ApplyLut(PixelOperation):
    """A lookup table; 1D ones are linear. float32 in both paths, as tables are."""

    lut: Lut
    interpolation: Interpolation = "tetrahedral"

    def apply(self, rgb: Float64) -> Float64:
        return np.asarray(self.lut.apply(rgb, self.interpolation, plain=True), dtype=np.float64)
