"""Solves from a patch: the one value of a step that brings it to a level of the display, or skin to its line."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from functools import partial
from typing import Any, Literal

import numpy as np

from upwelling.core.arrays import Float64
from upwelling.core.encodings import legal_to_full
from upwelling.core.errors import BadValue
from upwelling.core.operations import run_reference
from upwelling.core.operations.colour import polar
from upwelling.core.parameters import signed
from upwelling.core.path import LayerKind, Path
from upwelling.core.scopes.dots import colour_difference, luma_of, off_skin_line
from upwelling.core.steps import AnyStep, ColourCurves, Exposure, SlopeOffsetPower, WhiteBalance
from upwelling.core.steps.hue_carry import MOST, carried
from upwelling.core.steps.selections.colour_range import oklab_rows
from upwelling.core.steps.white_balance import COOLEST, FARTHEST, WARMEST

Aim = Literal["black", "white", "grey", "skin by hue", "skin by balance", "neutral", "hue"]
AIMS: dict[str, str] = {
    "black": "Black to",
    "white": "White to",
    "grey": "Grey to",
    "skin by hue": "Skin to its line, by a hue curve",
    "skin by balance": "Skin to its line, by the balance",
    "neutral": "Neutral on the display",
    "hue": "Hue to",
}
LEVELS: dict[str, float] = {"black": 0.0, "white": 0.9, "grey": 0.42}
"""Signal, of the display, that an aim begins with; common practice, no source."""
NOTHING = 0.5 / 1023
"""Half a code of 10 bits: what is at or under it is 0."""
_MOST = 400
"""Samples of a patch that are looked at."""
_LEAST_COLOUR = 0.02
"""C/L under which a patch has no hue to speak of."""
AFTER_ALL = "(none)"
"""No step's id: what comes before it is the whole layer."""
Luma = tuple[float, float]


@dataclass(frozen=True)
class Solved:
    """The step with its new value (by its id, or a new one with none) and what was reached, in a sentence."""

    step: AnyStep
    sentence: str


