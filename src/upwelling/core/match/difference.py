"""How far two pictures of one scene are apart, place by place: ΔE 2000 where the reference is laid over the picture."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np

from upwelling.core.arrays import MID_GREY, Float64
from upwelling.core.match.light import COLOURED, CannotMatch, Picture, Space, to_grey
from upwelling.core.match.registration import register

SIDE = 5
"""Pixels a side over which light is averaged first: noise is no difference."""
CLASSES = ((0.0, 1.0), (1.0, 2.0), (2.0, 4.0), (4.0, 8.0), (8.0, np.inf))
"""What counts together, in ΔE 2000; 1 is about a just noticeable difference."""
LEAST_SEEN = 0.01
DARK, BRIGHT = -2.0, 2.0
"""Stops from mid grey of the reference's own brightness."""


@dataclass(frozen=True, eq=False)
class Difference:
    """``delta_e`` (H, W) over the picture, NaN where the reference does not show it or light was clipped; ``seen`` is
    the share of it that is not.

    ``rows``: what of it, the median, the value that 95 % are below, and its share of what is seen. ``confidence`` of
    the place, 0…1.
    """

    delta_e: Float64
    seen: float
    rows: tuple[tuple[str, float, float, float], ...]
    confidence: float

    @property
    def classes(self) -> Any:
        """uint8 (H, W): the place of each pixel's ΔE among CLASSES; their number where nothing is known."""
        found = np.searchsorted([low for low, _ in CLASSES[1:]], self.delta_e, side="right")
        return np.where(np.isnan(self.delta_e), len(CLASSES), found).astype(np.uint8)


def difference(picture: Picture, reference: Picture, space: Space, *, same_framing: bool = False) -> Difference:
    """Compares a picture with a reference in working light, both brought to the brightness of mid grey.

    They are laid over each other by ``register``, or as they are where they are states of one frame. Raises CannotMatch
    where they do not show one scene.
    """
    rows, columns = picture.rgb.shape[:2]
    if same_framing:
        found, confidence = np.diag([columns / reference.rgb.shape[1], rows / reference.rgb.shape[0], 1.0]), 1.0
    else:
        registered = register(reference, picture, space)
        found, confidence = registered.homography, registered.confidence
    its = cv2.warpPerspective(np.asarray(reference.rgb, np.float32), found, (columns, rows), flags=cv2.INTER_LINEAR)
    known = cv2.warpPerspective(reference.usable.astype(np.float32), found, (columns, rows), flags=cv2.INTER_LINEAR)
    mine, its = (cv2.blur(np.asarray(one, np.float32), (SIDE, SIDE)) for one in (picture.rgb, its))
    good = (cv2.erode(known, np.ones((SIDE, SIDE))) > 0.999) & (
        cv2.erode(picture.usable.astype(np.uint8), np.ones((SIDE, SIDE), np.uint8)) > 0
    )
    good &= ((mine @ space.luminance) > 0) & ((its @ space.luminance) > 0)
    if good.mean() < LEAST_SEEN:
        raise CannotMatch("What both pictures show is clipped or dark: there is nothing to compare.")
    a, b = mine[good].astype(np.float64), its[good].astype(np.float64)
    scale = to_grey(b, space)
    apart = space.delta_e(a * scale, b * scale)
    delta = np.full((rows, columns), np.nan)
    delta[good] = apart
    stops = np.log2(np.maximum(b @ space.luminance, 1e-6) / MID_GREY)
    coloured = space.hue_and_chroma(b)[1] > 3 * COLOURED
    parts = {
        "All of it": np.ones(len(b), bool),
        "Dark": stops < DARK,
        "Middle": (stops >= DARK) & (stops <= BRIGHT),
        "Bright": stops > BRIGHT,
        "Coloured": coloured,
        "Hardly coloured": ~coloured,
    }
    said = tuple(
        (name, float(np.median(apart[part])), float(np.percentile(apart[part], 95)), float(part.mean()))
        for name, part in parts.items()
        if part.any()
    )
    return Difference(delta, float(good.mean()), said, confidence)
