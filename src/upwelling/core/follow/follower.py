"""Follows what lies in a shape from frame to frame. Optical flow is OpenCV's (pyramids after J.-Y. Bouguet, "Pyramidal
implementation of the affine Lucas Kanade feature tracker", 2000; after Lucas and Kanade 1981); the rules are ours.

The first frame is the reference. Every frame is looked at twice: how points of the reference moved since the frame
before, and, turned back by that, how they lie against the reference itself, so that errors do not add up. When the
picture has changed too much for the reference but not since the frame before, the frame before becomes the reference.
Confidence is how alike the two are inside the shape; where it falls below ``LEAST`` the shape is lost.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any, Literal

import cv2
import numpy as np

from upwelling.core.arrays import Float64

Model = Literal["move", "size", "turn"]
MODELS: dict[str, str] = {"move": "place", "size": "and size", "turn": "and angle"}
"""What is followed: each takes the one before with it."""
LEAST = 0.6
"""Confidence below which a shape is lost: correlation of the reference and the frame inside the shape."""
RENEWED = 0.85
"""Correlation with the reference below which the frame before takes its place, if that lies nearer."""
MOST_POINTS, FEWEST = 250, 5
BACK_AND_FORTH = 0.7
"""Pixels that a point may end from where it began when it is followed there and back."""
OUTLIER = 2.0
"""Pixels from the common motion beyond which a point is passed over."""
WINDOW = (21, 21)
MARGIN = 0.35
"""How far beyond the shape points are looked for, as a share of its size, where the shape itself has too few."""


@dataclass(frozen=True)
class Stand:
    """Where the shape is at a frame: x and y from the frame's middle in frame heights, its size over that at the start,
    its turn in degrees since, and how sure that is, 0…1.
    """

    x: float
    y: float
    scale: float
    angle: float
    confidence: float


def led_to(stands: Sequence[Stand], end: Stand) -> list[Stand]:
    """Stands of following frames, the first of them true, made to end where a person says the shape is: what is missing
    at the last is spread evenly over those between, sizes by ratio. Confidence stays as it was found.
    """
    last, count = stands[-1], max(len(stands) - 1, 1)
    made = []
    for index, one in enumerate(stands):
        share = index / count
        made.append(
            replace(
                one,
                x=one.x + share * (end.x - last.x),
                y=one.y + share * (end.y - last.y),
                scale=one.scale * (end.scale / last.scale) ** share,
                angle=one.angle + share * (end.angle - last.angle),
            )
        )
    return made


class Lost(Exception):
    """The shape cannot be found in a frame any more; ``confidence`` is what was left."""

    def __init__(self, confidence: float) -> None:
        super().__init__(f"lost, {confidence:.2f}")
        self.confidence = confidence


class Follower:
    """One run over frames in order. ``weight`` (H, W) is the shape's matte at the first frame, ``x`` and ``y`` its
    centre. Frames are file codes (H, W, 3) of one size.
    """

    def __init__(self, code: Any, weight: Any, x: float, y: float, model: Model = "turn") -> None:
        self._model: Model = model
        self._low, self._high = (float(v) for v in np.percentile(np.asarray(code)[::4, ::4].mean(axis=-1), [0.5, 99.5]))
        self._grey = self._levels(code)
        self._before = self._grey
        self._reference = self._grey
        self._inside = np.asarray(weight) > 0.5
        if self._inside.sum() < 16:
            raise Lost(0.0)
        self._to_reference = np.eye(3)  # from the first frame to the reference
        self._motion = np.eye(3)  # from the reference to the present frame
        self._first_inside = self._inside
        rows, columns = self._grey.shape
        self._centre = np.array([x * rows + columns / 2 - 0.5, y * rows + rows / 2 - 0.5, 1.0])
        self._points = self._found(self._grey, self._inside)

    def _levels(self, code: Any) -> Any:
        plane = np.asarray(code, dtype=np.float32).mean(axis=-1)
        return np.clip((plane - self._low) * (255 / max(self._high - self._low, 1e-6)), 0, 255).astype(np.uint8)

    def _found(self, grey: Any, inside: Any) -> Any:
        """Corners in the shape (N, 1, 2), or a little around it where it has too few."""
        ys, xs = np.nonzero(inside)
        size = max(np.ptp(xs), np.ptp(ys)) + 1
        least = max(3.0, size / 40)
        for grown in (0, int(MARGIN * size)):
            mask = inside.astype(np.uint8)
            if grown:
                mask = cv2.dilate(mask, np.ones((2 * grown + 1, 2 * grown + 1), np.uint8))
            points = cv2.goodFeaturesToTrack(grey, MOST_POINTS, 0.01, least, mask=mask, blockSize=5)
            if points is not None and len(points) >= 3 * FEWEST:
                return points
        if points is None or len(points) < FEWEST:
            raise Lost(0.0)
        return points

    def step(self, code: Any) -> Stand:
        """The shape in the next frame; raises Lost."""
        grey = self._levels(code)
        moved = self._pushed(grey)
        confidence = self._likeness(self._reference, grey, moved)
        if confidence < RENEWED:
            nearer = self._likeness(self._before, grey, moved @ np.linalg.inv(self._motion), self._motion)
            if nearer > confidence + 0.05 and nearer > LEAST:
                self._renew()
                moved = self._pushed(grey)
                confidence = min(nearer, self._likeness(self._reference, grey, moved))
        if confidence < LEAST:
            raise Lost(confidence)
        self._motion, self._before = moved, grey
        return self._stand(confidence)

    def _renew(self) -> None:
        """The frame before becomes the reference."""
        self._to_reference = self._motion @ self._to_reference
        self._reference = self._before
        rows, columns = self._before.shape
        inside = cv2.warpAffine(
            self._first_inside.astype(np.uint8), self._to_reference[:2], (columns, rows), flags=cv2.INTER_NEAREST
        )
        self._inside = inside > 0
        if self._inside.sum() < 16:
            raise Lost(0.0)
        self._points = self._found(self._before, self._inside)
        self._motion = np.eye(3)

    def _pushed(self, grey: Any) -> Float64:
        """From the reference to a frame: by the flow since the frame before, then by what is left against the
        reference.
        """
        start = cv2.perspectiveTransform(self._points, self._motion).astype(np.float32)
        guess, kept = _flow(self._before, grey, start)
        if kept.sum() < FEWEST:
            raise Lost(0.0)
        rough = self._fitted(self._points[kept], guess[kept])
        rows, columns = grey.shape
        back = cv2.warpAffine(
            grey,
            rough[:2],
            (columns, rows),
            flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REFLECT,
        )
        left, kept = _flow(self._reference, self._lit(back), self._points)
        if kept.sum() < FEWEST:
            return rough
        return rough @ self._fitted(self._points[kept], left[kept])

    def _lit(self, back: Any) -> Any:
        """A frame turned back, in the reference's light: its mean and contrast inside the shape are made the same."""
        mine, its = self._reference[self._inside], back[self._inside]
        gain = np.clip(float(mine.std()) / max(float(its.std()), 1.0), 0.5, 2.0)
        return np.clip(back * gain + (mine.mean() - gain * its.mean()), 0, 255).astype(np.uint8)

    def _fitted(self, points: Any, to: Any) -> Float64:
        """The common motion of points as a 3×3 matrix, without those that go their own way."""
        a, b = points.reshape(-1, 2).astype(np.float64), to.reshape(-1, 2).astype(np.float64)
        kept = np.ones(len(a), bool)
        matrix = np.eye(3)
        shift = np.median(b - a, axis=0)
        matrix[:2, 2] = shift
        for _ in range(4):
            apart = np.hypot(*(a @ matrix[:2, :2].T + matrix[:2, 2] - b).T)
            kept = apart <= max(OUTLIER, 2.5 * float(np.median(apart)))
            if kept.sum() < 3:
                break
            matrix = self._least_squares(a[kept], b[kept])
        return matrix

    def _least_squares(self, a: Float64, b: Float64) -> Float64:
        """S. Umeyama, "Least-squares estimation of transformation parameters between two point patterns", 1991; only
        what the model follows.
        """
        mean_a, mean_b = a.mean(axis=0), b.mean(axis=0)
        p, q = a - mean_a, b - mean_b
        spread = float((p * p).sum())
        matrix = np.eye(3)
        if self._model != "move" and spread > 1e-9:
            dot, cross = float((p * q).sum()), float((p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]).sum())
            turn = np.arctan2(cross, dot) if self._model == "turn" else 0.0
            scale = (np.hypot(dot, cross) if self._model == "turn" else max(dot, 1e-9)) / spread
            c, s = scale * np.cos(turn), scale * np.sin(turn)
            matrix[:2, :2] = [[c, -s], [s, c]]
        matrix[:2, 2] = mean_b - matrix[:2, :2] @ mean_a
        return matrix

    def _likeness(self, one: Any, grey: Any, motion: Float64, to_one: Float64 | None = None) -> float:
        """Correlation inside the shape of a frame and the present one turned back to it; 0 where little is in view.

        ``to_one`` leads from the reference to that frame, where it is not the reference.
        """
        rows, columns = grey.shape
        back = cv2.warpAffine(
            grey, motion[:2], (columns, rows), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderValue=0
        )
        seen = cv2.warpAffine(
            np.ones_like(grey), motion[:2], (columns, rows), flags=cv2.INTER_NEAREST | cv2.WARP_INVERSE_MAP
        )
        inside = self._inside
        if to_one is not None:
            turned = cv2.warpAffine(inside.astype(np.uint8), to_one[:2], (columns, rows), flags=cv2.INTER_NEAREST)
            inside = turned > 0
        both = inside & (seen > 0)
        if both.sum() < max(16, 0.4 * inside.sum()):
            return 0.0
        a, b = one[both].astype(np.float64), back[both].astype(np.float64)
        a, b = a - a.mean(), b - b.mean()
        spread = float(np.sqrt((a * a).sum() * (b * b).sum()))
        return max(float((a * b).sum()) / spread, 0.0) if spread > 1e-9 else 0.0

    def _stand(self, confidence: float) -> Stand:
        whole = self._motion @ self._to_reference
        rows, columns = self._grey.shape
        x, y, _ = whole @ self._centre
        return Stand(
            (x + 0.5 - columns / 2) / rows,
            (y + 0.5 - rows / 2) / rows,
            float(np.hypot(whole[0, 0], whole[1, 0])),
            float(np.degrees(np.arctan2(whole[1, 0], whole[0, 0]))),
            confidence,
        )


_lucas_kanade: Any = partial(cv2.calcOpticalFlowPyrLK, nextPts=None, winSize=WINDOW, maxLevel=4)


def _flow(one: Any, other: Any, points: Any) -> tuple[Any, Any]:
    """Where points (N, 1, 2) of one frame lie in another, and which of them come back to where they began."""
    there, found, _ = _lucas_kanade(one, other, points)
    back, returned, _ = _lucas_kanade(other, one, there)
    apart = np.hypot(*(back - points).reshape(-1, 2).T)
    return there, (found.ravel() == 1) & (returned.ravel() == 1) & (apart < BACK_AND_FORTH)
