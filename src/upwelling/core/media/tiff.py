"""TIFF: 2 to 16 bit integers, half and float; grey either way up, palettes and RGB."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path as FilePath
from typing import Any

import numpy as np
import tifffile

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, finish, note_orientation, quantise
from upwelling.core.media.icc import read_profile
from upwelling.core.media.own_mark import MARK, said_by, words_for
from upwelling.core.media.tags import ColourTags
from upwelling.core.media.tiff_layout import check_layout

_FLOATS: dict[str, Depth] = {"float16": "half", "float32": "float", "float64": "float"}
_INTEGERS: dict[int, Depth] = {2: "8", 4: "8", 8: "8", 10: "10", 12: "12", 14: "16", 16: "16"}
_WHITE_IS_ZERO, _BLACK_IS_ZERO, _RGB, _PALETTE, _YCBCR = 0, 1, 2, 3, 6
_REFUSED = {
    4: "a mask",
    5: "four-colour (CMYK) print",
    8: "CIE L*a*b*",
    9: "ICC L*a*b*",
    10: "ITU L*a*b*",
    32803: "a raw mosaic without DNG's own tags",
    32844: "LogL",
    32845: "LogLuv",
    34892: "linear raw without DNG's own tags",
}


def read(path: FilePath) -> Still:
    """Reads the largest full picture of a TIFF."""
    notes: list[str] = []
    check_layout(path)
    try:
        with tifffile.TiffFile(path) as tiff:
            page = _main_page(path, tiff, notes)
            depth, bits = _depth(path, page)
            pixels = _pixels(path, page, notes)
            said = {
                name: str(page.tags.valueof(number, "") or "").strip("\0 ")[:200]
                for name, number in (("make", 271), ("model", 272), ("description", 270), ("software", 305))
            }
            note_orientation(page.tags.valueof(274, None), notes)
            icc = page.tags.valueof(34675, None)
    except UnreadableFile:
        raise
    except Exception as error:  # the reader raises many kinds on damaged files; each means the same to a person
        raise UnreadableFile(path, f"is damaged ({str(error)[:80]}). Copy it again from the source.") from None
    if pixels.dtype == np.float64:
        notes.append("Double precision, read as 32-bit float.")
    metadata = {**{k: v for k, v in said.items() if v}, **said_by(said["description"])}
    tags = ColourTags()
    if isinstance(icc, bytes):
        profile = read_profile(icc)
        metadata["ICC profile"], tags = profile.sentence(), profile.tags
    return finish(
        path, pixels, "TIFF", depth, metadata, notes, bits=16 if int(page.photometric) == _PALETTE else bits, tags=tags
    )


def _main_page(path: FilePath, tiff: tifffile.TiffFile, notes: list[str]) -> Any:
    """The first picture that is not a thumbnail; some writers put a small one before it, or the main one in a directory
    below.
    """
    first = (
        [page for page in tiff.pages if isinstance(page, tifffile.TiffPage)]
        if len(tiff.pages) < 64
        else [tiff.pages[0]]
    )
    pages = [page for page in first for page in (page, *(page.pages or ())) if isinstance(page, tifffile.TiffPage)]
    whole = [page for page in pages if not int(page.tags.valueof(254, 0) or 0) & 1] or pages
    if not whole:
        raise UnreadableFile(path, "holds no picture.")
    page = whole[0]
    if not first or page is not first[0]:
        notes.append("A smaller picture stands before the main one, which is read.")
    others = len(tiff.pages) - 1 if page is first[0] else len(whole) - 1
    if others > 0:
        notes.append(f"The first of {others + 1} pictures is read.")
    check_size(path, page.imagewidth, page.imagelength)
    offsets, counts = page.dataoffsets, page.databytecounts
    if max((o + n for o, n in zip(offsets, counts, strict=False)), default=0) > path.stat().st_size:
        raise UnreadableFile(path, "the file is cut short. Copy it again from the source.")
    if not counts or 0 in counts or 0 in offsets:
        raise UnreadableFile(path, "parts of its picture are missing. Copy it again from the source.")
    return page


def _depth(path: FilePath, page: Any) -> tuple[Depth, int]:
    """The depth by name and, for integers, its bits; raises UnreadableFile."""
    kind = int(page.photometric)
    if kind in _REFUSED:
        raise UnreadableFile(path, f"holds {_REFUSED[kind]}, which is not read. Hand in an RGB picture.")
    if kind not in (_WHITE_IS_ZERO, _BLACK_IS_ZERO, _RGB, _PALETTE, _YCBCR):
        raise UnreadableFile(
            path,
            f"its colours are of kind {kind} (PhotometricInterpretation), which is not read. Hand in an RGB picture.",
        )
    name = str(page.dtype)
    if name in _FLOATS:
        return _FLOATS[name], 0
    bits = page.tags.valueof(258, 1)
    every = {int(b) for b in (bits if isinstance(bits, tuple) else (bits,))}
    if page.dtype is None or page.dtype.kind != "u" or len(every) != 1 or min(every) not in _INTEGERS:
        shown = "/".join(str(b) for b in sorted(every))
        raise UnreadableFile(
            path, f"samples of {shown} bit, type {name}, are not read; use integers of 2 to 16 bit, half or float."
        )
    if kind == _YCBCR and int(page.compression) not in (6, 7):
        raise UnreadableFile(path, "holds uncompressed Y'CbCr, which is not read in TIFF. Hand in an RGB picture.")
    return _INTEGERS[min(every)], min(every)


def _pixels(path: FilePath, page: Any, notes: list[str]) -> Any:
    pixels = page.asarray()
    if page.planarconfig == tifffile.PLANARCONFIG.SEPARATE and pixels.ndim == 3:
        pixels = np.moveaxis(pixels, 0, -1)
    kind = int(page.photometric)
    if kind == _PALETTE:
        table = page.colormap
        if table is None or pixels.ndim != 2 or int(pixels.max()) >= table.shape[1]:
            raise UnreadableFile(path, "its palette is missing or too short; the file is damaged.")
        notes.append("Palette colours, read as RGB.")
        return np.moveaxis(np.asarray(table, dtype=np.uint16)[:, pixels], 0, -1)
    if kind == _WHITE_IS_ZERO:
        if pixels.dtype.kind != "u":
            raise UnreadableFile(
                path, "has 0 for white in floating point, which has no black to count from. Hand in an RGB picture."
            )
        notes.append("Has 0 for white; turned over on reading.")
        top = 2 ** int(page.bitspersample) - 1
        pixels = (top - pixels.astype(np.int32)).astype(pixels.dtype) if pixels.ndim == 2 else pixels
        if pixels.ndim == 3:
            pixels = np.concatenate(
                [(top - pixels[..., :1].astype(np.int32)).astype(pixels.dtype), pixels[..., 1:]], axis=-1
            )
    return pixels


def write(path: FilePath, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes integers or floats, without compression of floats; the encoding stands in the description."""
    if depth in ("8", "16"):
        pixels, compression = quantise(path, code, int(depth)), "deflate"
    else:
        pixels, compression = np.asarray(code, dtype=np.float16 if depth == "half" else np.float32), None
    extra = [
        (number, 2, 0, str(tags[name]), True) for name, number in (("make", 271), ("model", 272)) if tags.get(name)
    ]
    words = ". ".join(filter(None, (str(tags.get("description", "")), words_for(tags))))
    with whole_file(path) as temporary:
        tifffile.imwrite(
            temporary,
            pixels,
            photometric="rgb",
            compression=compression,
            metadata=None,
            description=words,
            software=MARK,
            extratags=extra,
            iccprofile=tags.get("icc"),
        )


TIFF = Container(
    "TIFF", (".tif", ".tiff"), (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"), ("8", "16", "half", "float"), read, write
)
