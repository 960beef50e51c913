"""Zone balance: light, colourfulness and balance of shadows, mids and highlights, each by itself."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Annotated, Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from upwelling.core.arrays import Float64
from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations import Norm, Operation, ZoneGains
from upwelling.core.operations.zones import StopsCurve
from upwelling.core.parameters import signed
from upwelling.core.steps.base import Step, luminance_of

ZONES = ("shadows", "mids", "highlights")
BORDERS = ("shadows to mids", "mids to highlights")
LEAST_SLOPE = 0.05
"""Stops out for a stop in that every tone of a neutral ramp keeps; at 0 two tones become one."""
_PLACES = np.linspace(-0.5, 0.5, 201)
Rows = tuple[tuple[float, ...], ...]
Weights = tuple[float, float, float] | None
_Stops = Annotated[float, Field(ge=-4, le=4)]
_Times = Annotated[float, Field(ge=0, le=3)]
_Degrees = Annotated[float, Field(ge=0, le=360)]
_Push = Annotated[float, Field(ge=0, le=1)]
_Border = Annotated[float, Field(ge=-8, le=8)]
_Soft = Annotated[float, Field(ge=0.5, le=8)]


def _each(default: Any, title: str, unit: str, low: float, high: float, fine: float, what: str, **more: Any) -> Any:
    extra = {"unit": unit, "fine": fine, "low": low, "high": high, "names": list(ZONES), **more}
    return Field(default, title=title, description=what, json_schema_extra=extra)


class ZoneBalance(Step):
    """Three zones of the pixel's stops from mid grey, with borders over which one goes into the next.

    A share t of the way through a border, the next zone has 6t⁵ − 15t⁴ + 10t³, so that value,
    slope and curvature run through. Each zone has a gain in stops, a saturation about luminance, and a push: gains of
    the channels towards a hue (red 0°, green 120°, blue 240°), whose amount is what they are apart from their mean, in
    stops. Borders too narrow for what the zones differ by are widened until no tone of a neutral ramp folds.
    """

    title: ClassVar[str] = "Zone balance"
    explanation: ClassVar[str] = "Exposure, saturation and a push of colour for shadows, mids and highlights."
    source: ClassVar[str] = "Our own step; the blend is the quintic of K. Perlin, “Improving noise”, 2002"
    space: ClassVar[str] = "scene light, by stops of a norm"
    neutral: ClassVar[str] = "keeps neutral where nothing is pushed"

    kind: Literal["zone_balance"] = "zone_balance"
    borders: tuple[_Border, _Border] = _each(
        (-2.0, 1.5), "Borders", "stops", -8, 8, 0.1, "Middle of each border, in stops from mid grey.", names=BORDERS
    )
    softness: tuple[_Soft, _Soft] = _each(
        (3.0, 3.0), "Softness", "stops", 0.5, 8, 0.1, "Stops over which one zone goes into the next.", names=BORDERS
    )
    stops: tuple[_Stops, _Stops, _Stops] = _each(
        (0.0, 0.0, 0.0), "Exposure", "stops", -4, 4, 0.05, "Gain of the zone in stops.", together="difference"
    )
    saturation: tuple[_Times, _Times, _Times] = _each(
        (1.0, 1.0, 1.0), "Saturation", "×", 0, 3, 0.02, "Colourfulness of the zone, times this.", together="ratio"
    )
    push: tuple[_Push, _Push, _Push] = _each(
        (0.0, 0.0, 0.0), "Push", "stops of colour", 0, 1, 0.01, "How far the zone is pushed towards its hue."
    )
    hue: tuple[_Degrees, _Degrees, _Degrees] = _each(
        (220.0, 120.0, 40.0),
        "Towards",
        "°",
        0,
        360,
        1,
        "Hue that the zone is pushed to: red 0°, green 120°, blue 240°.",
    )
    keep_luminance: Literal["kept", "let go"] = Field(
        "kept", title="Grey’s luminance", description="Whether a push leaves the luminance of neutrals as it was."
    )
    norm: Norm = Field(
        "power norm",
        title="Judged by",
        description="What counts as the pixel’s brightness: working luminance, its largest channel, or Σc³/Σc².",
    )

    @model_validator(mode="after")
    def _in_order(self) -> ZoneBalance:
        if self.borders[1] - self.borders[0] < 0.1:
            raise ValueError(
                "The border of shadows to mids lies below that of mids to highlights: by 0.1 stops at least"
            )
        return self

    @property
    def changes_nothing(self) -> bool:
        return self.stops == (0, 0, 0) and self.saturation == (1, 1, 1) and self.push == (0, 0, 0)

    @property
    def invertible(self) -> bool:  # type: ignore[override]
        return self.saturation == (1, 1, 1) and not any(self.push)

    @property
    def pushes(self) -> Rows:
        """(3 zones, 3 channels): stops of gain that make the push, each zone's adding up to 0."""
        angles = np.radians(np.array(self.hue)[:, None] - np.array([0.0, 120.0, 240.0]))
        pushes = np.array(self.push)[:, None] * np.cos(angles)
        return tuple(map(tuple, pushes.tolist()))

    def gains(self, borders: Borders, working: Primaries) -> Gains:
        """Stops of gain of the channels by a pixel's stops."""
        return _gains(borders, self.stops, self.pushes, self._weights(working))

    def widened(self, working: Primaries) -> float:
        """How many times wider than asked the borders are, so that no tone of a neutral ramp folds."""
        return _widened(Borders(self.borders, self.softness), self.stops, self.pushes, self._weights(working))

    def _weights(self, working: Primaries) -> Weights:
        """What a push is held to; None where luminance is let go."""
        return luminance_of(working) if self.keep_luminance == "kept" else None

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        borders = Borders(self.borders, self.softness, self.widened(working))
        gains, saturation = self.gains(borders, working), ZoneCurve(borders, self.saturation)
        return (ZoneGains(self.norm, luminance_of(working), *gains, saturation),)

    def values_text(self) -> str:
        parts = []
        for zone, stops, times, push, hue in zip(ZONES, self.stops, self.saturation, self.push, self.hue, strict=True):
            said = [
                signed(stops, 2) if stops else "",
                f"saturation {times:.2f}" if times != 1 else "",
                f"{push:.2f} to {hue:.0f}°" if push else "",
            ]
            if any(said):
                parts.append(f"{zone} {', '.join(filter(None, said))}")
        return f"Zone balance: {'; '.join(parts) or 'at rest'}"


