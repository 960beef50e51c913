"""What all matches share: pictures in working light, how far colours are apart, and what a match answers."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.colour.difference import delta_e_2000, xyz_to_lab
from upwelling.core.colour.oklab import ROOT_TO_LAB, rgb_to_lms
from upwelling.core.colour.primaries import CONES, Primaries, adaptation_matrix, rgb_to_xyz, xy_to_xyz
from upwelling.core.count_of import count_of
from upwelling.core.errors import UpwellingError
from upwelling.core.steps import AnyStep

D50 = (0.3457, 0.3585)
COLOURED = 0.03
"""Oklab chroma over lightness from which a colour has a hue to speak of."""


class CannotMatch(UpwellingError):
    """A match that cannot be told, in a sentence for the person who asked."""


CLIPPED_SHARE = 1 / 5000
"""Share of pixels on a channel's highest code from which it is a plateau and not a highlight's tip."""
NEAR_TOP = 0.75 / 1023
"""Codes that count as the highest one."""
WIDEST = 1280
"""Pixels across at which pictures are compared; larger ones are averaged down."""


@dataclass(frozen=True, eq=False)
class Picture:
    """A picture to be matched: scene-linear working light (H, W, 3), which pixels may be used (H, W), those that hold
    light no camera clipped, and the share of each channel that was clipped.
    """

    rgb: Any
    usable: Any
    clipped: tuple[float, float, float] = (0.0, 0.0, 0.0)
    size: tuple[int, int] = (0, 0)
    """Width and height in the file's own pixels."""

    @classmethod
    def of(cls, rgb: Any, code: Any = None) -> Picture:
        """Of light and the file's codes it came from. Codes at a channel's highest value are clipped where many are.
        Light that is no number is not usable.
        """
        light = np.asarray(rgb, dtype=np.float32)
        good: Any = np.isfinite(light).all(axis=-1)
        light = np.where(good[..., None], light, 0)
        if code is None:
            return cls(light, good, size=(light.shape[1], light.shape[0])).reduced()
        codes = np.asarray(code)
        at_top = codes >= codes.reshape(-1, 3).max(axis=0, initial=0.0) - NEAR_TOP
        shares = at_top.reshape(-1, 3).mean(axis=0)
        shares = np.where(shares > CLIPPED_SHARE, shares, 0.0)
        good &= ~(at_top & (shares > 0)).any(axis=-1)
        clipped = float(shares[0]), float(shares[1]), float(shares[2])
        return cls(light, good, clipped, (light.shape[1], light.shape[0])).reduced()

    def reduced(self) -> Picture:
        """At most WIDEST pixels across; a pixel is usable where all that went into it were."""
        rows, columns = self.rgb.shape[:2]
        if columns <= WIDEST:
            return self
        size = (WIDEST, max(1, round(rows * WIDEST / columns)))
        share = cv2.resize(np.asarray(self.usable, np.float32), size, interpolation=cv2.INTER_AREA)
        return Picture(cv2.resize(self.rgb, size, interpolation=cv2.INTER_AREA), share > 0.999, self.clipped, self.size)


@dataclass(frozen=True)
class Space:
    """Matrices of working light: to Oklab's cones, CAT02's cones and XYZ, and the luminance row."""

    working: Primaries
    to_lms: Float64
    cones: Float64
    luminance: Float64
    to_d50: Float64

    def lab100(self, rgb: Any) -> Float64:
        """Oklab ×100: 1 is about a just noticeable difference."""
        return np.asarray(np.cbrt(np.asarray(rgb) @ self.to_lms.T) @ (ROOT_TO_LAB.T * 100))

    def hue_and_chroma(self, rgb: Any) -> tuple[Float64, Float64]:
        """Oklab hue in degrees of light (…, 3), and its chroma over its lightness."""
        lab = self.lab100(rgb)
        chroma = np.hypot(lab[..., 1], lab[..., 2]) / np.maximum(lab[..., 0], 1e-3)
        return np.asarray(np.degrees(np.arctan2(lab[..., 2], lab[..., 1]))), np.asarray(chroma)

    def hue(self, rgb: Any) -> Float64:
        """As ``hue_and_chroma``; NaN where there is hardly any colour."""
        hue, chroma = self.hue_and_chroma(rgb)
        return np.asarray(np.where(chroma > COLOURED, hue, np.nan))

    def delta_e(self, one: Any, other: Any) -> Float64:
        """ΔE 2000 between lights (…, 3), under D50, diffuse white as white."""
        white = xy_to_xyz(D50)
        return np.asarray(
            delta_e_2000(*(xyz_to_lab(np.asarray(rgb, np.float64) @ self.to_d50.T, white) for rgb in (one, other)))
        )


@lru_cache(maxsize=16)
def space_of(working: Primaries) -> Space:
    """The matrices of a working space."""
    to_xyz = rgb_to_xyz(working)
    return Space(
        working,
        rgb_to_lms(working, "CAT02"),
        CONES["CAT02"] @ to_xyz,
        to_xyz[1],
        adaptation_matrix(working.white, D50, "CAT02") @ to_xyz,
    )


def correlation(one: Any, other: Any) -> float:
    """Of two sets of values (N,), −1…1; 0 where one of them hardly varies."""
    a, b = one - one.mean(), other - other.mean()
    spread = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return float((a * b).sum()) / spread if spread > 1e-6 else 0.0


@dataclass(frozen=True)
class MatchFigures:
    """ΔE 2000 of what corresponds, before and after, in the reference's light brought to mid grey."""

    before: float
    after: float
    worst: float
    count: int
    left_out: float | None = None

    def sentence(self) -> str:
        text = f"ΔE 2000 median {self.before:.2f} before, {self.after:.2f} after, 95 % below {self.worst:.2f}"
        text += f", over {count_of(self.count, 'colour')}"
        return text if self.left_out is None else f"{text}; left out in turn {self.left_out:.2f}"


@dataclass(frozen=True)
class Match:
    """Steps that bring a picture to the reference, and how near.

    ``samples`` (N,) are the ΔE of each thing that corresponds after it, ``before`` (N,) those before, ``outliers`` (N,)
    which do not belong, ``hues`` (N,) the degrees by which hue is still off, None where there is no colour. ``remarks``
    are sentences for the person, ``words`` says how near it came where ΔE cannot.
    """

    method: str
    model: str
    steps: tuple[AnyStep, ...]
    figures: MatchFigures
    remarks: tuple[str, ...] = ()
    samples: tuple[float, ...] = ()
    before: tuple[float, ...] = ()
    outliers: tuple[bool, ...] = ()
    hues: tuple[float | None, ...] = ()
    facts: dict[str, Any] = field(default_factory=dict)
    words: str = ""

    def sentence(self) -> str:
        """How near it came."""
        return self.words or self.figures.sentence()


def to_grey(reference: Any, space: Space) -> float:
    """The gain that brings reference colours (N, 3) to mid grey on average, so that errors weigh alike in any light."""
    y = np.maximum(np.asarray(reference) @ space.luminance, 1e-5)
    return float(MID_GREY / np.exp(np.mean(np.log(y))))
