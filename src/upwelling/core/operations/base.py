"""What every operation answers, what it may need beside the pixel's own value, and where an array of pixels lies in its
frame.

An operation that needs nothing is a function of one colour, which any list of colours can be sent through and a lookup
table can carry. One that needs its place or its neighbours can be run only on a picture that says where it lies;
anything else is refused.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import ClassVar, Literal, Protocol

import numpy as np

from upwelling.core.arrays import Float32, Float64
from upwelling.core.errors import PlaceNeeded

Need = Literal["place", "neighbours", "frames"]
Needs = frozenset[Need]
NOTHING: Needs = frozenset()
PLACE: Needs = frozenset({"place"})
NEIGHBOURS: Needs = frozenset({"neighbours"})
FRAMES: Needs = frozenset({"frames"})


@dataclass(frozen=True)
class Place:
    """Where an array lies in its frame of ``width`` × ``height`` pixels.

    The middle of array pixel (row, column) stands at left + (column + ½)·step and top + (row + ½)·step, in pixels of
    the frame. ``step`` is how many of the frame's pixels one of the array's covers.
    """

    width: int
    height: int
    left: float = 0.0
    top: float = 0.0
    step: float = 1.0

    @classmethod
    def whole(cls, width: int, height: int, shown_height: int | None = None) -> Place:
        """All of a frame, shown in so many rows (its own, if not said)."""
        return cls(width, height, step=height / (shown_height or height))

    def part(self, top: int, left: int, every: int = 1) -> Place:
        """The part of this array that begins there, or every so many pixels of it, each standing for itself alone."""
        middle = (every - 1) / 2
        return Place(
            self.width,
            self.height,
            self.left + (left - middle) * self.step,
            self.top + (top - middle) * self.step,
            self.step * every,
        )

    @property
    def pixel(self) -> float:
        """The size of one of the array's pixels in frame heights."""
        return self.step / self.height

    def along(self, rows: int, columns: int) -> tuple[Float64, Float64]:
        """x (columns,) and y (rows,) of the array's pixels from the frame's middle, in frame heights; y grows
        downwards.
        """
        x = (self.left + (np.arange(columns) + 0.5) * self.step - self.width / 2) / self.height
        y = (self.top + (np.arange(rows) + 0.5) * self.step - self.height / 2) / self.height
        return x, y


class Operation(Protocol):
    """One operation on an array (…, 3), which it never changes. ``apply`` is its float64 reference, in plain NumPy."""

    @property
    def needs(self) -> Needs: ...

    def apply(self, rgb: Float64) -> Float64: ...


class PixelOperation:
    """An operation on one colour alone."""

    needs: ClassVar[Needs] = NOTHING


class PlacedOperation:
    """An operation that needs to know where each pixel stands."""

    needs: ClassVar[Needs] = PLACE

    def apply(self, rgb: Float64) -> Float64:
        raise PlaceNeeded(type(self).__name__)

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        """The same, of a picture (H, W, 3) that lies at ``place``."""
        raise NotImplementedError


class FrameOperation:
    """An operation that needs the pixels around each. Beyond the frame's edges the picture goes on mirrored, edge
    pixels twice (d c b a | a b c d | d c b a). Who runs it on a part of a frame cuts ``reach`` more on every side that
    is not the frame's own edge, and trims it off after.
    """

    needs: ClassVar[Needs] = NEIGHBOURS

    def apply(self, rgb: Float64) -> Float64:
        raise PlaceNeeded(type(self).__name__)

    def reach(self, pixel: float) -> int:
        """How many of an array's pixels, each ``pixel`` frame heights in size, it looks to either side."""
        raise NotImplementedError

    def apply_at(self, rgb: Float64, place: Place) -> Float64:
        """The float64 reference, of a picture (H, W, 3) that lies at ``place``."""
        raise NotImplementedError

    def pixel_at(self, rgb: Float64, place: Place, row: int, column: int) -> Float64:
        """One pixel of ``apply_at``, (1, 1, 3); what can be had for less than all of it is had so."""
        return self.apply_at(rgb, place)[row : row + 1, column : column + 1]

    def run_at(self, rgb: Float32, place: Place) -> Float32:
        """The same, fast and in float32: what the engine runs."""
        raise NotImplementedError


def needs_of(operations: Iterable[Operation]) -> Needs:
    """What a list of operations needs together."""
    return frozenset(need for operation in operations for need in operation.needs)


def reach_of(operations: Iterable[Operation], pixel: float) -> int:
    """How many pixels to either side a list of operations looks together."""
    return sum(operation.reach(pixel) for operation in operations if hasattr(operation, "reach"))


def check_place(needs: Needs, shape: tuple[int, ...], place: Place | None) -> None:
    """Raises PlaceNeeded when what is to be run needs a picture that says where it lies, and ``shape`` and ``place``
    are none.
    """
    if needs and (place is None or len(shape) != 3):
        raise PlaceNeeded(" and ".join(sorted(needs)))
