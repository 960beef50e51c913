"""What a first pass proposes for a shot by itself: exposure, balance, and black where it is lifted."""

from __future__ import annotations

from typing import Any

import numpy as np

from upwelling.core.errors import BadValue
from upwelling.core.match import Match, space_of
from upwelling.core.match.first import MarkKind, propose
from upwelling.core.match.outcome import FIRST_STEM, put
from upwelling.core.parameters import signed
from upwelling.core.scopes.dots import luma_of
from upwelling.core.scopes.spans import Region, mask_of, region_spans
from upwelling.core.solving import solve
from upwelling.core.steps import AnyStep
from upwelling.web.bench.frame_values import FrameValues
from upwelling.web.bench.matching import picture_of, refuse_unsettled
from upwelling.web.bench.scope import luma_weights
from upwelling.web.footage.frames import Frame, frame_of
from upwelling.web.footage.models import Shot
from upwelling.web.footage.paths import path_at
from upwelling.web.footage.shot_settings import ShotSettings, read_settings

FIRST = "first pass"
LIFTED, HAZE, BLACK = 0.045, 0.10, 0.02
"""Share of the display's signal from which the darkest part is lifted, from which it is haze or a bright scene and no
black, and what black is brought to; common practice, no source.
"""
DARKEST_SHARE, BLOCK = 0.005, 8
"""Share of the picture that counts as its darkest part, and pixels of the side of what is averaged against noise."""


def proposed(shot: Shot, settings: ShotSettings) -> tuple[Match, ShotSettings]:
    """What the shot asks for by itself, and the settings with it before its trim; raises Refused."""
    refuse_unsettled(shot)
    bare = settings.model_copy(update={"trim_on": False})
    frame = frame_of(shot)
    space = space_of(path_at(shot, frame.number, bare).working_primaries)
    found = propose(picture_of(shot, frame, bare), space, _marks(shot, bare))
    black, said = _black(shot, frame, settings, found)
    steps: tuple[AnyStep, ...] = (*found.steps, *black)
    parts = [*(step.values_text() for step in found.steps), *(f"black to {100 * BLACK:.0f} %" for _ in black)]
    words = " · ".join(parts) or found.words
    words = words[0].upper() + words[1:]
    made = Match(found.method, found.model, steps, found.figures, (*found.remarks, said), words=words)
    return made, _put(settings, made)


def _put(settings: ShotSettings, made: Match) -> ShotSettings:
    steps, groups = put(settings.steps, settings.groups, made, "", "", stem=FIRST_STEM)
    return read_settings(settings.model_copy(update={"steps": steps, "groups": groups}).model_dump(mode="json"))


def _marks(shot: Shot, settings: ShotSettings) -> dict[MarkKind, Any]:
    """The pixels of what was marked on the shot that no camera clipped, each at its own frame."""
    found: dict[MarkKind, Any] = {}
    for kind, row in shot.known_regions.items():
        picture = picture_of(shot, frame_of(shot, row["frame"]), settings)
        height, width = picture.rgb.shape[:2]
        inside = mask_of(region_spans(height, width, Region.model_validate(row["region"])), width)
        pixels = picture.rgb[inside & picture.usable]
        found[kind] = pixels if len(pixels) > 0.9 * inside.sum() else pixels[:0]
    return found


def _black(shot: Shot, frame: Frame, settings: ShotSettings, found: Match) -> tuple[tuple[AnyStep, ...], str]:
    """The step that brings a lifted black down, and what was seen of the darkest part: after what was found so far, and
    before the shot's own steps, as it will stand.
    """
    alone = settings.model_copy(update={"steps": (), "groups": (), "trim_on": True})
    path = path_at(shot, frame.number, _put(alone, found))
    signal = FrameValues(frame.key, frame.working, path, place=frame.place).signal
    luma = luma_weights(path)
    height, width = (size // BLOCK for size in signal.shape[:2])

    def blocks(values: Any) -> Any:
        cut = values[: height * BLOCK, : width * BLOCK]
        return cut.reshape(height, BLOCK, width, BLOCK, 3).mean(axis=(1, 3)).reshape(-1, 3)

    means = blocks(signal)
    levels = np.array([luma_of(one, luma) for one in means])
    darkest = levels.argsort()[: max(int(len(levels) * DARKEST_SHARE), 1)]
    level = float(levels[darkest].mean())
    at = f"{100 * level:.1f} % of the display"
    if level < LIFTED:
        return (), f"Black: the darkest part stands at {at}: it is black already."
    if level > HAZE:
        return (), f"Black: the darkest part stands at {at}: nothing says that it is black."
    codes = blocks(np.asarray(frame.working, np.float32))[darkest]
    try:
        made = solve("black", path, codes, luma, BLACK)
    except BadValue:
        return (), f"Black: the darkest part stands at {at} and cannot be brought down."
    step = made.step.model_copy(update={"id": "", "group": ""})
    return (step,), f"Black: likely, from the darkest part at {at}: {signed(100 * (BLACK - level), 1)} % of the signal."
