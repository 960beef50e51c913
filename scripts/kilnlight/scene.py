"""Building scenes for the tracer, and light's spread in the lens."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from upwelling.core.arrays import Float32
from upwelling.core.charts.patch_chart import chart_linear
from upwelling.core.kernels import KERNEL_LOCK

from . import tracer

Point = tuple[float, float, float]
SPACE = "AP1"
"""All scene colours are scene-linear AP1."""


@dataclass
class Scene:
    """A scene under construction: add shapes, then ``render``."""

    ambient: tuple[Point, Point] = ((0.0, 0.0, 0.0), (0.0, 0.0, 0.0))
    glow: float = 0.04
    _shapes: list[list[float]] = field(default_factory=list)
    _materials: list[list[float]] = field(default_factory=list)
    _lights: list[int] = field(default_factory=list)

    def material(
        self,
        albedo: Point,
        kind: int = tracer.MATTE,
        *,
        emission: Point = (0, 0, 0),
        gloss: float = 0.0,
        texture: int = tracer.PLAIN,
        casts: Point | None = None,
    ) -> int:
        """A material's number. ``casts`` is the light a lamp gives, when it differs from how bright it looks."""
        self._materials.append([*albedo, *emission, kind, gloss, texture, *(casts or emission)])
        return len(self._materials) - 1

    def sphere(self, centre: Point, radius: float, material: int) -> None:
        self._add(tracer.SPHERE, [*centre, radius], material)

    def box(self, low: Point, high: Point, material: int) -> None:
        self._add(tracer.BOX, [*low, *high], material)

    def capsule(self, start: Point, end: Point, radius: float, material: int) -> None:
        self._add(tracer.CAPSULE, [*start, *end, radius], material)

    def rectangle(self, centre: Point, half_right: Point, half_up: Point, material: int, *, lamp: bool = False) -> None:
        if lamp:
            self._lights.append(len(self._shapes))
        self._add(tracer.RECTANGLE, [*centre, *half_right, *half_up], material)

    def _add(self, kind: int, geometry: list[float], material: int) -> None:
        self._shapes.append([kind, *geometry, *[0.0] * (10 - len(geometry)), material, 0, 0, 0, 0])

    def _groups(self) -> Any:
        """Neighbours in the list, up to six together, with the box around them: rows for the tracer."""
        boxes = [_bounds(shape) for shape in self._shapes]
        rows: list[list[float]] = []
        for i, (low, high) in enumerate(boxes):
            if rows and i - rows[-1][0] < 6:
                joined_low, joined_high = np.minimum(rows[-1][2:5], low), np.maximum(rows[-1][5:8], high)
                if np.prod(joined_high - joined_low) < 1.5:
                    rows[-1] = [rows[-1][0], i + 1, *joined_low, *joined_high]
                    continue
            rows.append([i, i + 1, *low, *high])
        return np.array(rows, dtype=np.float64)

    def render(
        self, width: int, height: int, *, eye: Point, target: Point, half_height: float, samples: int = 24
    ) -> Float32:
        """Scene-linear AP1 (height, width, 3), seen from ``eye``.

        Half_height is the tangent of half the view's height.
        """
        forward = np.subtract(target, eye) / np.linalg.norm(np.subtract(target, eye))
        right = np.cross((0, 1, 0), forward)
        right /= np.linalg.norm(right)
        camera = np.array([*eye, *right, *np.cross(forward, right), *forward, half_height])
        image = np.zeros((height, width, 3), np.float32)
        with KERNEL_LOCK:
            tracer.trace(
                np.array(self._shapes, dtype=np.float64),
                self._groups(),
                np.array(self._materials, dtype=np.float64),
                np.array(self._lights, dtype=np.int64),
                chart_linear(SPACE),
                camera,
                np.array([*self.ambient[0], *self.ambient[1]], dtype=np.float64),
                samples,
                image,
            )
        return _glow(image, self.glow)


def _bounds(shape: list[float]) -> tuple[Any, Any]:
    """Low and high corner of a shape's box, a little loose."""
    g = np.array(shape[1:])
    match int(shape[0]):
        case tracer.SPHERE:
            low, high = g[:3] - g[3], g[:3] + g[3]
        case tracer.BOX:
            low, high = g[:3], g[3:6]
        case tracer.CAPSULE:
            low, high = np.minimum(g[:3], g[3:6]) - g[6], np.maximum(g[:3], g[3:6]) + g[6]
        case _:
            reach = np.abs(g[3:6]) + np.abs(g[6:9])
            low, high = g[:3] - reach, g[:3] + reach
    return low - 1e-3, high + 1e-3


def _glow(image: Float32, share: float) -> Float32:
    """Spreads a share of the light over three widths, as a lens does; the sum of light is kept."""
    from scipy.ndimage import gaussian_filter, zoom  # loaded when first used: it takes a while

    height = image.shape[0]
    spread: Any = image * (1 - share)
    for weight, width in ((0.5, 0.006), (0.3, 0.03), (0.2, 0.12)):
        sigma = width * height
        step = max(1, int(sigma / 3))
        small = (
            image[::step, ::step]
            if step == 1
            else zoom(gaussian_filter(image, (step / 2, step / 2, 0)), (1 / step, 1 / step, 1), order=1)
        )
        blurred = gaussian_filter(small, (sigma / step, sigma / step, 0), mode="nearest")
        factors = (height / blurred.shape[0], image.shape[1] / blurred.shape[1], 1)
        spread = spread + share * weight * zoom(blurred, factors, order=1)[:height, : image.shape[1]]
    return np.asarray(spread, dtype=np.float32)
