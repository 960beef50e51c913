"""Colour ranges from places of the picture: one that takes a patch in, and an existing one widened by a patch or
narrowed until the patch lies outside.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from upwelling.core.arrays import Float, Float64
from upwelling.core.colour.primaries import Primaries
from upwelling.core.operations.colour import polar
from upwelling.core.steps.selections.colour_range import ColourRange, oklab_rows

GREY = 0.02
"""Oklab chroma over lightness below which a patch has no hue to speak of. Our own choice."""
MOST_CUT = 0.4
"""Share of a range's extent that is cut off at most to leave a patch outside; what lies deeper in it is better taken
away by a range of its own. Our own choice.
"""
USUAL = {"hue": 360.0, "saturation": 0.5, "stops": 14.0}
"""What an open scale counts as, when shares of it are compared: where pictures have their colours. Our own choice."""


@dataclass(frozen=True, slots=True)
class _Patch:
    """Middle hue (degrees), and the span that nine tenths of a patch lie in: hue on either side, saturation, stops."""

    hue: float
    away: float
    coloured: bool
    saturation: tuple[float, float]
    stops: tuple[float, float]


def _measured(rgb_linear: Float, working: Primaries) -> _Patch:
    light = np.asarray(rgb_linear, dtype=np.float64).reshape(-1, 3)
    _, hue, saturation, stops = polar(light, np.array(oklab_rows(working)))
    middle = float(np.degrees(np.angle(np.mean(saturation * np.exp(1j * np.radians(hue)))))) % 360
    away = np.abs(np.mod(hue - middle + 180, 360) - 180)
    return _Patch(
        middle, float(np.percentile(away, 95)), float(np.median(saturation)) >= GREY, _span(saturation), _span(stops)
    )


def _span(values: Float64) -> tuple[float, float]:
    low, high = np.percentile(values, [5, 95])
    return float(low), float(high)


def range_around(rgb_linear: Float, working: Primaries) -> ColourRange:
    """A range that takes in the colours of a patch of scene-linear working light (N, 3) with some room around them."""
    patch = _measured(rgb_linear, working)
    (low, high), (dark, bright) = patch.saturation, patch.stops
    return ColourRange(
        hue=round(patch.hue, 1),
        hue_width=round(float(np.clip(2 * patch.away + 16, 20, 120)), 1) if patch.coloured else 360.0,
        saturation_low=round(float(max(low * 0.8 - 0.01, 0)), 3),
        saturation_high=round(float(min(high * 1.2 + 0.02, 1.5)), 3),
        stops_low=round(float(np.clip(dark - 1, -16, 12)), 2),
        stops_high=round(float(np.clip(bright + 1, -16, 12)), 2),
    )


def widened(known: ColourRange, rgb_linear: Float, working: Primaries) -> ColourRange:
    """The range with the colours of a patch (N, 3) taken in as well; falloffs and everything else stay."""
    more = range_around(rgb_linear, working)
    hue, width = _arc_over((known.hue, known.hue_width), (more.hue, more.hue_width))
    ends = {
        "saturation_low": min(known.saturation_low, more.saturation_low),
        "saturation_high": max(known.saturation_high, more.saturation_high),
        "stops_low": min(known.stops_low, more.stops_low),
        "stops_high": max(known.stops_high, more.stops_high),
    }
    return _with(known, {"hue": hue, "hue_width": width, **ends})


def narrowed(known: ColourRange, rgb_linear: Float, working: Primaries) -> ColourRange | None:
    """The range cut at the one end that costs least of it, so that a patch (N, 3) lies outside with its falloff.

    None where every cut costs more than ``MOST_CUT`` of its scale: the patch lies in the middle of the range.
    """
    patch = _measured(rgb_linear, working)
    cuts = [*_cuts(known, patch, "saturation"), *_cuts(known, patch, "stops")]
    if patch.coloured:
        cuts.append(_hue_cut(known, patch))
    share, fields = min(cuts, key=lambda cut: cut[0])
    return _with(known, fields) if share <= MOST_CUT else None


def _cuts(known: ColourRange, patch: _Patch, scale: str) -> list[tuple[float, dict[str, float]]]:
    """Share lost and new end, for a cut from below and one from above."""
    low, high, soft = (float(getattr(known, f"{scale}_{end}")) for end in ("low", "high", "soft"))
    bottom, top = getattr(patch, scale)
    usual = {"saturation": (0.0, USUAL["saturation"]), "stops": (-8.0, -8.0 + USUAL["stops"])}[scale]
    first, last = max(low, usual[0]), min(high, max(usual[1], low))
    extent = max(last - first, 1e-6)
    from_below, from_above = top + soft, bottom - soft
    found = []
    if low < from_below < high:
        found.append(((from_below - first) / extent, {f"{scale}_low": round(from_below, 3)}))
    if low < from_above < high:
        found.append(((last - from_above) / extent, {f"{scale}_high": round(from_above, 3)}))
    # What lies outside already, falloff and all, costs nothing.
    if from_below <= low or from_above >= high:
        found.append((0.0, {}))
    return found or [(np.inf, {})]


def _hue_cut(known: ColourRange, patch: _Patch) -> tuple[float, dict[str, float]]:
    """Share lost and new arc, when the arc gives way on the side where the patch lies."""
    near = patch.away + known.hue_soft
    if known.hue_width >= 360 - 2 * known.hue_soft:
        return 2 * near / 360, {"hue": (patch.hue + 180) % 360, "hue_width": max(360 - 2 * near, 0.0)}
    half, away = known.hue_width / 2, (patch.hue - known.hue + 180) % 360 - 180
    end = abs(away) - near
    lost = half - end
    if lost <= 0:
        return 0.0, {}
    side = 1.0 if away >= 0 else -1.0
    return lost / known.hue_width, {
        "hue": (known.hue - side * lost / 2) % 360,
        "hue_width": max(known.hue_width - lost, 0.0),
    }


def _arc_over(one: tuple[float, float], other: tuple[float, float]) -> tuple[float, float]:
    """The smallest arc (middle, width) that holds two arcs; 360 where there is none smaller than the circle."""
    if max(one[1], other[1]) >= 360:
        return one[0], 360.0
    away = (other[0] - one[0] + 180) % 360 - 180
    low, high = min(-one[1] / 2, away - other[1] / 2), max(one[1] / 2, away + other[1] / 2)
    return (one[0] + (low + high) / 2) % 360, min(high - low, 360.0)


def _with(known: ColourRange, fields: dict[str, float]) -> ColourRange:
    rounded = {name: round(value, 1 if name.startswith("hue") else 3) for name, value in fields.items()}
    return ColourRange.model_validate({**known.model_dump(), **rounded})


@dataclass(frozen=True, slots=True)
class Sampled:
    """What a sample makes of a selection: its new range, or a range of its own joined to it by ``join``."""

    range: ColourRange
    join: str
    sentence: str


def sampled(known: ColourRange | None, more: bool, rgb_linear: Float, working: Primaries) -> Sampled:
    """The selection after a patch (N, 3) of scene light is taken in (``more``), or taken away.

    Without a known range, and where the patch lies in the middle of it, the patch gets a range of its own.
    """
    own = range_around(rgb_linear, working)
    if known is None:
        join, done = ("or", "taken in") if more else ("without", "taken away")
        return Sampled(own, join, f"What lies here is {done} by a range of its own: {own.summary()}.")
    # What a range that is turned round selects grows where the range itself gives way.
    if more != known.invert:
        grown = widened(known, rgb_linear, working)
        return Sampled(grown, "", f"The range is wider now: {grown.summary()}.")
    cut = narrowed(known, rgb_linear, working)
    if cut is not None:
        return Sampled(cut, "", f"The range gives way at one end: {cut.summary()}.")
    join = "or" if known.invert else "without"
    return Sampled(
        own,
        join,
        f"What lies here is in the middle of the range, so a range of its own is joined: {join} {own.summary()}.",
    )
