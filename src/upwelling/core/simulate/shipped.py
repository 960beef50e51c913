"""Kilnlight's scenes as they ship: traced once by scripts/render_scenes.py, so that a demonstration need not trace them
anew.
"""

from __future__ import annotations

from importlib.resources import as_file, files

from upwelling.core.arrays import Float32
from upwelling.core.media import read_still

WIDTH, HEIGHT, SAMPLES = 1600, 900, 10


def file_name(scene: str) -> str:
    """“Colour store” is colour-store.exr."""
    return scene.lower().replace(" ", "-") + ".exr"


def shipped(scene: str) -> Float32:
    """Scene-linear AP1 light (900, 1600, 3) of a scene by its name."""
    with as_file(files("upwelling.core.simulate") / "scenes" / file_name(scene)) as place:
        return read_still(place).code
