"""Where the bust of the moving scene is in each frame: its face turns while it is wheeled past the cold bench's window,
and for four frames a board is carried between it and the camera.
"""

from __future__ import annotations

import numpy as np

from upwelling.core.arrays import Float64

Point = tuple[float, float, float]
COLD_BENCH_EYE, COLD_BENCH_TARGET, COLD_BENCH_VIEW = (-0.05, 1.48, -2.2), (-0.02, 1.14, 1.0), 0.40
"""Where the camera at the cold bench stands, what it looks at, and the tangent of half its view's height."""
FRAMES = 48
COVERED = range(29, 33)
"""Frames at which the board hides the face."""
RADIUS = 0.205
_NEAR = 0.0
_HIGH = 1.30


def head_at(frame: int) -> tuple[Point, float]:
    """The head's centre in metres and how far the face has turned from the camera's axis, degrees to the right."""
    way = frame / (FRAMES - 1)
    return (-0.62 + 1.15 * way, _HIGH + 0.012 * float(np.sin(9 * way)), _NEAR + 0.12 * way), -9 + 18 * way


def face_at(frame: int) -> tuple[float, float]:
    """Where the middle of the face, between eyes and nose, stands in the picture: x and y from the frame's middle in
    frame heights.
    """
    return _seen(on_face(frame, 0.0, 0.0, 1.0))


def _seen(point: Float64) -> tuple[float, float]:
    eye = np.array(COLD_BENCH_EYE)
    forward = np.subtract(COLD_BENCH_TARGET, eye) / np.linalg.norm(np.subtract(COLD_BENCH_TARGET, eye))
    right = np.cross((0, 1, 0), forward)
    right /= np.linalg.norm(right)
    up = np.cross(forward, right)
    away = point - eye
    scale = 2 * COLD_BENCH_VIEW * float(away @ forward)
    return float(away @ right) / scale, -float(away @ up) / scale


def on_face(frame: int, across: float, high: float, out: float) -> Float64:
    """A point of the face by degrees across and up from its middle, at ``out`` of the head's radius."""
    centre, turned = head_at(frame)
    a, b = np.radians(turned + across), np.radians(high)
    # The face looks at the camera, which stands at lower z.
    ahead = np.array([np.sin(a) * np.cos(b), np.sin(b), -np.cos(a) * np.cos(b)])
    return np.asarray(np.array(centre) + out * RADIUS * ahead)
