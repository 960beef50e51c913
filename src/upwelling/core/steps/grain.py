"""Film grain."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.spline import Spline
from upwelling.core.errors import BadValue
from upwelling.core.operations import Operation
from upwelling.core.operations.grain import Grain as GrainOperation
from upwelling.core.parameters import CurvePoints, curve, number, within
from upwelling.core.steps.base import Step, luminance_of

STOPS, SHARES = (-8.0, 6.0), (0.0, 2.0)
BY_STOPS = ((-6.0, 0.7), (-2.0, 1.0), (0.0, 1.0), (3.0, 0.5), (5.0, 0.25))


class Grain(Step):
    """Uneven density, new on every frame and always the same on it. ``moment`` is the frame, put in by ``at``."""

    title: ClassVar[str] = "Grain"
    explanation: ClassVar[str] = "Adds film grain: the same at every size, another on every frame, the mean unchanged."
    source: ClassVar[str] = "Our own: cubic B-spline noise on two lattices fixed in the frame"
    space: ClassVar[str] = "stops of scene light (density)"
    lights: ClassVar[tuple[str, ...]] = ("scene", "display")
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral while colour is 0"

    kind: Literal["grain"] = "grain"
    amount: float = number(
        0.12,
        "Amount",
        "stops",
        0,
        1.5,
        0.01,
        "Standard deviation around mid grey, before pixels average it.",
        keyed=True,
    )
    size: float = number(
        0.0016, "Size", "share", 0.0004, 0.02, 0.0001, "Distance between grains, in frame heights.", keyed=True
    )
    colour: float = number(
        0.35, "Colour", "share", 0, 1, 0.05, "0: one grain for all channels; 1: one for each.", keyed=True
    )
    by_stops: CurvePoints = curve(
        BY_STOPS,
        "By brightness",
        "The amount at each brightness, in stops from mid grey.",
        x=STOPS,
        y=SHARES,
        x_unit="stops",
        y_unit="×",
    )
    seed: int = number(1, "Seed", "", 0, 9999, 1, "Another number gives another grain.")
    moment: int | None = Field(None, ge=0)

    @model_validator(mode="after")
    def _in_its_plot(self) -> Grain:
        within(self.by_stops, STOPS, SHARES, "By brightness")
        return self

    @property
    def moves(self) -> bool:
        """Grain is another on every frame."""
        return super().moves or (self.moment is None and not self.changes_nothing)

    def at(self, frame: float) -> Self:
        """The step as it stands at a frame of the file, which then is its moment."""
        step = super().at(frame)
        return step if step.moment is not None else step.model_copy(update={"moment": int(frame)})

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and self.amount == 0

    def curve_of(self, name: str) -> Spline:
        if name != "by_stops":
            raise KeyError(name)
        return Spline(self.by_stops)

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        if self.moment is None:
            raise BadValue(f"{self.shown_name} is another on every frame: say at which frame it is wanted.")
        return (
            GrainOperation(
                self.size,
                self.amount,
                self.colour,
                self.seed,
                self.moment,
                self.curve_of("by_stops"),
                luminance_of(working),
            ),
        )

    def values_text(self) -> str:
        return f"Grain {self.amount:.2f} stops, {100 * self.size:.2f} % apart"
