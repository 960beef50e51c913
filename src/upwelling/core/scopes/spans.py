"""What of a picture is measured: all of it, a region drawn on it, or all but its bars, as the columns of each row."""

from __future__ import annotations

from typing import Any, Literal

import numpy as np
from pydantic import Field

from upwelling.core.frozen import Frozen

Spans = Any
"""int32 (H, 2): which columns of each row are measured, from the first to before the second."""


class Region(Frozen):
    """A rectangle or ellipse on the picture, in shares 0…1 of its width and height."""

    kind: Literal["rectangle", "ellipse"] = "rectangle"
    left: float = Field(ge=0, le=1)
    top: float = Field(ge=0, le=1)
    right: float = Field(ge=0, le=1)
    bottom: float = Field(ge=0, le=1)


def whole(height: int, width: int) -> Spans:
    """Spans of the whole picture."""
    return np.tile(np.array([0, width], dtype=np.int32), (height, 1))


def inner(height: int, width: int, bars: tuple[int, int, int, int]) -> Spans:
    """Spans without bars of so many rows above and below and columns left and right."""
    top, bottom, left, right = bars
    spans = np.tile(np.array([left, width - right], dtype=np.int32), (height, 1))
    spans[:top], spans[height - bottom :] = 0, 0
    return spans


def region_spans(height: int, width: int, region: Region) -> Spans:
    """Spans of a region; at least the one pixel at its middle."""
    y = (np.arange(height) + 0.5) / height
    top, bottom = sorted((region.top, region.bottom))
    left, right = sorted((region.left, region.right))
    middle, half = (left + right) / 2, np.full(height, (right - left) / 2)
    inside = (y >= top) & (y <= bottom)
    if region.kind == "ellipse":
        reach = (y - (top + bottom) / 2) / max((bottom - top) / 2, 1e-9)
        half = half * np.sqrt(np.maximum(1 - reach**2, 0))
    first = np.ceil((middle - half) * width - 0.5)
    last = np.floor((middle + half) * width - 0.5) + 1
    spans = np.where(inside[:, None], np.stack([first, last], axis=-1), 0).clip(0, width).astype(np.int32)
    spans[:, 1] = np.maximum(spans[:, 1], spans[:, 0])
    if not (spans[:, 1] > spans[:, 0]).any():
        row, column = min(int((top + bottom) / 2 * height), height - 1), min(int(middle * width), width - 1)
        spans[row] = column, column + 1
    return spans


def mask_of(spans: Spans, width: int) -> Any:
    """Which pixels of a picture so wide are measured, bool (H, W)."""
    places = np.arange(width)
    return (places >= spans[:, :1]) & (places < spans[:, 1:])


def box_of(spans: Spans) -> tuple[slice, slice]:
    """Rows and columns that hold everything measured; all of them where nothing is."""
    rows = np.flatnonzero(spans[:, 1] > spans[:, 0])
    if not len(rows):
        return slice(None), slice(None)
    inside = spans[rows]
    return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(inside[:, 0].min()), int(inside[:, 1].max()))


def within_box(spans: Spans, box: tuple[slice, slice]) -> Spans:
    """The spans of what lies in a box that ``box_of`` gave, counted from its corner."""
    rows, columns = box
    return np.ascontiguousarray(spans[rows] - np.int32(columns.start or 0))


def common(a: Spans, b: Spans) -> Spans:
    """Where both measure."""
    low, high = np.maximum(a[:, 0], b[:, 0]), np.minimum(a[:, 1], b[:, 1])
    return np.stack([low, np.maximum(low, high)], axis=-1).astype(np.int32)


FEWEST_ROWS = 120


def pixels_in(spans: Spans) -> int:
    """How many pixels spans take in."""
    return int(np.maximum(spans[:, 1] - spans[:, 0], 0).sum())


def thinned(spans: Spans) -> Spans:
    """Every second row of spans that take in many: enough for a scope that is looked at while a hand moves."""
    if int((spans[:, 1] > spans[:, 0]).sum()) < FEWEST_ROWS:
        return spans
    fewer = spans.copy()
    fewer[1::2, 1] = fewer[1::2, 0]
    return fewer
