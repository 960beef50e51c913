"""Output: a display target, and the operations between its light and its code."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import PRIMARIES, Primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.curves import CURVES, Curve
from upwelling.core.curves.hlg import LUMINANCE, Ootf
from upwelling.core.encodings.base import Range
from upwelling.core.operations import Affine, Decode, Encode, LuminancePower, Matrix, Operation, run_reference

Depth = Literal[8, 10, 12, 16]
Surround = Literal["dark", "dim", "average"]
PQ_TOP = 10000.0
HDR_FROM = 203.0
"""Displays that reach more than HDR reference white (ITU-R BT.2408) count as HDR."""


@dataclass(frozen=True)
class Output:
    """A display target.

    Light is relative: 0 is the display's black, 1 its peak, in the primaries of ``gamut``. ``primaries`` are those of
    the signal; a ``limit_name`` says that no colour outside smaller primaries may be sent in it. ``mid_grey_nits`` is
    where scene mid grey 0.18 is placed, ``white_nits`` what the trade calls reference white there, ``surround_nits``
    the luminance round the screen.
    """

    name: str
    curve_name: str
    primaries_name: str
    peak_nits: float
    mid_grey_nits: float
    white_nits: float
    surround: Surround
    surround_nits: float
    explanation: str
    source: str
    black_nits: float = 0.0
    limit_name: str = ""
    default_range: Range = "full"
    default_depth: Depth = 10
    own_primaries: Primaries | None = None

    @property
    def curve(self) -> Curve:
        return CURVES[self.curve_name]

    @property
    def primaries(self) -> Primaries:
        return self.own_primaries or PRIMARIES[self.primaries_name]

    @property
    def gamut(self) -> Primaries:
        """The primaries a picture is fitted to."""
        return PRIMARIES[self.limit_name] if self.limit_name else self.primaries

    @property
    def is_hdr(self) -> bool:
        return self.peak_nits > HDR_FROM

    @property
    def mid_grey(self) -> float:
        """Mid grey as relative light."""
        return (self.mid_grey_nits - self.black_nits) / (self.peak_nits - self.black_nits)

    def nits(self, relative: Any) -> Any:
        """cd/m² of relative light."""
        return self.black_nits + np.asarray(relative) * (self.peak_nits - self.black_nits)

    def relative(self, nits: Any) -> Any:
        """Relative light of cd/m²."""
        return (np.asarray(nits) - self.black_nits) / (self.peak_nits - self.black_nits)

    def encode_operations(self) -> tuple[Operation, ...]:
        """Relative light in ``gamut`` to full-range code in ``primaries``.

        * PQ is absolute (SMPTE ST 2084).
        * HLG undoes the display's OOTF, with the black lift β (ITU-R BT.2100-2, table 5).
        * BT.1886 has its black in the curve: L = a·max(V + b, 0)^2.4 (ITU-R BT.1886, annex 1), so that code 0 is the
        black. * Every other curve says nothing of the black: the light above it follows the curve.
        """
        matrix = self._matrix(self.gamut, self.primaries)
        lift = self.black_nits / self.peak_nits
        light: tuple[Operation, ...] = (*matrix, *((Affine(1 - lift, lift),) if lift else ()))
        if self.curve_name == "PQ":
            return (*light, Encode(self.curve, PQ_TOP / self.peak_nits))
        if self.curve_name == "HLG":
            ootf = Ootf(self.peak_nits, self.black_nits)
            ends = (Affine(1 / (1 - ootf.lift), -ootf.lift / (1 - ootf.lift)),) if lift else ()
            return (*light, LuminancePower(LUMINANCE, 1 / ootf.gamma - 1), Encode(self.curve), *ends)
        if self.curve_name == "BT.1886" and lift:
            root = lift ** (1 / 2.4)
            return (*light, Encode(self.curve), Affine(1 / (1 - root), -root / (1 - root)))
        return (*matrix, Encode(self.curve))

    def decode_operations(self) -> tuple[Operation, ...]:
        """Full-range code in ``primaries`` to relative light in ``gamut``."""
        matrix = self._matrix(self.primaries, self.gamut)
        lift = self.black_nits / self.peak_nits
        ends: tuple[Operation, ...] = (*((Affine(1 / (1 - lift), -lift / (1 - lift)),) if lift else ()), *matrix)
        if self.curve_name == "PQ":
            return (Decode(self.curve, PQ_TOP / self.peak_nits), *ends)
        if self.curve_name == "HLG":
            ootf = Ootf(self.peak_nits, self.black_nits)
            starts = (Affine(1 - ootf.lift, ootf.lift),) if lift else ()
            return (*starts, Decode(self.curve), LuminancePower(LUMINANCE, ootf.gamma - 1), *ends)
        if self.curve_name == "BT.1886" and lift:
            root = lift ** (1 / 2.4)
            return (Affine(1 - root, root), Decode(self.curve), *ends)
        return (Decode(self.curve), *matrix)

    @staticmethod
    def _matrix(source: Primaries, target: Primaries) -> tuple[Operation, ...]:
        return () if source == target else (Matrix.of(rgb_to_rgb(source, target, "CAT02")),)

    def to_code(self, relative: Any) -> Any:
        """Full-range code of relative light, a neutral's where one number is given."""
        return self._run(self.encode_operations(), relative)

    def to_light(self, code: Any) -> Any:
        """Relative light of full-range code, a neutral's where one number is given."""
        return self._run(self.decode_operations(), code)

    @staticmethod
    def _run(operations: tuple[Operation, ...], values: Any) -> Any:
        array = np.asarray(values, dtype=np.float64)
        if array.ndim and array.shape[-1] == 3:
            return run_reference(operations, array)
        return run_reference(operations, np.repeat(array[..., None], 3, axis=-1))[..., 1]

    def to_xyz(self, code: Any) -> Float64:
        """XYZ relative to the display's white (Y = 1 at the peak, black counted as none), of full-range code (…, 3).

        Codes for more light than the peak, which PQ has, show the peak.
        """
        light: Float64 = np.minimum(self.to_light(np.clip(code, 0, 1)), 1.0) @ rgb_to_xyz(self.gamut).T
        return light
