"""A decoded movie frame's planes, as the codec gives them, turned to R'G'B' codes."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any

import numpy as np

from upwelling.core.colour.primaries import PRIMARIES
from upwelling.core.errors import UnreadableFile
from upwelling.core.media.footage import FileFacts, Reading
from upwelling.core.media.ycbcr import LUMA, READ, SITINGS, Planes, Siting, to_rgb_code

_REPACK = {
    "nv12": "yuv420p",
    "nv16": "yuv422p",
    "p010le": "yuv420p10le",
    "p210le": "yuv422p10le",
    "yuyv422": "yuv422p",
    "uyvy422": "yuv422p",
    "v210": "yuv422p10le",
    "bgr24": "rgb24",
    "bgra": "rgb24",
    "rgba": "rgb24",
    "bgr0": "rgb24",
    "rgb0": "rgb24",
    "argb": "rgb24",
    "0rgb": "rgb24",
    "abgr": "rgb24",
    "0bgr": "rgb24",
    "rgba64le": "rgb48le",
    "bgr48le": "rgb48le",
    "bgra64le": "rgb48le",
    "nv24": "yuv444p",
    "p410le": "yuv444p10le",
    "p012le": "yuv420p12le",
    "p016le": "yuv420p16le",
}
"""Packed layouts and the planar or plain one with the same numbers; repacking moves samples and computes nothing."""


def plain(frame: Any) -> Any:
    """The frame in a planar or plain layout of little-endian samples, its numbers as they were."""
    name = frame.format.name
    if name.endswith("be"):
        frame = frame.reformat(format=name[:-2] + "le")
        name = frame.format.name
    return frame.reformat(format=_REPACK[name]) if name in _REPACK else frame


def plane_of(path: FilePath, frame: Any, index: int, bits: int) -> Any:
    """One plane (rows, columns) of integers."""
    plane = frame.planes[index]
    kind = np.uint8 if bits <= 8 else np.uint16
    raw = np.frombuffer(plane, kind)
    pitch = plane.line_size // kind().itemsize
    if pitch < plane.width or raw.size < pitch * plane.height:
        raise UnreadableFile(path, "a decoded frame is smaller than it says. The file is damaged.")
    return raw[: pitch * plane.height].reshape(plane.height, pitch)[:, : plane.width]


def matrix_for(facts: FileFacts, reading: Reading) -> str:
    """The matrix planes are decoded by: as said, as tagged, or by the picture's size; raises UnreadableFile for one
    that is not read.
    """
    matrix = reading.matrix or facts.tags.matrix
    if matrix in LUMA or matrix == "YCgCo" or (matrix == "derived NCL" and facts.tags.primaries in PRIMARIES):
        return matrix
    if matrix and matrix != "RGB":
        wanting = " without primaries it could be derived from" if matrix == "derived NCL" else ""
        raise UnreadableFile(
            "",
            f"its colour is kept as {matrix}{wanting}, which is not read. Hand in Y'CbCr of BT.709, BT.601 or BT.2020 "
            f"(non-constant luminance), or R'G'B'; read are {', '.join(READ)}.",
        )
    return guessed_matrix(facts)


SD_LINES = (480, 486, 576)
"""Lines of standard definition (ITU-R BT.601-7; 486 of SMPTE ST 125)."""


def guessed_matrix(facts: FileFacts) -> str:
    """The matrix of a movie that names none: BT.601 for the sizes of standard definition, else BT.709. Common practice,
    no source: a proxy of 540 lines is a small picture of a BT.709 camera.
    """
    return "BT.601" if facts.height in SD_LINES and facts.width <= 720 else "BT.709"


def code_of(path: FilePath, frame: Any, facts: FileFacts, reading: Reading) -> Any:
    """R'G'B' codes (H, W, 3) float32 of a frame, in the range it is read in and on the scale of the file's depth."""
    if (frame.width, frame.height) != (facts.width, facts.height):
        raise UnreadableFile(
            path,
            f"a frame is {frame.width} × {frame.height} where the movie began with {facts.width} × {facts.height}. "
            "Cut the movie where its size changes and hand in the parts.",
        )
    is_fielded = bool(frame.interlaced_frame)
    frame = plain(frame)
    name = frame.format.name
    bits = max(c.bits for c in frame.format.components)
    if bits > 16:
        raise UnreadableFile(path, f"its pixels are kept as “{name}”, which is not read. Hand in a 8 to 16 bit file.")
    scale = int(facts.depth)
    # On another depth's scale, legal codes keep their place between black and white, full ones between 0 and the
    # largest.
    top = np.float32((2.0**scale - 1) / 2.0 ** (scale - bits) if reading.range == "legal" else 2**bits - 1)
    if name.startswith("gbr"):
        green, blue, red = (plane_of(path, frame, i, bits) for i in range(3))
        return np.stack([red, green, blue], axis=-1).astype(np.float32) / top
    if name.startswith("gray"):
        return np.repeat(plane_of(path, frame, 0, bits)[..., None].astype(np.float32) / top, 3, axis=-1)
    if name.startswith("yuv"):
        y, cb, cr = (plane_of(path, frame, i, bits) for i in range(3))
        try:
            matrix = matrix_for(facts, reading)
        except UnreadableFile as error:
            raise UnreadableFile(path, error.problem) from None
        if y.shape[1] > 2 * cb.shape[1] or y.shape[0] > 2 * cb.shape[0]:
            raise UnreadableFile(
                path, f"its chroma is kept as “{name}”, which is not read. Hand in 4:2:0, 4:2:2 or 4:4:4."
            )
        siting = reading.siting or siting_of(facts, matrix)
        return to_rgb_code(
            Planes(y, cb, cr, bits),
            matrix,
            reading.range,
            siting,
            scale_depth=scale,
            fields=is_fielded,
            space=PRIMARIES.get(facts.tags.primaries),
        )
    if name in ("rgb24", "rgb48le"):
        width = frame.width * 3
        plane = frame.planes[0]
        kind = np.uint8 if name == "rgb24" else np.uint16
        raw = np.frombuffer(plane, kind)[: plane.line_size // kind().itemsize * frame.height].reshape(frame.height, -1)
        return raw[:, :width].reshape(frame.height, frame.width, 3).astype(np.float32) / np.float32(np.iinfo(kind).max)
    raise UnreadableFile(path, f"its pixels are kept as “{name}”, which is not read. Hand in Y'CbCr or RGB.")


def siting_of(facts: FileFacts, matrix: str) -> Siting:
    """Where chroma sits: as the file says; else JPEG centre, BT.2020 4:2:0 top left (BT.2020-2 table 4), all else left
    (H.264 type 0).
    """
    if facts.siting in SITINGS:
        return facts.siting
    if facts.codec in ("mjpeg", "mjpegb", "mpeg1video"):
        return "centre"
    return "top left" if facts.subsampling == "4:2:0" and matrix == "BT.2020" else "left"
