"""Noise calmed while edges stay."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import PrivateAttr, model_validator

from upwelling.core.colour.primaries import Primaries
from upwelling.core.curves.spline import Spline
from upwelling.core.operations import Operation
from upwelling.core.operations.calm import CalmNoise as CalmOperation
from upwelling.core.operations.time_mean import Frames, TimeMean
from upwelling.core.parameters import CurvePoints, curve, number, within
from upwelling.core.steps.base import Step

STOPS, SHARES = (-8.0, 6.0), (0.0, 1.0)
BY_STOPS = ((-6.0, 1.0), (-2.0, 1.0), (1.0, 0.8), (4.0, 0.4))


class CalmNoise(Step):
    """Brightness and colour, each by its own strength, more in shadows than in highlights unless told otherwise."""

    title: ClassVar[str] = "Calm noise"
    explanation: ClassVar[str] = "Averages what differs little from its neighbours; edges stay."
    source: ClassVar[str] = "He, Sun and Tang 2010 (guided filter)"
    space: ClassVar[str] = "working log (ACEScct curve)"
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "keeps neutral"

    kind: Literal["calm_noise"] = "calm_noise"
    brightness: float = number(0.6, "Brightness", "share", 0, 1, 0.02, "How much of its noise is taken.", keyed=True)
    colour: float = number(0.9, "Colour", "share", 0, 1, 0.02, "How much of colour's noise is taken.", keyed=True)
    level: float = number(
        0.25,
        "Noise level",
        "stops",
        0.01,
        2,
        0.01,
        "Differences below it are noise; larger ones are edges.",
        keyed=True,
    )
    radius: float = number(
        0.004, "Radius", "share", 0.0005, 0.03, 0.0005, "How far it looks, in frame heights; colour twice as far."
    )
    frames: int = number(
        0, "Frames around", "", 0, 2, 1, "So many frames before and after are averaged where nothing moved; 0: none."
    )
    by_stops: CurvePoints = curve(
        BY_STOPS,
        "By brightness",
        "How much acts at each brightness, in stops from mid grey.",
        x=STOPS,
        y=SHARES,
        x_unit="stops",
        y_unit="×",
    )

    @model_validator(mode="after")
    def _in_its_plot(self) -> CalmNoise:
        within(self.by_stops, STOPS, SHARES, "By brightness")
        return self

    _stands: bool = PrivateAttr(default=False)
    _around: Frames | None = PrivateAttr(default=None)

    @property
    def moves(self) -> bool:
        """With frames around it is another at every frame."""
        return super().moves or (self.frames > 0 and not self._stands and not self.changes_nothing)

    def at(self, frame: float) -> Self:
        """The step as it stands at a frame of the file; its frames around are still to be ``fed``."""
        step = super().at(frame).model_copy()
        step._stands = True
        return step

    def fed(self, around: Frames) -> Self:
        """The step with the frames around the present one."""
        step = self.model_copy()
        step._around = around
        return step

    @property
    def looks_around(self) -> bool:
        return self.frames > 0

    @property
    def changes_nothing(self) -> bool:
        return not self.tracks and self.brightness == self.colour == self.frames == 0

    def curve_of(self, name: str) -> Spline:
        if name != "by_stops":
            raise KeyError(name)
        return Spline(self.by_stops)

    def calm(self) -> CalmOperation:
        """What it does to each frame by itself."""
        return CalmOperation(self.radius, self.level, self.brightness, self.colour, self.curve_of("by_stops"))

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        still = (TimeMean(self.frames, self.level, 1.0, self._around),) if self.frames else ()
        return (*still, *((self.calm(),) if self.brightness or self.colour else ()))

    def values_text(self) -> str:
        return (
            f"Noise below {self.level:.2f} stops calmed, brightness {100 * self.brightness:.0f} %, "
            f"colour {100 * self.colour:.0f} %"
        )
