"""Highlights that the camera clipped: rebuilt from the channels that still hold, or calmed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from upwelling.core.colour.primaries import Primaries, primaries, rgb_to_rgb, rgb_to_xyz
from upwelling.core.errors import BadValue
from upwelling.core.operations import Matrix, Operation
from upwelling.core.operations.highlights import Highlights as Rebuild
from upwelling.core.parameters import choice, number, triple
from upwelling.core.steps.base import Step

MOST_CLIP = 1000.0
_BORDER = (0.35, 0.9)
"""Of its nearest clip: how bright a pixel is that tells the colour of a highlight it borders on."""
_FEWEST = 24
_ALIKE = 0.6
"""How far apart the shares of a channel around highlights may lie (80 % of them) for these to be of one colour."""
_PLAUSIBLE = 16.0
"""The most that a channel of a highlight's light may be of another: beyond it noise of a dark channel speaks."""
Clip = Annotated[float, Field(ge=0, le=MOST_CLIP)]
Share = Annotated[float, Field(ge=0.01, le=3)]
Channels = Literal[
    "AP0", "AP1", "S-Gamut3", "S-Gamut3.Cine", "V-Gamut", "Wide Gamut 3", "BT.709", "BT.2020", "P3-DCI", "S-Gamut",
    "Cinema Gamut", "Wide Gamut 4", "Wide Gamut RGB", "F-Gamut", "D-Gamut", "P3-D65",
    "Wide Gamut Gen 5", "F-Gamut C", "Protune Native", "opRGB",
]  # fmt: skip


LOWER, FLOOR = (0.7, 0.5, 0.35, 0.25), 1e-4
"""Shares of its clips at which a picture is clipped to try the step on light that is known, and light below which stops
are not counted.
"""
BEGINS = 0.9
"""Share of its clip from which a channel counts as clipping, unless a person says otherwise."""
HELPS, HARMS = 0.8, 1.3
"""Shares of the loss that may be left to speak for the step, or against it. Of 18 pictures clipped by a known amount
(docs/numbers.md) four stood below the first, and the truth was nearer with it in all four; five above the second, and
colour was further off in four.
"""


class Highlights(Step):
    """In the primaries the camera clipped in; a clip of 0 is none, and its channel is left alone."""

    title: ClassVar[str] = "Highlights"
    explanation: ClassVar[str] = (
        "Rebuilds what single channels lost by clipping from the channels that hold, in the colour the highlight has "
        "around it; or calms it to that colour. Put it first, before other steps change the light."
    )
    source: ClassVar[str] = "Our own rule"
    space: ClassVar[str] = "scene linear, in the camera's primaries"
    invertible: ClassVar[bool] = False
    neutral: ClassVar[str] = "moves clipped neutrals, on purpose"

    camera_light: ClassVar[bool] = True

    kind: Literal["highlights"] = "highlights"
    way: Literal["rebuild", "calm"] = choice(
        "rebuild", "Way", "Rebuild lifts clipped channels; calm takes false colour out and keeps the brightness."
    )
    channels: Channels = choice("AP1", "Clipped in", "The primaries of the channels that clipped: the camera's.")
    clip: tuple[Clip, Clip, Clip] = triple(
        (0.0, 0.0, 0.0), "Clips at", "× white", 0, 64, 0.05, "Scene light at which each channel clips; 0: it does not."
    )
    light: tuple[Share, Share, Share] = triple(
        (1.0, 1.0, 1.0), "Light", "share", 0.1, 3, 0.01, "The colour of the highlight, as shares of its channels."
    )
    begins: float = number(
        BEGINS, "Begins", "of the clip", 0.5, 0.99, 0.01, "From this share of its clip on a channel counts as clipping."
    )

    @model_validator(mode="after")
    def _some_light(self) -> Self:
        if max(self.light) / min(self.light) > 100:
            raise ValueError("Highlights: no channel of the light is more than a hundred times another")
        return self

    @property
    def changes_nothing(self) -> bool:
        return not any(self.clip)

    def work(self, working: Primaries) -> tuple[Operation, ...]:
        there = primaries(self.channels)
        matrix = rgb_to_rgb(working, there, "CAT02")
        light = np.array(self.light) / np.mean(self.light)
        clip = [value or 1e6 for value in self.clip]
        weights = rgb_to_xyz(there)[1]
        made = Rebuild(_three(clip), _three(light), _three(weights), self.begins, self.way == "rebuild")
        if there == working:
            return (made,)
        return (Matrix.of(matrix), made, Matrix.of(rgb_to_rgb(there, working, "CAT02")))

    def values_text(self) -> str:
        return "Highlights " + ("rebuilt" if self.way == "rebuild" else "calmed")


def _three(values: Any) -> tuple[float, float, float]:
    r, g, b = (float(v) for v in values)
    return r, g, b


