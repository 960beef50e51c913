"""Loads or compiles every kernel a page uses, ahead of a person's first request."""

from __future__ import annotations

import numpy as np

from upwelling.core.engine import compile_operations, run
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.lut.formats.cube import format_cube, parse_cube
from upwelling.core.lut_evidence import prepare
from upwelling.core.media.ycbcr import Planes, to_rgb_code
from upwelling.core.operations import Affine
from upwelling.core.picture_views import clip_view, false_colour, to_bytes
from upwelling.core.primaries import primaries
from upwelling.core.raw.mosaic import QUALITIES, Mosaic
from upwelling.core.scopes import camera_plateau, chromaticities, parade, scene_facts, vectorscope, waveform, whole


def warm() -> None:
    """Runs each kernel once on next to nothing; takes seconds on a new machine, and a blink where they are cached."""
    picture = np.full((8, 8, 3), 0.2, dtype=np.float32)
    run(compile_operations((Affine(1.0),)), picture)
    spans = whole(8, 8)
    parade(picture, spans)
    waveform(picture, (0.2126, 0.0722), spans)
    vectorscope(picture, (0.2126, 0.0722), spans)
    chromaticities(picture, primaries("AP1"), spans)
    scene_facts(picture, primaries("AP1"), np.eye(3), spans)
    camera_plateau(picture)
    false_colour(picture, primaries("AP1"))
    clip_view(picture, picture, 1.0, 0.0, 1.0)
    to_bytes(picture)
    flat = np.full((8, 8), 512, np.uint16)
    to_rgb_code(Planes(flat, flat[:, ::2], flat[:, ::2], 10), "BT.709", "legal")
    for quality in QUALITIES:
        Mosaic(flat).camera_rgb(quality)
    table = Lut3D(lattice(2).astype(np.float32))
    table.apply(picture)
    table.apply(picture, plain=True)
    table.apply(picture, "trilinear")
    parse_cube(format_cube(table).encode())
    prepare()
