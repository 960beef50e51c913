"""What every Trim or Look step answers, and the documentation its controls are built from."""

from __future__ import annotations

from typing import Any, ClassVar

from pydantic import BaseModel, ConfigDict, Field

from upwelling.core.operations import Operation
from upwelling.core.primaries import Primaries


class Step(BaseModel):
    """One operation inside Trim or Look: a frozen, validated value.

    Class attributes are what the step says of itself: the space it works in, whether a LUT can carry it (a function
    of the pixel's own value), whether it can be inverted, and what it does to neutral.
    """

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    title: ClassVar[str]
    explanation: ClassVar[str]
    source: ClassVar[str]
    space: ClassVar[str]
    fits_in_lut: ClassVar[bool] = True
    invertible: ClassVar[bool] = True
    neutral: ClassVar[str]

    on: bool = True

    def operations(self, working: Primaries) -> tuple[Operation, ...]:
        """The step as operations from scene-linear working light to the same."""
        raise NotImplementedError

    @property
    def changes_nothing(self) -> bool:
        """True when every parameter stands at its default."""
        return all(getattr(self, n) == f.default for n, f in type(self).model_fields.items() if n not in ("on", "kind"))

    def summary(self) -> str:
        """A few words with numbers, for the Column."""
        raise NotImplementedError


def parameter(default: Any, title: str, unit: str, low: float, high: float, fine: float, help_text: str) -> Any:
    """A step's numeric parameter with what a control needs: title, unit, range, smallest step, help."""
    return Field(default, ge=low, le=high, title=title, description=help_text,
                 json_schema_extra={"unit": unit, "fine": fine, "low": low, "high": high})


def signed(value: float, digits: int) -> str:
    """A number with a real sign, as the interface prints it."""
    text = f"{abs(value):.{digits}f}"
    if float(text) == 0:
        return text
    return ("−" if value < 0 else "+") + text
