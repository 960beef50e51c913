"""Y'CbCr planes to R'G'B' signal and back, by the definitions, never by a library's scaler.

Sources: ITU-R BT.601-7, BT.709-6, BT.2020-2 (luma weights, quantisation); ITU-T H.273 (names, full range, YCgCo, FCC's
weights, weights derived from primaries); chroma siting as in ITU-T H.264 annex E, figure E-1 (types 0 to 5 in the order
of ``Siting``); 4:2:0 of two fields as in ITU-T H.262, figure 6-2: each field's chroma lies a quarter and three quarters
of its lines down.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.colour.primaries import Primaries, rgb_to_xyz
from upwelling.core.encodings.base import Range
from upwelling.core.errors import UnwritableFile
from upwelling.core.kernels import KERNEL_LOCK
from upwelling.core.media.ycbcr_kernel import planes_to_rgb

LUMA: dict[str, tuple[float, float]] = {
    "BT.709": (0.2126, 0.0722),
    "BT.601": (0.299, 0.114),
    "BT.2020": (0.2627, 0.0593),
    "SMPTE 240M": (0.212, 0.087),
    "FCC": (0.30, 0.11),
}
"""Matrix name to K_R, K_B."""
READ = (*LUMA, "YCgCo", "derived NCL")
"""Matrices that planes can be decoded by; the last takes its weights from the primaries."""
Siting = Literal["left", "centre", "top left", "top", "bottom left", "bottom"]
_PLACES: dict[str, tuple[float, float]] = {
    "left": (0.0, 0.5),
    "centre": (0.5, 0.5),
    "top left": (0.0, 0.0),
    "top": (0.5, 0.0),
    "bottom left": (0.0, 1.0),
    "bottom": (0.5, 1.0),
}
SITINGS: tuple[Siting, ...] = ("left", "centre", "top left", "top", "bottom left", "bottom")
"""By H.264's type number."""


@dataclass(frozen=True, eq=False)
class Planes:
    """Integer planes as a codec gives them: ``y`` (H, W), ``cb`` and ``cr`` smaller by the subsampling (1 or 2)."""

    y: Any
    cb: Any
    cr: Any
    depth: int

    @property
    def subsampling(self) -> tuple[int, int]:
        return (1 if self.cb.shape[1] == self.y.shape[1] else 2, 1 if self.cb.shape[0] == self.y.shape[0] else 2)


def _scales(depth: int, code_range: Range) -> tuple[float, float, float, float]:
    """Offset and span of Y', then of Cb and Cr."""
    unit, middle = 2.0 ** (depth - 8), 2.0 ** (depth - 1)
    if code_range == "legal":
        return 16 * unit, 219 * unit, middle, 224 * unit
    top = 2.0**depth - 1
    return 0.0, top, middle, top


def weights_of(space: Primaries) -> tuple[float, float]:
    """K_R and K_B that follow from primaries and white. Source: ITU-T H.273, equations 35 to 40 (chroma-derived)."""
    luminance = rgb_to_xyz(space)[1]
    return float(luminance[0]), float(luminance[2])


def _shares(matrix: str, space: Primaries | None) -> tuple[float, ...]:
    """What each of R, G, B takes of Cb and of Cr."""
    if matrix == "YCgCo":
        return -1.0, 1.0, 1.0, 0.0, -1.0, -1.0
    k_r, k_b = weights_of(space) if matrix == "derived NCL" and space is not None else LUMA[matrix]
    k_g = 1 - k_r - k_b
    return 0.0, 2 * (1 - k_r), -2 * k_b * (1 - k_b) / k_g, -2 * k_r * (1 - k_r) / k_g, 2 * (1 - k_b), 0.0


