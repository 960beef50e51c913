"""Small pictures and scopes for the comparison and monitor pages, as data for an image element."""

from __future__ import annotations

import base64
from typing import Any

import numpy as np

from upwelling.core import engine
from upwelling.core.arrays import Float32
from upwelling.core.colour.primaries import Primaries
from upwelling.core.outputs import Output
from upwelling.core.scopes.dots import chromaticities, dot_picture, vectorscope
from upwelling.core.scopes.levels import level_picture, parade, waveform
from upwelling.core.scopes.picture_views import to_bytes
from upwelling.core.scopes.spans import whole
from upwelling.web.common.pictures import jpeg, png
from upwelling.web.footage.pictures import light_to_screen

SCOPES = {
    "waveform": "Luma waveform",
    "parade": "RGB parade",
    "vectorscope": "Vectorscope",
    "chromaticity": "Chromaticity, u′v′",
}


def picture_url(light: Float32, target: Output, quality: int = 95) -> str:
    """Relative display light (H, W, 3) as a JPEG for this screen."""
    shown = engine.run(
        engine.compile_operations(light_to_screen(target)), np.ascontiguousarray(light, dtype=np.float32)
    )
    return "data:image/jpeg;base64," + base64.b64encode(jpeg(to_bytes(shown), quality)).decode()


def scope_url(kind: str, signal: Float32, light: Float32, gamut: Primaries, weights: tuple[float, float]) -> str:
    """A scope of a whole picture as a PNG; scopes count upwards, pictures downwards."""
    spans = whole(*signal.shape[:2])
    pixels = signal.shape[0] * signal.shape[1]
    if kind == "vectorscope":
        shades = dot_picture(vectorscope(signal, weights, spans), pixels)
    elif kind == "chromaticity":
        shades = dot_picture(chromaticities(light, gamut, spans), pixels)
    elif kind == "parade":
        shades = level_picture(parade(signal, spans), *signal.shape[:2])
    else:
        shades = level_picture(waveform(signal, weights, spans), *signal.shape[:2])
    return "data:image/png;base64," + base64.b64encode(png(coloured(shades[:, ::-1], kind))).decode()


def coloured(shades: Any, kind: str) -> Any:
    """Planes (P, rows, columns) as RGB: three planes side by side in their colours, one in grey."""
    if len(shades) == 3 and kind == "parade":
        planes = []
        for channel, plane in enumerate(shades):
            picture = np.repeat((plane * 0.35).astype(np.uint8)[..., None], 3, axis=-1)
            picture[..., channel] = plane
            planes.append(picture)
        return np.ascontiguousarray(np.concatenate(planes, axis=1))
    return np.ascontiguousarray(np.repeat(shades[0][..., None], 3, axis=-1))
