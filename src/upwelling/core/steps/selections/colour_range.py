"""The soft range of hue, saturation and brightness that any step can be limited to."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import model_validator

from upwelling.core.colour.oklab import rgb_to_lms
from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Select
from upwelling.core.operations.colour import Rows
from upwelling.core.parameters import number
from upwelling.core.steps.selections.base import Selection


def oklab_rows(working: Primaries) -> Rows:
    """Working light to Oklab's cone responses, as a matrix an operation can hold."""
    return tuple((float(r[0]), float(r[1]), float(r[2])) for r in rgb_to_lms(working, "CAT02"))


class ColourRange(Selection):
    """Which colours a step acts on, judged on the light that reaches the step. Whole at rest:
    everything is selected.
    """

    title: ClassVar[str] = "Colour range"
    explanation: ClassVar[str] = "Selects a soft range of hue, saturation and brightness."

    kind: Literal["colour_range"] = "colour_range"
    hue: float = number(
        30.0, "Hue", "°", 0, 360, 1, "Middle of the range in Oklab: red about 29°, yellow 110°, green 142°, blue 264°."
    )
    hue_width: float = number(
        360.0, "Hue width", "°", 0, 360, 1, "Full width that is wholly selected; 360 takes every hue."
    )
    hue_soft: float = number(
        20.0, "Hue falloff", "°", 0.5, 180, 1, "Degrees on either side over which the selection fades."
    )
    saturation_low: float = number(
        0.0, "Saturation from", "C/L", 0, 1.5, 0.01, "Lowest Oklab chroma over lightness that is wholly selected."
    )
    saturation_high: float = number(1.5, "Saturation to", "C/L", 0, 1.5, 0.01, "Highest.")
    saturation_soft: float = number(
        0.05, "Saturation falloff", "C/L", 0.002, 1, 0.01, "Over which the selection fades."
    )
    stops_low: float = number(
        -16.0, "Brightness from", "stops", -16, 12, 0.1, "Darkest brightness that is wholly selected, from mid grey."
    )
    stops_high: float = number(12.0, "Brightness to", "stops", -16, 12, 0.1, "Brightest.")
    stops_soft: float = number(
        1.0, "Brightness falloff", "stops", 0.05, 8, 0.1, "Stops over which the selection fades."
    )

    @model_validator(mode="after")
    def _ends_in_order(self) -> ColourRange:
        for low, high, what in (
            (self.saturation_low, self.saturation_high, "saturation"),
            (self.stops_low, self.stops_high, "brightness"),
        ):
            if low > high:
                raise ValueError(
                    f"The colour range's {what} runs from {low:g} down to {high:g}; put the lower end first"
                )
        return self

    def operation(self, working: Primaries) -> Select:
        """The selection as an operation on scene-linear working light."""
        # The open ends of the scales mean no limit at all.
        top = 1e6 if self.saturation_high >= 1.5 else self.saturation_high
        bottom = -1e6 if self.saturation_low <= 0 else self.saturation_low
        dark = -1e6 if self.stops_low <= -16 else self.stops_low
        bright = 1e6 if self.stops_high >= 12 else self.stops_high
        return Select(
            self.hue,
            min(self.hue_width / 2, 180.0),
            self.hue_soft,
            (bottom, top, self.saturation_soft),
            (dark, bright, self.stops_soft),
            self.invert,
            oklab_rows(working),
        )

    def summary(self) -> str:
        """What is selected, in a few words with numbers."""
        parts = []
        if self.hue_width < 360:
            parts.append(f"hue {self.hue:.0f}° ± {self.hue_width / 2:.0f}°")
        if self.saturation_low > 0 or self.saturation_high < 1.5:
            parts.append(f"saturation {self.saturation_low:.2f}…{self.saturation_high:.2f}")
        if self.stops_low > -16 or self.stops_high < 12:
            parts.append(f"{self.stops_low:+.1f}…{self.stops_high:+.1f} stops".replace("-", "−"))
        text = ", ".join(parts) or "every colour"
        return f"all but {text}" if self.invert else text
