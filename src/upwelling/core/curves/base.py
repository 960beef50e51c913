"""What every transfer curve answers: code to linear, linear to code, and where it was published."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

from upwelling.core.arrays import Float


@dataclass(frozen=True)
class Anchor:
    """A published pair: reflectance (1.0 = 100 % diffuse) and its 10-bit full-range code value, as printed."""

    reflectance: float
    code_10bit: float


class Curve(Protocol):
    """A transfer curve. Code values are full range, 0…1; what linear 1.0 means is said by ``linear_unit``."""

    @property
    def name(self) -> str: ...
    @property
    def source(self) -> str: ...
    @property
    def explanation(self) -> str: ...
    @property
    def anchors(self) -> tuple[Anchor, ...]: ...
    @property
    def linear_unit(self) -> str: ...

    def to_linear(self, code: Float) -> Any:
        """Linear light of code values of any shape; defined beyond 0…1 in both directions."""

    def from_linear(self, linear: Float) -> Any:
        """Code values of linear light of any shape."""


@dataclass(frozen=True)
class Declared:
    """The documentation every curve carries."""

    name: str
    explanation: str
    source: str
    anchors: tuple[Anchor, ...] = ()
    linear_unit: str = "1.0 = 100 % diffuse reflector"
