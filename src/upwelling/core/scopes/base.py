"""What every scope answers: its title, how its counts are drawn, of which boundaries it can be, and its shades."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from upwelling.core.arrays import Float32
from upwelling.core.colour.primaries import Primaries
from upwelling.core.scopes.levels import Weights
from upwelling.core.scopes.spans import Spans

Boundary = Literal["camera", "input", "trim", "look", "rendering", "display"]
Drawing = Literal["levels", "colour differences", "chromaticities", "stops"]
EVERYWHERE: tuple[Boundary, ...] = ("camera", "input", "trim", "look", "rendering", "display")


@dataclass(frozen=True, eq=False)
class Looked:
    """What a scope looks at: signal (H, W, 3) and linear light with its primaries at a boundary, each made when it is
    asked for.
    """

    signal: Callable[[], Float32]
    light: Callable[[], tuple[Float32, Primaries]]
    weights: Weights
    spans: Spans
    gain: int = 1

    @property
    def pixels(self) -> int:
        """How many pixels are measured."""
        return int((self.spans[:, 1] - self.spans[:, 0]).sum())


@dataclass(frozen=True)
class Scope:
    """One kind of scope. ``shades`` gives uint8 (planes, rows, columns); ``side_by_side``: its planes stand beside each
    other.

    One drawn by stops needs no shades: its counts are those of the scene's facts.
    """

    name: str
    title: str
    drawing: Drawing
    shades: Callable[[Looked], Any]
    boundaries: tuple[Boundary, ...] = EVERYWHERE
    side_by_side: bool = False
