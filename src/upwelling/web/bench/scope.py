"""The first scope of the Bench, as the page draws it: shades of planes, and what is written beside them."""

from __future__ import annotations

from typing import Any

from upwelling.core.media.ycbcr import LUMA
from upwelling.core.path import Path
from upwelling.core.scopes import SKIN_DEGREES, parade, parade_picture, vector_picture, vector_targets, vectorscope, waveform

SCOPES = ("parade", "waveform", "vectorscope")


def draw(name: str, signal: Any, path: Path) -> tuple[Any, dict[str, Any]]:
    """uint8 (planes, levels, columns) of a scope over display signal (H, W, 3), and its description for the page.

    An unknown name is drawn as the parade. Luma and colour differences are those of the output: BT.2020's for its primaries,
    else BT.709's.
    """
    weights = LUMA["BT.2020" if path.target.primaries_name == "BT.2020" else "BT.709"]
    height, width = signal.shape[:2]
    said: dict[str, Any] = {"kind": name if name in SCOPES else SCOPES[0]}
    if name == "waveform":
        shades = parade_picture(waveform(signal, weights), height, width)
    elif name == "vectorscope":
        shades = vector_picture(vectorscope(signal, weights), height * width)
        said |= {"targets": vector_targets(weights), "skin": SKIN_DEGREES}
    else:
        shades = parade_picture(parade(signal), height, width)
    return shades, {**said, "planes": shades.shape[0], "levels": shades.shape[1], "columns": shades.shape[2]}
