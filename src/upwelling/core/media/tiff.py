"""TIFF, 8 and 16 bit integers, half and float."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
import tifffile

from upwelling.core.errors import UnreadableFile
from upwelling.core.files import whole_file
from upwelling.core.media.base import Container, Depth, Still, check_size, finish, quantise

_DEPTHS: dict[str, Depth] = {"uint8": "8", "uint16": "16", "float16": "half", "float32": "float", "float64": "float"}


def read(path: Path) -> Still:
    """Reads the first picture of a TIFF."""
    notes: list[str] = []
    try:
        with tifffile.TiffFile(path) as tiff:
            if not tiff.pages:
                raise UnreadableFile(path, "holds no picture.")
            page = tiff.pages[0]
            if not isinstance(page, tifffile.TiffPage):
                raise UnreadableFile(path, "its first picture cannot be found.")
            check_size(path, page.imagewidth, page.imagelength)
            depth = _DEPTHS.get(str(page.dtype))
            if depth is None:
                raise UnreadableFile(path, f"samples of type {page.dtype} are not read; use 8 or 16 bit integers, half or float.")
            if len(tiff.pages) > 1:
                notes.append(f"The first of {len(tiff.pages)} pictures is read.")
            end = max((o + n for o, n in zip(page.dataoffsets, page.databytecounts, strict=False)), default=0)
            if end > path.stat().st_size:
                raise UnreadableFile(path, "the file is cut short. Copy it again from the source.")
            pixels = page.asarray()
            said = {name: str(page.tags.valueof(number, "") or "").strip("\0 ")[:120] for name, number in (("make", 271), ("model", 272))}
            if page.planarconfig == tifffile.PLANARCONFIG.SEPARATE and pixels.ndim == 3:
                pixels = np.moveaxis(pixels, 0, -1)
    except UnreadableFile:
        raise
    except Exception as error:  # the reader raises many kinds on damaged files; each means the same to a person
        raise UnreadableFile(path, f"is damaged ({str(error)[:80]}). Copy it again from the source.") from None
    if pixels.dtype == np.float64:
        notes.append("Double precision, read as 32-bit float.")
    return finish(path, pixels, "TIFF", depth, {k: v for k, v in said.items() if v}, notes)


def write(path: Path, code: Any, depth: Depth, tags: Mapping[str, Any]) -> None:
    """Writes integers or floats, without compression of floats."""
    if depth in ("8", "16"):
        pixels, compression = quantise(path, code, int(depth)), "deflate"
    else:
        pixels, compression = np.asarray(code, dtype=np.float16 if depth == "half" else np.float32), None
    extra = [(number, 2, 0, str(tags[name]), True) for name, number in (("make", 271), ("model", 272)) if tags.get(name)]
    with whole_file(path) as temporary:
        tifffile.imwrite(temporary, pixels, photometric="rgb", compression=compression, metadata=None,
                         description=str(tags.get("description", "")), software="Upwelling", extratags=extra)


TIFF = Container("TIFF", (".tif", ".tiff"), (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+"), ("8", "16", "half", "float"), read, write)