def solve(
    aim: Aim, path: Path, codes: Any, luma: Luma, level: float | None = None, layer: LayerKind = "trim"
) -> Solved:
    """The step that brings the mean of a patch of file codes (N, 3) to an aim, in a layer of scene light; others are
    left as they are.

    ``luma`` has the weights of red and blue in the display's luma; ``level`` is of its signal, 0…1, or the Oklab hue
    wanted, in degrees. Raises BadValue
    where no value does.
    """
    patch = np.asarray(codes, dtype=np.float64).reshape(-1, 3)
    patch = patch[:: max(len(patch) // _MOST, 1)]
    if aim in LEVELS:
        wanted = LEVELS[aim] if level is None else level
        if not 0 <= wanted <= 1.1:
            raise BadValue(f"A level of {100 * wanted:.1f} % is not possible. Type one from 0 to 110 %.")
        return _to_level(aim, path, patch, luma, max(wanted, NOTHING), layer)
    if aim == "neutral":
        return _to_neutral(path, patch, luma, layer)
    return _to_hue(path, patch, level, layer) if aim == "hue" else _to_line(aim, path, patch, luma, layer)


def signal_mean(path: Path, patch: Float64) -> Float64:
    """Mean full-range display signal (3,) of file codes (N, 3)."""
    signal = run_reference(path.operations(), patch)
    if path.display.range == "legal":
        signal = legal_to_full(signal, path.display.depth)
    return np.asarray(signal.mean(axis=0))


def _exposed(step: Exposure, value: float) -> AnyStep:
    return step.model_copy(update={"stops": round(value, 4)})


def _sloped(step: SlopeOffsetPower, value: float) -> AnyStep:
    return step.model_copy(update={"slope": _scaled(step.slope, value)})


def _lowered(step: SlopeOffsetPower, value: float) -> AnyStep:
    return step.model_copy(update={"offset": _moved(step.offset, value)})


def _balanced(step: WhiteBalance, mired: float) -> AnyStep:
    return step.model_copy(update={"kelvin": round(1e6 / mired, 1)})


_BY_LEVEL: dict[str, tuple[Any, Callable[[Any, float], AnyStep], float, float]] = {
    "grey": (Exposure, _exposed, -8.0, 8.0),
    "white": (SlopeOffsetPower, _sloped, 0.2, 4.0),
    "black": (SlopeOffsetPower, _lowered, -0.5, 0.5),
}
"""The kind of step, how it takes a value, and the values it may have."""


def _to_level(aim: str, path: Path, patch: Float64, luma: Luma, wanted: float, layer: LayerKind) -> Solved:
    kind, make, low, high = _BY_LEVEL[aim]
    holder = _holder(path, layer, kind)

    def reached(value: float) -> float:
        return luma_of(signal_mean(_with(path, layer, holder, make(holder, value)), patch), luma)

    was = luma_of(signal_mean(path, patch), luma)
    least, most = reached(low), reached(high)
    if not least - NOTHING <= wanted <= most + NOTHING:
        raise BadValue(
            f"The patch is at {100 * was:.1f} % and can be brought to {100 * least:.1f} to {100 * most:.1f} % by "
            f"{holder.title.lower()}, not to {100 * wanted:.1f} %. Mark another patch, or aim at another level."
        )
    step = make(holder, _bisected(lambda v: reached(v) - wanted, low, high))
    now = luma_of(signal_mean(_with(path, layer, holder, step), patch), luma)
    told = "0" if now <= 2 * NOTHING else f"{100 * now:.1f}"
    return Solved(
        step, f"{step.summary()}: the patch is at {told} % of the display’s signal; it was at {100 * was:.1f} %."
    )


def _scaled(slope: Any, by: float) -> tuple[float, ...]:
    most = max(slope) or 1.0
    return tuple(round(min(max(v / most * by, 0.0), 4.0), 5) for v in slope)


def _moved(offset: Any, to: float) -> tuple[float, ...]:
    mean = sum(offset) / 3
    return tuple(round(min(max(v - mean + to, -1.0), 1.0), 6) for v in offset)


def _to_line(aim: str, path: Path, patch: Float64, luma: Luma, layer: LayerKind) -> Solved:
    was = off_skin_line(signal_mean(path, patch), luma)
    if np.isnan(was):
        raise BadValue("The patch has no hue on the display. Mark skin, and no neutral.")
    make: Callable[[float], AnyStep]
    if aim == "skin by hue":
        holder = _holder(path, layer, ColourCurves)
        hue, _ = _hue_of(path, patch, (layer, holder.id or AFTER_ALL))
        values, rest = np.linspace(-MOST, MOST, 31), 0.0
        make = partial(_turned, holder, hue)
    else:
        holder = _holder(path, layer, WhiteBalance)
        values, rest = np.linspace(1e6 / 14000, 1e6 / 2000, 25), 1e6 / holder.kelvin
        make = partial(_balanced, holder)

    def off(value: float) -> float:
        try:
            step = make(value)
        except BadValue:  # with what a hue curve does already, that far it cannot turn
            return float("nan")
        return off_skin_line(signal_mean(_with(path, layer, holder, step), patch), luma)

    found = [off(float(v)) for v in values]
    crossing = [
        (float(a), float(b))
        for a, b, x, y in zip(values, values[1:], found, found[1:], strict=False)
        if x * y <= 0 and abs(x - y) < 90
    ]
    if not crossing:
        raise BadValue(
            f"The patch is {signed(was, 1)}° from the skin-tone line, further than {holder.title.lower()} can turn it. "
            "Mark skin, or take the other way."
        )
    low, high = min(crossing, key=lambda pair: abs(sum(pair) / 2 - rest))
    step = make(_bisected(off, low, high))
    now = signed(off_skin_line(signal_mean(_with(path, layer, holder, step), patch), luma), 1)
    return Solved(step, f"{step.summary()}: the patch is {now}° from the skin-tone line; it was {signed(was, 1)}°.")


def _turned(step: ColourCurves, hue: float, by: float) -> AnyStep:
    return carried(step, hue, by).step


def _to_neutral(path: Path, patch: Float64, luma: Luma, layer: LayerKind) -> Solved:
    """The light that makes the patch neutral on the display, through the Look and the rendering: by Newton's method
    over mired and Duv, with slopes by difference.
    """
    holder = _holder(path, layer, WhiteBalance)
    start = holder.model_copy(update=holder.first_move if holder.changes_nothing else {})

    def cast(place: Float64) -> tuple[AnyStep, Float64]:
        kelvin, duv = float(np.clip(1e6 / place[0], WARMEST, COOLEST)), float(np.clip(place[1], -FARTHEST, FARTHEST))
        step = start.model_copy(update={"kelvin": round(kelvin, 1), "duv": round(duv, 5)})
        red, green, blue = signal_mean(_with(path, layer, holder, step), patch)
        return step, np.array([red - green, blue - green])

    was = float(np.hypot(*colour_difference(signal_mean(path, patch), luma)))
    place = np.array([1e6 / start.kelvin, start.duv])
    step, off = cast(place)
    for _ in range(12):
        slopes = np.stack([(cast(place + h)[1] - off) / h.sum() for h in np.diag([2.0, 0.001])], axis=1)
        if abs(np.linalg.det(slopes)) < 1e-12:
            break
        place = place - np.linalg.solve(slopes, off)
        step, off = cast(place)
        if np.abs(off).max() < NOTHING / 4:
            break
    now = float(np.hypot(*colour_difference(signal_mean(_with(path, layer, holder, step), patch), luma)))
    if now > 4 * NOTHING:
        raise BadValue(
            f"No light makes this patch neutral on the display: it comes to {100 * now:.1f} % of colour difference at "
            "best. Mark something nearer to grey."
        )
    return Solved(step, f"{step.summary()}: neutral on the display; it was {100 * was:.1f} % of colour difference off.")


def _hue_of(path: Path, patch: Float64, until: tuple[LayerKind, str]) -> tuple[float, float]:
    """Oklab hue in degrees and C/L of the mean of a patch at a place of the path."""
    light = run_reference(path.until(*until), patch).mean(axis=0)
    _, hue, saturation, _ = polar(light, np.array(oklab_rows(path.working_primaries)))
    return float(np.ravel(hue)[0]), float(np.ravel(saturation)[0])


def _to_hue(path: Path, patch: Float64, wanted: float | None, layer: LayerKind) -> Solved:
    if wanted is None or not 0 <= wanted <= 360:
        raise BadValue("Type the hue wanted, from 0 to 360°: the trace says which hue a colour has.")
    holder = _holder(path, layer, ColourCurves)
    hue, saturation = _hue_of(path, patch, (layer, holder.id or AFTER_ALL))
    if saturation < _LEAST_COLOUR:
        raise BadValue("The patch has no hue to speak of. Mark something coloured.")
    was = hue + float(holder.curve_of("hue_by_hue")(hue))
    by = (wanted - was + 180) % 360 - 180
    found = carried(holder, hue, by)
    # A patch is of many hues, and those beside its mean are turned by less: the mean comes there with a little more.
    for _ in range(4):
        now, _ = _hue_of(_with(path, layer, holder, found.step), patch, (layer, AFTER_ALL))
        by -= (now - wanted + 180) % 360 - 180
        with suppress(BadValue):
            found = carried(holder, hue, by)
    now, _ = _hue_of(_with(path, layer, holder, found.step), patch, (layer, AFTER_ALL))
    return Solved(found.step, f"Hue {now:.0f}°, it was {was % 360:.0f}°; {found.cost()}.")


def _holder(path: Path, layer: LayerKind, kind: Any) -> Any:
    """The first step of a kind in a layer that acts everywhere, always; else a new one without an id."""
    for step in path.layer(layer).taken(path.target):
        if isinstance(step, kind) and step.acts_wholly and not step.moves and not step.group:
            return step
    return kind()


def _with(path: Path, layer: LayerKind, holder: AnyStep, step: AnyStep) -> Path:
    """The path with a step in the place of its holder, or at the end of the layer."""
    held = path.layer(layer)
    steps = [step if one is holder else one for one in held.steps] if holder.id else [*held.steps, step]
    return path.with_layers(**{layer: held.with_steps(steps)})


def _bisected(function: Callable[[float], float], low: float, high: float) -> float:
    """A root between two places of different sign, to a part in 2^30 of their distance."""
    rising = function(high) >= function(low)
    for _ in range(30):
        middle = (low + high) / 2
        if (function(middle) < 0) == rising:
            low = middle
        else:
            high = middle
    return (low + high) / 2
