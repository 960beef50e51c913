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
from upwelling.core.media.dither import Dither, blue_noise, place_of
from upwelling.core.media.planes_out_kernel import diffuse_plane, halve_plane, reduce_plane, rgb_to_differences
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
        parts = [(slice(n, None, 2), down) for n, down in enumerate(_downs(off_y))]
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
        left, share = _between(y.shape[1], cb.shape[1], sub_x, numbers[6])
        with KERNEL_LOCK:
            planes_to_rgb(y, cb, cr, left, share, sub_y, numbers, part)
        if part is not out:
            out[lines] = part
    return out


def _downs(down: float) -> tuple[float, float]:
    """Where chroma lies down the lines of each of two fields, that of frames lying at ``down``."""
    return (0.25, 0.75) if down == 0.5 else (down, down)


def _between(width: int, columns: int, sub_x: int, offset: float) -> tuple[Any, Any]:
    """For every pixel of a line, the chroma sample to its left, and its share of the way to the next."""
    at = np.clip((np.arange(width, dtype=np.float32) - np.float32(offset)) / np.float32(sub_x), 0, columns - 1)
    left = at.astype(np.int64)
    return left, (at - left).astype(np.float32)


def from_rgb_signal(
    rgb: Any,
    matrix: str,
    code_range: Range,
    depth: int,
    subsampling: tuple[int, int] = (1, 1),
    siting: Siting = "left",
    *,
    dither: Dither = "none",
    frame: int = 0,
    fields: bool = False,
) -> Planes:
    """Planes of full-range R'G'B' signal (H, W, 3), rounded and held to the codes the depth has.

    Chroma is filtered to where its samples sit: the mean of a pair, or 1-2-1 about a sample that it sits on; with
    ``fields`` each field's from its own lines. ``dither`` hides the rounding, blue noise at a place that goes by the
    number of the ``frame``.
    """
    across, down = _PLACES[siting]
    if fields and subsampling[1] == 2:
        parts = [
            _planes_out(
                np.asarray(rgb)[n::2], matrix, code_range, depth, subsampling, (across, at), dither, 2 * frame + n
            )
            for n, at in enumerate(_downs(down))
        ]
        y, cb, cr = (_woven(*(getattr(part, name) for part in parts)) for name in ("y", "cb", "cr"))
        return Planes(y, cb, cr, depth)
    return _planes_out(rgb, matrix, code_range, depth, subsampling, (across, down), dither, frame)


def _woven(top: Any, bottom: Any) -> Any:
    """Two fields line by line."""
    made = np.empty((top.shape[0] + bottom.shape[0], *top.shape[1:]), top.dtype)
    made[0::2], made[1::2] = top, bottom
    return made


def _planes_out(
    rgb: Any,
    matrix: str,
    code_range: Range,
    depth: int,
    subsampling: tuple[int, int],
    place: tuple[float, float],
    dither: Dither,
    frame: int,
) -> Planes:
    """Of one picture, chroma at a ``place`` across and down."""
    k_r, k_b = LUMA[matrix]
    y0, y_span, c0, c_span = _scales(depth, code_range)
    rgb = np.ascontiguousarray(rgb)
    if rgb.dtype not in (np.float32, np.float64):
        rgb = rgb.astype(np.float64)
    if not rgb.flags.writeable:
        rgb = rgb.copy()  # a read-only array is another type to the compiler
    height, width = rgb.shape[:2]
    weights = np.array([k_r, 1 - k_r - k_b, k_b, 1 / (2 * (1 - k_b)), 1 / (2 * (1 - k_r)), 0.5], rgb.dtype)
    top, kind = 2.0**depth - 1, np.uint8 if depth == 8 else np.uint16
    noise = blue_noise() if dither == "blue noise" else _STILL
    luma, bad = np.empty((height, width), kind), np.zeros(height, np.bool_)
    blue, red = (np.empty((height, width), np.float32) for _ in range(2))
    with KERNEL_LOCK:
        scale = np.array([y0, y_span, top, 0], rgb.dtype)
        rgb_to_differences(rgb, weights, scale, noise, *place_of(frame, 0), luma, blue, red, bad)
    if bad.any():
        raise UnwritableFile("picture", "it holds values that are not a number, so it is not written.")
    off_x, off_y = place
    taps = _taps(subsampling[0], off_x), _taps(subsampling[1], off_y)
    shape = (-(-height // subsampling[1]), -(-width // subsampling[0]))
    chroma = []
    for number, plane in enumerate((blue, red), 1):
        out = np.empty(shape, kind)
        with KERNEL_LOCK:
            if dither == "diffused":
                small = np.empty(shape)
                halve_plane(plane, *subsampling, *taps, small)
                diffuse_plane(small, c0, c_span, top, out)
            else:
                scale = np.array([c0, c_span, top, 0], np.float32)
                weigh = (taps[0].astype(np.float32), taps[1].astype(np.float32))
                reduce_plane(plane, *subsampling, *weigh, scale, noise, *place_of(frame, number), out)
        chroma.append(out)
    if dither == "diffused":
        exact = np.asarray(rgb, np.float64) @ np.array([k_r, 1 - k_r - k_b, k_b])
        with KERNEL_LOCK:
            diffuse_plane(exact, y0, y_span, top, luma)
    return Planes(luma, chroma[0], chroma[1], depth)


_STILL = np.zeros((1, 1))


def _taps(subsampling: int, offset: float) -> Any:
    """Weights of the samples at −1, 0, 1 and 2 from each one kept."""
    if subsampling == 1:
        return np.array([0.0, 1.0, 0.0, 0.0])
    known = {0.0: [0.25, 0.5, 0.25, 0.0], 0.5: [0.0, 0.5, 0.5, 0.0], 1.0: [0.0, 0.25, 0.5, 0.25]}
    # A field's chroma lies between two of these places, and so do its weights.
    known |= {0.25: [0.125, 0.5, 0.375, 0.0], 0.75: [0.0, 0.375, 0.5, 0.125]}
    return np.array(known[offset])