@dataclass(frozen=True)
class FoundClips:
    """What a picture tells of its clips: fields of the step, and a sentence."""

    clip: tuple[float, float, float]
    light: tuple[float, float, float]
    sentence: str


def find_clips(light: Any, code: Any, starts: Sequence[float], working: Primaries, channels: Primaries) -> FoundClips:
    """Clips and the colour of the highlights from scene light (H, W, 3) that reaches the step and the file's code
    (H, W, 3) of the same pixels, which is clipped from ``starts`` on. The light's colour is that of the pixels around
    what is clipped. Raises BadValue where nothing is clipped.
    """
    there = np.asarray(light, dtype=np.float64) @ rgb_to_rgb(working, channels, "CAT02").T
    clipped = np.asarray(code) >= np.asarray(starts, np.float32)
    clips = [float(np.median(there[..., i][clipped[..., i]])) if clipped[..., i].any() else 0.0 for i in range(3)]
    clips = [round(min(value, MOST_CLIP), 4) if value > 0 else 0.0 for value in clips]
    if not any(clips):
        raise BadValue("No channel of this picture is clipped here, so there is nothing to rebuild.")
    any_clipped = clipped.any(axis=-1)
    names = [name for name, value in zip(("red", "green", "blue"), clips, strict=True) if value]
    share = 100 * float(any_clipped.mean())
    said = f"{', '.join(names)} clip in {share:.1f} % of what was looked at"
    weights = _three(rgb_to_xyz(channels)[1])
    evidence = _tried_lower(there, any_clipped, clips, weights)
    found = _colour_around(there, any_clipped, clips)
    if found is None:
        said += ". Too little lies around it to tell its colour: neutral"
        return FoundClips(_three(clips), (1.0, 1.0, 1.0), f"{said}. {evidence}")
    shares, differs = found
    said += "; its light has the colour of what lies around it"
    if differs:
        said += ", which differs from place to place: mark a region, and give each highlight a step of its own"
    return FoundClips(_three(clips), _three(shares), f"{said}. {evidence}")


def _colour_around(there: Any, clipped: Any, clips: Sequence[float]) -> tuple[Any, bool] | None:
    """The colour of what lies around clipped pixels, as shares of the channels, and whether it differs from place to
    place; None where too little lies there.
    """
    from scipy.ndimage import maximum_filter  # loaded when first used: it takes a while

    nearest = (there / np.array([value or np.inf for value in clips])).max(axis=-1)
    around = maximum_filter(clipped, size=2 * max(there.shape[0] // 40, 3) + 1) & ~clipped
    border = around & (nearest > _BORDER[0]) & (nearest < _BORDER[1])
    if border.sum() < _FEWEST:
        return None
    shares_of = there[border] / there[border].mean(axis=-1, keepdims=True)
    low, high = np.percentile(shares_of, [10, 90], axis=0)
    colour = np.median(shares_of, axis=0)
    colour = np.maximum(colour, colour.max() / _PLAUSIBLE)
    return np.clip(np.round(colour / colour.mean(), 3), 0.01, 3), float(np.max(high - low)) > _ALIKE


def _tried_lower(there: Any, clipped: Any, clips: Sequence[float], weights: tuple[float, float, float]) -> str:
    """Whether rebuilding helps this picture, as a sentence: light that the camera held is clipped lower, rebuilt in the
    same way, and compared with what it was.
    """
    from scipy.ndimage import maximum_filter  # loaded when first used: it takes a while

    near = maximum_filter(clipped, size=2 * max(there.shape[0] // 20, 6) + 1) & ~clipped
    for share in LOWER:
        lower = [value * share for value in clips]
        there_clipped = (there > np.array([value or np.inf for value in lower])).any(axis=-1)
        tried = there_clipped & near
        found = _colour_around(there, there_clipped, lower) if tried.sum() >= _FEWEST else None
        if found is not None:
            break
    else:
        return "Nothing it holds is bright enough to tell whether rebuilding helps: look at it with and without."
    limits = np.array([value or 1e6 for value in lower])
    cut = np.minimum(there, limits)
    made = Rebuild(_three(limits), _three(found[0]), weights, BEGINS, True).apply(cut)
    left, right = (
        float(np.abs(np.log2(np.maximum(one[tried], FLOOR) / np.maximum(there[tried], FLOOR))).mean())
        for one in (cut, made)
    )
    where = (
        f"Tried where its own light was clipped {-np.log2(share):.1f} stops lower, {right:.3f} of {left:.3f} stops lost"
    )
    if right < HELPS * left:
        return f"{where} are left: a sign for it."
    if right > HARMS * left:
        return f"{where} became: a sign against it. Compare with and without."
    return f"{where} are left, which tells little: compare with and without."
