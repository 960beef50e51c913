"""A still to send: one frame at full size, in codes that say of themselves what they are."""

from __future__ import annotations

from pathlib import Path as FilePath
from typing import Any, Literal

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import Float32
from upwelling.core.delivery.frames import said_of, ways
from upwelling.core.delivery.presets import preset
from upwelling.core.errors import BadValue
from upwelling.core.media import write_still
from upwelling.core.media.icc_write import display_profile
from upwelling.core.media.tags import PRIMARIES
from upwelling.core.operations import Place
from upwelling.core.path import Path

Kind = Literal["png", "tif", "exr"]
FORMS: dict[Kind, str] = {"png": "PNG 16-bit", "tif": "TIFF 16-bit", "exr": "EXR half"}
"""How a still of each kind is coded: as a delivery of that preset is."""
CAPTION = 28
"""A caption's bar is this part of the picture's height."""
INK = 0.6
"""Code of a caption's letters; its ground is black. Ours."""


def still_codes(code: Any, path: Path, kind: Kind, place: Place) -> Float32:
    """(H, W, 3) full-range codes of a frame's file codes, by the engine, as a delivery of that form has them."""
    way = ways(path, preset(FORMS[kind]))
    return engine.run(engine.compile_operations((*way.to_light, *way.to_code)), code, place=place)


def with_caption(codes: Float32, letters: Float32) -> Float32:
    """The picture with a bar below it; ``letters`` (rows, W) 0…1 are drawn into it. The picture's codes stay."""
    bar = np.repeat((letters * np.float32(INK))[..., None], 3, axis=-1)
    return np.concatenate((codes, bar.astype(np.float32)))


def write_to_send(place: FilePath, codes: Float32, path: Path, kind: Kind) -> None:
    """Writes the still with an ICC profile (SDR) or cICP (HDR, PNG), or linear light with its primaries (EXR). Raises
    BadValue where the file could not say what its codes are.
    """
    form = preset(FORMS[kind])
    primaries, curve, name = said_of(path, form)
    tags: dict[str, Any] = {"primaries": primaries, "transfer": curve, "encoding": name, "range": form.range}
    target = path.target
    if kind != "exr" and not path.display.on:
        raise BadValue("Its Display code is off, or nothing is known of the file, so these are no display’s codes.")
    if kind != "exr" and not target.is_hdr:
        tags["icc"] = display_profile(target)
    if kind == "png" and target.is_hdr and primaries.name not in PRIMARIES.values():
        raise BadValue(f"ITU-T H.273 has no number for {primaries.name} primaries, so an HDR PNG cannot say them.")
    if kind == "tif" and target.is_hdr:
        raise BadValue(f"A TIFF has no place to say {target.curve_name}. Send HDR as PNG, or the scene’s light as EXR.")
    write_still(place, codes, form.depth, tags)
