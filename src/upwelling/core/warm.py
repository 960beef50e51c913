"""Loads or compiles every kernel a page uses, ahead of a person's first request."""

from __future__ import annotations

import subprocess
import sys

import numpy as np

from upwelling.core.colour.primaries import primaries
from upwelling.core.engine import OPCODES, compile_operations, number_opcodes, run
from upwelling.core.kernels import compiling, is_compiled
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.lut.formats.cube import format_cube, parse_cube
from upwelling.core.media.dpx_kernel import unpack_tens
from upwelling.core.media.ycbcr import Planes, to_rgb_code
from upwelling.core.operations import Affine
from upwelling.core.raw.mosaic import QUALITIES, Mosaic
from upwelling.core.scopes.dots import chromaticities, vectorscope
from upwelling.core.scopes.facts import camera_plateau, scene_facts
from upwelling.core.scopes.levels import parade, waveform
from upwelling.core.scopes.picture_views import clip_view, false_colour, to_bytes
from upwelling.core.scopes.spans import whole
from upwelling.core.tables.evidence import prepare


def warm() -> None:
    """Runs each kernel once on next to nothing: most of a minute on a new machine, a blink where they are cached.

    One process at a time does it: another waits and then loads what the first has compiled.
    """
    with compiling():
        if not is_compiled(number_opcodes.__file__):
            _side_by_side()
        _engine()
        _rest()


def _side_by_side() -> None:
    """Compiles the engine in a process of its own while this one compiles the rest; what it compiled is then loaded."""
    other = subprocess.Popen([sys.executable, "-c", "from upwelling.core import warm; warm._engine()"])
    _rest()
    other.wait()


def _engine() -> None:
    run(compile_operations((Affine(1.0),)), np.full((8, 8, 3), 0.2, dtype=np.float32))
    for opcode in OPCODES:
        opcode.address  # noqa: B018  asking for it compiles it


def _rest() -> None:
    picture = np.full((8, 8, 3), 0.2, dtype=np.float32)
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
    unpack_tens(np.zeros(4, np.uint32), *np.arange(3, dtype=np.uint32), np.zeros((4, 3), np.uint16))
    to_rgb_code(Planes(flat, flat[:, ::2], flat[:, ::2], 10), "BT.709", "legal")
    for quality in QUALITIES:
        Mosaic(flat).camera_rgb(quality)
    table = Lut3D(lattice(2).astype(np.float32))
    table.apply(picture)
    table.apply(picture, plain=True)
    table.apply(picture, "trilinear")
    parse_cube(format_cube(table).encode())
    prepare()
