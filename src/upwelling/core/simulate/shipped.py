"""Kilnlight's scenes as they ship: traced once by scripts/kilnlight, so that a demonstration need not trace them
anew.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from importlib.resources import as_file, files
from pathlib import Path as FilePath

import cv2
import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.curves.aces_log import ACESCCT
from upwelling.core.media import frames_of, open_footage, read_still

SCENES = ("Gathering room", "Cold bench", "Colour store", "Yard at dusk")
WIDTH, HEIGHT, SAMPLES = 1600, 900, 10
MOVING = "Turning bust"
MOVING_FILE = "turning-bust.mp4"
MOVING_WIDTH, MOVING_HEIGHT, MOVING_SAMPLES = 640, 360, 10
"""The one scene that moves ships as a movie of ACEScct codes, frame by frame."""


def file_name(scene: str) -> str:
    """“Colour store” is colour-store.exr."""
    return scene.lower().replace(" ", "-") + ".exr"


def shipped(scene: str) -> Float32:
    """Scene-linear AP1 light (900, 1600, 3) of a scene by its name."""
    with _scene(file_name(scene)) as place:
        return read_still(place).code


def shipped_at(scene: str, width: int, height: int) -> Float32:
    """The same at another size, areas averaged."""
    return np.asarray(cv2.resize(shipped(scene), (width, height), interpolation=cv2.INTER_AREA), dtype=np.float32)


def shipped_frames() -> Iterator[Float32]:
    """Scene-linear AP1 light (360, 640, 3) of the frames of the scene that moves."""
    with _scene(MOVING_FILE) as place:
        movie = open_footage(place)
        for still in frames_of(movie, range(movie.facts.frames)):
            yield ACESCCT.to_linear(still.code.astype(np.float64)).astype(np.float32)


@contextmanager
def _scene(name: str) -> Iterator[FilePath]:
    with as_file(files("upwelling.core.simulate") / "scenes" / name) as place:
        yield place