def to_rgb_code(
    planes: Planes,
    matrix: str,
    code_range: Range,
    siting: Siting = "left",
    *,
    scale_depth: int = 0,
    fields: bool = False,
    space: Primaries | None = None,
) -> Float32:
    """R'G'B' codes (H, W, 3) of the file's range, unclipped: legal white is 235/255 at 8 bit.

    Chroma is interpolated linearly from where its samples sit, with ``fields`` within each field's own lines.
    ``scale_depth`` is the depth whose scale the codes are in, where it is not the planes' (9 bit legal codes in a
    10-bit scale). ``space`` is needed by “derived NCL”.
    """
    y0, y_span, c0, c_span = _scales(planes.depth, code_range)
    o0, o_span, _, _ = _scales(scale_depth or planes.depth, code_range)
    top = 2.0 ** (scale_depth or planes.depth) - 1
    sub_x, sub_y = planes.subsampling
    off_x, off_y = _PLACES[siting]
    out = np.empty((*planes.y.shape, 3), np.float32)
    shares = _shares(matrix, space)
    parts = [(slice(None), off_y)]
    if fields and sub_y == 2:
        parts = [
            (slice(0, None, 2), 0.25 if off_y == 0.5 else off_y),
            (slice(1, None, 2), 0.75 if off_y == 0.5 else off_y),
        ]
    for lines, down in parts:
        numbers = np.array(
            [
                y0,
                1 / y_span,
                c0,
                1 / c_span,
                o_span / top,
                o0 / top,
                off_x if sub_x == 2 else 0.0,
                down if sub_y == 2 else 0.0,
                *shares,
            ],
            dtype=np.float32,
        )
        y, cb, cr = (np.ascontiguousarray(plane[lines], dtype=np.uint16) for plane in (planes.y, planes.cb, planes.cr))
        part = out if len(parts) == 1 else np.empty((*y.shape, 3), np.float32)
        with KERNEL_LOCK:
            planes_to_rgb(y, cb, cr, sub_x, sub_y, numbers, part)
        if part is not out:
            out[lines] = part
    return out


def from_rgb_signal(
    rgb: Any, matrix: str, code_range: Range, depth: int, subsampling: tuple[int, int] = (1, 1), siting: Siting = "left"
) -> Planes:
    """Planes of full-range R'G'B' signal (H, W, 3), rounded and held to the codes the depth has."""
    k_r, k_b = LUMA[matrix]
    y0, y_span, c0, c_span = _scales(depth, code_range)
    rgb = np.asarray(rgb, dtype=np.float64)
    if not np.isfinite(rgb).all():
        raise UnwritableFile("picture", "it holds values that are not a number, so it is not written.")
    luma = k_r * rgb[..., 0] + (1 - k_r - k_b) * rgb[..., 1] + k_b * rgb[..., 2]
    differences = ((rgb[..., 2] - luma) / (2 * (1 - k_b)), (rgb[..., 0] - luma) / (2 * (1 - k_r)))
    off_x, off_y = _PLACES[siting]
    small = []
    for plane in differences:
        if subsampling[0] == 2:
            plane = _halve(plane, 1, off_x)
        if subsampling[1] == 2:
            plane = _halve(plane, 0, off_y)
        small.append(plane)
    kind = np.uint8 if depth == 8 else np.uint16
    top = 2**depth - 1

    def whole(values: Any, zero: float, span: float) -> Any:
        return np.clip(np.rint(values * span + zero), 0, top).astype(kind)

    return Planes(whole(luma, y0, y_span), whole(small[0], c0, c_span), whole(small[1], c0, c_span), depth)


def _halve(plane: Any, axis: int, offset: float) -> Any:
    """Every second sample along an axis: the mean of a pair, or 1-2-1 about a sample that chroma sits on."""
    plane = np.moveaxis(plane, axis, -1)
    if plane.shape[-1] % 2:
        plane = np.concatenate([plane, plane[..., -1:]], axis=-1)
    if offset == 0.5:
        out = (plane[..., 0::2] + plane[..., 1::2]) / 2
    else:
        on, off = (
            (plane[..., 0::2], plane[..., 1::2])
            if offset == 0
            else (plane[..., ::-1][..., 0::2], plane[..., ::-1][..., 1::2])
        )
        before = np.concatenate([on[..., :1], off[..., :-1]], axis=-1)
        out = (before + 2 * on + off) / 4
        out = out if offset == 0 else out[..., ::-1]
    return np.moveaxis(out, -1, axis)
