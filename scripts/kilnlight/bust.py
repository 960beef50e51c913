"""The moving scene as light: the bust, its face, and the board that hides it."""

from __future__ import annotations

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.simulate.turning_bust import (
    COLD_BENCH_EYE,
    COLD_BENCH_TARGET,
    COLD_BENCH_VIEW,
    COVERED,
    RADIUS,
    Point,
    head_at,
    on_face,
)

from . import tracer
from .rooms import cold_room
from .scene import Scene


def turning_bust(frame: int, width: int = 640, height: int = 360, samples: int = 12) -> Float32:
    """Scene-linear AP1 light of one frame, 0 to 47."""
    s = cold_room()
    _bust(s, frame)
    if frame in COVERED:
        _board(s, frame)
    return s.render(
        width, height, eye=COLD_BENCH_EYE, target=COLD_BENCH_TARGET, half_height=COLD_BENCH_VIEW, samples=samples
    )


def _bust(s: Scene, frame: int) -> None:
    skin, lips = s.material((0.42, 0.25, 0.185)), s.material((0.36, 0.12, 0.11))
    dark, white = s.material((0.035, 0.026, 0.022)), s.material((0.62, 0.60, 0.56))
    cloth = s.material((0.10, 0.13, 0.17), texture=tracer.PLANK)
    (x, y, z), _ = head_at(frame)

    def at(across: float, high: float, out: float = 1.0) -> Point:
        a, b, c = on_face(frame, across, high, out)
        return float(a), float(b), float(c)

    s.sphere((x, y, z), RADIUS, skin)
    for side in (-1, 1):
        s.sphere(at(20 * side, 12, 0.955), 0.026, white)
        s.sphere(at(20 * side, 12, 1.045), 0.014, dark)
        s.capsule(at(10 * side, 23, 1.0), at(31 * side, 21, 0.99), 0.010, dark)
        s.sphere(at(92 * side, 2, 1.0), 0.040, skin)
        s.sphere(at(52 * side, -20, 0.985), 0.012, dark)
    s.capsule(at(0, 10, 1.0), at(0, -10, 1.10), 0.020, skin)
    s.capsule(at(-13, -30, 0.99), at(13, -30, 0.99), 0.014, lips)
    s.capsule(at(-16, 43, 1.0), at(34, 38, 1.0), 0.030, dark)
    s.capsule(at(-44, 38, 0.99), at(-10, 46, 1.0), 0.030, dark)
    s.sphere(at(180, 30, 0.13), RADIUS * 1.03, dark)
    s.capsule((x, y - 0.34, z + 0.04), (x, y - 0.16, z + 0.02), 0.085, skin)
    s.capsule((x - 0.20, y - 0.42, z + 0.05), (x + 0.20, y - 0.42, z + 0.05), 0.10, cloth)
    stand = s.material((0.22, 0.15, 0.10), gloss=0.1, texture=tracer.PLANK)
    s.box((x - 0.34, 0.74, z - 0.16), (x + 0.34, 0.80, z + 0.26), stand)
    s.capsule((x, 0.05, z + 0.05), (x, 0.74, z + 0.05), 0.05, stand)


def _board(s: Scene, frame: int) -> None:
    """A board close to the camera, between it and the head, moving a little while it covers it."""
    wood = s.material((0.27, 0.19, 0.12), texture=tracer.PLANK)
    centre, _ = head_at(frame)
    eye = np.array(COLD_BENCH_EYE)
    x, y, z = eye + 0.55 * (np.array(centre) - eye)
    x += 0.05 * (frame - COVERED.start - 1.5)
    s.box((x - 0.30, y - 0.24, z - 0.01), (x + 0.30, y + 0.24, z + 0.01), wood)
