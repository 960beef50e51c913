"""What every transfer curve answers: code to linear, linear to code, and where it was published."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps
from typing import Any, Protocol

import numpy as np

from upwelling.core.arrays import Float

MOST_IN, MOST_OUT = 1e12, 1e30
"""Values are held to these before and after a curve, and what is not a number counts as 0, so that no curve gives
anything else. Ours.
"""


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


def _finite(function: Callable[[Any, Any], Any]) -> Callable[[Any, Any], Any]:
    @wraps(function)
    def held(self: Any, values: Any) -> Any:
        array = np.asarray(values)
        if not np.isfinite(array).all() or (np.abs(array) > MOST_IN).any():
            array = np.clip(np.nan_to_num(array, nan=0.0, posinf=MOST_IN, neginf=-MOST_IN), -MOST_IN, MOST_IN)
        with np.errstate(over="ignore"):
            return np.clip(function(self, array), -MOST_OUT, MOST_OUT)

    return held


@dataclass(frozen=True)
class Declared:
    """The documentation every curve carries; the curves made from it give finite values whatever comes in (``MOST_IN``,
    ``MOST_OUT``).
    """

    def __init_subclass__(cls) -> None:
        for name in ("to_linear", "from_linear"):
            if name in cls.__dict__:
                setattr(cls, name, _finite(cls.__dict__[name]))

    name: str
    explanation: str
    source: str
    anchors: tuple[Anchor, ...] = ()
    linear_unit: str = "1.0 = 100 % diffuse reflector"