@dataclass(frozen=True)
class Borders:
    """Shares of the three zones by stops; ``times`` widens both borders."""

    middles: tuple[float, float]
    widths: tuple[float, float]
    times: float = 1.0

    def __call__(self, stops: Any) -> Float64:
        """(3, …) for stops (…), adding up to 1."""
        stops = np.asarray(stops, dtype=np.float64)
        low, high = (
            _quintic((stops - middle) / (width * self.times) + 0.5)
            for middle, width in zip(self.middles, self.widths, strict=True)
        )
        return np.stack([1 - low, low * (1 - high), low * high])

    @cached_property
    def reach(self) -> tuple[float, float]:
        """The stops between which anything changes."""
        half = [width * self.times / 2 for width in self.widths]
        low, high = list(zip(self.middles, half, strict=True))
        return min(low[0] - low[1], high[0] - high[1]), max(low[0] + low[1], high[0] + high[1])


@dataclass(frozen=True)
class ZoneCurve(StopsCurve):
    """A value of each zone, blended by stops."""

    borders: Borders
    values: tuple[float, float, float]

    @property
    def span(self) -> tuple[float, float]:
        return self.borders.reach

    def __call__(self, stops: Any) -> Float64:
        return np.asarray(np.tensordot(np.array(self.values), self.borders(stops), axes=1))


@dataclass(frozen=True)
class ChannelGain(ZoneCurve):
    """Gain of a channel: ``values`` and the pushes (3 zones, 3 channels) of the zones, blended; where there are
    ``weights``, less what they make of neutral light's luminance.
    """

    pushes: Rows
    channel: int
    weights: Weights

    def __call__(self, stops: Any) -> Float64:
        pushed = np.tensordot(np.array(self.pushes).T, self.borders(stops), axes=1)
        gain = super().__call__(stops) + pushed[self.channel]
        if self.weights is None:
            return np.asarray(gain)
        return np.asarray(gain - np.log2(np.tensordot(np.array(self.weights), np.exp2(pushed), axes=1)))


def _quintic(t: Float64) -> Float64:
    t = np.clip(t, 0.0, 1.0)
    return np.asarray(t * t * t * (t * (6 * t - 15) + 10))


Gains = tuple[ChannelGain, ChannelGain, ChannelGain]


def _gains(borders: Borders, stops: tuple[float, float, float], pushes: Rows, weights: Weights) -> Gains:
    red, green, blue = (ChannelGain(borders, stops, pushes, channel, weights) for channel in range(3))
    return red, green, blue


# A hand that moves asks for it several times a picture.
@lru_cache(maxsize=64)
def _widened(asked: Borders, stops: tuple[float, float, float], pushes: Rows, weights: Weights) -> float:
    def folds(times: float) -> bool:
        channels = _gains(Borders(asked.middles, asked.widths, times), stops, pushes, weights)
        # Beyond the borders gains are constant: tones there keep their distance.
        places = (at + width * times * _PLACES for at, width in zip(asked.middles, asked.widths, strict=True))
        ramp = np.unique(np.concatenate([*places]).round(9))
        slopes = np.diff(ramp + np.stack([gain(ramp) for gain in channels])) / np.diff(ramp)
        return bool((slopes < LEAST_SLOPE).any())

    if not folds(1.0):
        return 1.0
    low, high = 1.0, 64.0
    for _ in range(18):
        middle = (low + high) / 2
        low, high = (middle, high) if folds(middle) else (low, middle)
    return high
