"""Sampling a Path into a LUT, and choosing the samples that test it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.errors import BadValue
from upwelling.core.lut import Lut3D, lattice
from upwelling.core.path import Path

SMALLEST, LARGEST = 2, 129
FRAME = "the shot's own frame"
SEED = 20130
"""Fixed, so that a certificate can be reproduced to the digit."""
_STRATA = 42
_RANDOM = 40_000
_NEUTRAL = 4096
_FACE = 48
_FRAME = 60_000


def no_report(share: float, message: str) -> None:
    """A progress callback that says nothing."""


Progress = Callable[[float, str], None]


def bake(path: Path, size: int, *, title: str = "", progress: Progress = no_report) -> Lut3D:
    """The path on a size³ lattice of file codes 0…1, by the exact float64 path; outputs are held to 0…1."""
    if not SMALLEST <= size <= LARGEST:
        raise BadValue(f"A grid of {size} cannot be baked; choose {SMALLEST} to {LARGEST}.")
    codes = lattice(size)
    table = np.empty(codes.shape, dtype=np.float32)
    for red in range(size):
        table[red] = np.clip(path.apply(codes[red]), 0.0, 1.0)
        progress((red + 1) / size, f"Sampling the path, {red + 1} of {size} planes")
    comments = (
        f"Baked by Upwelling from the exact path {path.fingerprint[:16]}",
        f"Expects: {path.input.encoding} code, {path.camera.range} range",
        f"Gives: {path.display.output} code, {path.display.range} range",
    )
    return Lut3D(table, title=title, comments=comments)


def sample_sets(frame: Any = None) -> dict[str, Float64]:
    """The test samples by set, each (N, 3) of file code 0…1; ``frame`` is the shot's own picture, if there is one."""
    rng = np.random.default_rng(SEED)
    cells = np.stack(np.meshgrid(*[np.arange(_STRATA)] * 3, indexing="ij"), axis=-1).reshape(-1, 3)
    stratified = (cells + rng.random(cells.shape)) / _STRATA
    ramp = np.linspace(0.0, 1.0, _FACE)
    face = np.stack(np.meshgrid(ramp, ramp, indexing="ij"), axis=-1).reshape(-1, 2)
    faces = [np.insert(face, axis, end, axis=1) for axis in range(3) for end in (0.0, 1.0)]
    sets = {
        "stratified": stratified,
        "random": rng.random((_RANDOM, 3)),
        "neutral axis": np.repeat(np.linspace(0.0, 1.0, _NEUTRAL)[:, None], 3, axis=1),
        "faces of the cube": np.concatenate(faces),
    }
    if frame is not None:
        pixels = np.asarray(frame, dtype=np.float64).reshape(-1, 3)
        if len(pixels) > _FRAME:
            pixels = pixels[rng.choice(len(pixels), _FRAME, replace=False)]
        sets[FRAME] = pixels
    return sets
